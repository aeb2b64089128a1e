"""What of a packet is the stream's own."""

from __future__ import annotations


def bare(data: bytes, codec: str) -> bytes:
    """A packet without the header that AAC has in transport streams and not elsewhere (ADTS: ISO/IEC 13818-7, 6.2; from memory)."""
    if codec == "aac" and len(data) > 9 and data[0] == 0xFF and data[1] & 0xF6 == 0xF0:
        return data[7 if data[1] & 1 else 9 :]
    return data
