"""Looking at a copy before its take goes: which spots are worth a person's eyes."""
