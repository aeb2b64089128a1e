"""What coded streams say of themselves in their first bytes: profile, level, pictures that others lean on.

Sources, from memory: ISO/IEC 14496-15 (configuration records of H.264 and HEVC), ITU-T H.264 7.3.2.1.1 (sequence parameter set), AV1
Codec ISO Media File Format Binding, 2.3.3.
"""

from __future__ import annotations

from dataclasses import dataclass

from yomikomi.core.recipes.levels import LEVELS

_H264_PROFILES = {66: "Baseline", 77: "Main", 88: "Extended", 100: "High", 110: "High 10", 122: "High 4:2:2", 244: "High 4:4:4"}
_HEVC_PROFILES = {1: "Main", 2: "Main 10", 3: "Main Still Picture", 4: "Range Extensions"}
_AV1_PROFILES = {0: "Main", 1: "High", 2: "Professional"}
_CHROMA = {0: "4:0:0", 1: "4:2:0", 2: "4:2:2", 3: "4:4:4"}
# Profiles of H.264 whose parameter sets say how colour is sampled (7.3.2.1.1).
_WITH_CHROMA = {100, 110, 122, 244, 44, 83, 86, 118, 128}


@dataclass(frozen=True)
class Said:
    """``level``: as in :data:`LEVELS`, None where it is none of those; ``held``: reference pictures, of H.264."""

    profile: str
    level: str | None
    held: int = 0


def said_by(codec: str, extradata: bytes) -> Said | None:
    """What a stream of a codec (``h264``, ``hevc``, ``av1``) says; None where its first bytes cannot be understood."""
    try:
        return _READERS[codec](extradata) if codec in _READERS and extradata else None
    except IndexError:
        return None


def _h264(data: bytes) -> Said | None:
    unit = _parameter_set(data)
    if unit is None:
        return None
    profile, constraints, level = unit[1], unit[2], unit[3]
    name = "Constrained Baseline" if profile == 66 and constraints & 0x40 else _H264_PROFILES.get(profile, f"profile {profile}")
    text = f"{level // 10}.{level % 10}".removesuffix(".0")
    return Said(name, text if text in {one.name for one in LEVELS["h264"]} else None, _references(unit))


def _parameter_set(data: bytes) -> bytes | None:
    """The first sequence parameter set: out of a configuration record, or behind a start code."""
    if data[0] == 1:
        size = int.from_bytes(data[6:8], "big")
        return _unescaped(data[8 : 8 + size]) if data[5] & 31 else None
    for at in range(len(data) - 4):
        if data[at : at + 3] == b"\0\0\1" and data[at + 3] & 31 == 7:
            return _unescaped(data[at + 3 :])
    return None


def _unescaped(unit: bytes) -> bytes:
    """Without the bytes that keep start codes out of a unit (7.4.1)."""
    return unit.replace(b"\0\0\3", b"\0\0")


class _Bits:
    def __init__(self, data: bytes) -> None:
        self._data, self._at = data, 0

    def one(self) -> int:
        byte = self._data[self._at // 8]
        bit = byte >> (7 - self._at % 8) & 1
        self._at += 1
        return bit

    def number(self) -> int:
        """Exp-Golomb (9.1)."""
        zeros = 0
        while not self.one():
            zeros += 1
            if zeros > 31:
                raise IndexError
        value = 1
        for _ in range(zeros):
            value = 2 * value + self.one()
        return value - 1


def _references(unit: bytes) -> int:
    bits = _Bits(unit[4:])
    bits.number()
    if unit[1] in _WITH_CHROMA:
        if bits.number() == 3:
            bits.one()
        bits.number()
        bits.number()
        bits.one()
        if bits.one():
            return 0  # scaling lists: not read, and not made by encoders here
    bits.number()
    order = bits.number()
    if order == 0:
        bits.number()
    elif order == 1:
        return 0
    return bits.number()


def _hevc(data: bytes) -> Said | None:
    if data[0] != 1 or len(data) < 13:
        return None
    level = f"{data[12] // 30}.{data[12] % 30 // 3}".removesuffix(".0")
    profile = _HEVC_PROFILES.get(data[1] & 31, f"profile {data[1] & 31}")
    return Said(profile, level if level in {one.name for one in LEVELS["hevc"]} else None)


def _av1(data: bytes) -> Said | None:
    if data[0] != 0x81:
        return None
    index = data[1] & 31
    level = f"{2 + index // 4}.{index % 4}"
    return Said(_AV1_PROFILES.get(data[1] >> 5, "unknown"), level if level in {one.name for one in LEVELS["av1"]} else None)


_READERS = {"h264": _h264, "hevc": _hevc, "av1": _av1}
