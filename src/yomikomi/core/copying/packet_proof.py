"""Packets and stamps of a copy held against those that were read."""

from __future__ import annotations

import hashlib
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.copied_streams import CopiedStreams, Part
from yomikomi.core.copying.packet_content import bare
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.video.media import open_media, probe
from yomikomi.core.video.packets import DAMAGED, packets_of
from yomikomi.core.work import Reporter

# Stamps may be rounded to the coarser of two clocks: Matroska's milliseconds.
_STAMP_TOLERANCE_S = Fraction(11, 10_000)


def same_packets(copied: CopiedStreams, request: CopyRequest, part: Path, reporter: Reporter) -> list[Check]:
    """Packets and stamps of a copy against those that were read."""
    found = []
    tracks = list(copied.tracks.values())
    with open_media(part) as container:
        streams = list(container.streams)
        number_of = {stream.index: place for place, stream in enumerate(streams)}
        digests = [hashlib.sha256() for _ in streams]
        stamps: list[list[Fraction]] = [[] for _ in streams]
        for packet in packets_of(container, streams, part):
            reporter.check()
            if packet.size == 0:
                continue
            place = number_of[packet.stream.index]
            codec = tracks[place].codec if place < len(tracks) else ""
            if place or not _encoded(copied, len(stamps[0])):
                digests[place].update(bare(bytes(packet), codec))
            at = packet.pts if packet.pts is not None else packet.dts
            stamps[place].append((at or 0) * Fraction(packet.time_base))
    found.append(_shown_alike(request.path, part))
    found.append(Check(name="streams", passed=len(streams) == len(tracks), found=f"{len(streams)} of {len(tracks)}"))
    # A container may move everything at once: what counts is where tracks stand to each other.
    moved = min(stamps[0], default=Fraction(0)) - min(tracks[0].stamps, default=Fraction(0)) if stamps else Fraction(0)
    for number, (track, digest, own) in enumerate(zip(tracks, digests, stamps, strict=False)):
        name = f"{track.kind} {number + 1}"
        same, how = digest.digest() == track.digest.digest(), "packets identical"
        if not same and len(own) == track.packets and track.kind in {"video", "audio"} and copied.part == Part(None, None):
            same, how = _decodes_alike(request.path, part, track.index, number, reporter), "wrapped otherwise, decoded identical"
        there = len(own) - (0 if number else sum(copied.encoded))
        found.append(Check(name=f"{name} packets", passed=same, found=f"{there} of {track.packets}, {how if same else 'NOT the same'}"))
        off = max((abs(one - two - moved) for one, two in zip(own, track.stamps, strict=False)), default=Fraction(0))
        close = len(own) == len(track.stamps) and off <= _STAMP_TOLERANCE_S
        found.append(Check(name=f"{name} time stamps", passed=close, found=f"at most {float(off) * 1000:.2f} ms apart"))
    return found


def _encoded(copied: CopiedStreams, number: int) -> bool:
    """Whether a picture of the copy, counted from 0 in the order of decoding, is none of the source's packets."""
    head = copied.encoded[0]
    return not head <= number < head + copied.tracks[copied.picture_index].packets


def _shown_alike(source: Path, copy: Path) -> Check:
    """What a container says beside the packets: shape, turn and colour."""
    one, two = probe(source), probe(copy)
    shape = one.geometry == two.geometry and one.rotation == two.rotation
    colour = one.colour == two.colour
    words = ["the same"] if shape and colour else [name for name, same in (("shape or turn", shape), ("colour", colour)) if not same]
    return Check(name="shown alike", passed=shape and colour, found=", ".join(words) + ("" if shape and colour else " differs"))


def _decodes_alike(source: Path, copy: Path, one: int, two: int, reporter: Reporter) -> bool:
    try:
        return _decoded(source, one, reporter) == _decoded(copy, two, reporter)
    except DAMAGED:
        return False


def _decoded(path: Path, index: int, reporter: Reporter) -> str:
    """Hash of all decoded samples of a stream."""
    digest = hashlib.sha256()
    with open_media(path) as container:
        for frame in container.decode(container.streams[index]):
            reporter.check()
            assert isinstance(frame, av.VideoFrame | av.AudioFrame)
            for plane in frame.planes:
                digest.update(memoryview(plane))
    return digest.hexdigest()
