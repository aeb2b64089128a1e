"""Standards, exact rates, timecode, picture shape, colour tags, and access to frames and sound."""
