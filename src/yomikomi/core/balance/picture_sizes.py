"""What each picture of an encode takes, as far as packets tell.

An AV1 packet holds one shown picture and whatever hidden ones were encoded before it: the base picture of a group of sixteen comes with
the first that is shown, and is many times as large. Counted where it lies, a stretch of two seconds would hold three or four of them by
chance, so each group's bytes are spread evenly over its pictures (docs/science.md).
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

import av
import numpy as np
from numpy.typing import NDArray

# obu_type of a frame with its header and tiles (AV1 Bitstream & Decoding Process Specification, 6.2.2; from memory).
_OBU_FRAME = 6


@dataclass(frozen=True)
class PictureSizes:
    """Of the pictures of one encode in showing order.

    Parameters
    ----------
    between : ndarray [shape=(pictures,), float64, bytes], of pictures that are no key pictures, groups of AV1 spread; 0 for key pictures.
    keys : ndarray [shape=(pictures,), float64, bytes], of key pictures; 0 for others.
    cuts : ndarray [shape=(pictures,), float64, bytes], what a cut that got no key picture costs more than pictures do as a rule; it is
        taken out of ``between``.
    """

    between: NDArray[np.float64]
    keys: NDArray[np.float64]
    cuts: NDArray[np.float64]

    def settled(self, counted: range, *, pictures: int) -> PictureSizes:
        """The same, where the key picture with which ``counted`` begins has as well what the next ``pictures`` take more than those after
        them: they make it better still. Unchanged where too few are after them, or it begins with none."""
        head, rest = range(counted.start + 1, counted.start + 1 + pictures), range(counted.start + 1 + pictures, counted.stop)
        if not pictures or len(rest) < pictures or not self.keys[counted.start]:
            return self
        usual = self.between[rest.start : rest.stop].mean()
        between, keys = self.between.copy(), self.keys.copy()
        keys[counted.start] = max(1.0, keys[counted.start] + between[head.start : head.stop].sum() - usual * pictures)
        between[head.start : head.stop] = usual
        return PictureSizes(between, keys, self.cuts)


def soonest_key(distance: int) -> int:
    """Pictures from one key picture to the next at a cut at least, where ``distance`` are most: a tenth, which encoders keep to by
    themselves."""
    return max(1, distance // 10)


def worst_second(sizes: PictureSizes, inside: slice, rate: Fraction) -> float:
    """Kilobits in the second that takes most of a stretch of pictures, of all of it where it is shorter; 0 of none."""
    each = (sizes.between + sizes.keys + sizes.cuts)[inside]
    count = min(len(each), max(1, round(rate)))
    if not count:
        return 0.0
    sums = np.convolve(each, np.ones(count), "valid")
    return float(sums.max()) * 8 / 1000 * float(rate) / count


def picture_sizes(packets: Sequence[av.Packet], *, codec: str, cuts: Sequence[int] = ()) -> PictureSizes:
    """Sizes of the pictures that packets of an encoder hold, all of one encode, one shown picture each.

    ``codec``: a key of ``CODECS``; ``cuts``: pictures that begin a shot, of codecs whose encoder makes no key picture there. The sum over
    all three is that of the packets.
    """
    shown = sorted((packet for packet in packets if packet.pts is not None), key=lambda packet: packet.pts or 0)
    sizes = np.array([packet.size for packet in shown], float)
    key = np.array([bool(packet.is_keyframe) for packet in shown], bool)
    between, keys, extra = np.where(key, 0.0, sizes), np.where(key, sizes, 0.0), np.zeros(len(shown))
    bounds = [*np.flatnonzero(key).tolist(), len(shown)]
    groups = [group for begin, end in itertools.pairwise(bounds) for group in _groups(shown, begin + 1, end, grouped=codec == "av1")]
    for group in groups:
        between[group.start : group.stop] = between[group.start : group.stop].mean()
    _take_out(between, extra, groups, {cut for cut in cuts if 0 < cut < len(shown) and not key[cut]})
    return PictureSizes(between, keys, extra)


def _groups(shown: Sequence[av.Packet], begin: int, end: int, *, grouped: bool) -> Iterator[range]:
    """Pictures from one key picture to the next whose bytes belong together: a packet with k hidden pictures begins a group of 2^k."""
    while begin < end:
        hidden = max(0, _frames_in(bytes(shown[begin])) - 1) if grouped else 0
        last = min(end, begin + 2**hidden)
        yield range(begin, last)
        begin = last


def _take_out(between: NDArray[np.float64], extra: NDArray[np.float64], groups: Sequence[range], cuts: set[int]) -> None:
    """Give groups in which a cut lies what the others have, and the rest to ``extra``."""
    cut = [group for group in groups if cuts.intersection(group)]
    rest = [between[group.start] for group in groups if not cuts.intersection(group)]
    if not rest:
        return
    usual = float(np.median(rest))
    for group in cut:
        place = min(cuts.intersection(group))
        extra[place] = (between[group.start] - usual) * len(group)
        between[group.start : group.stop] = usual


def _frames_in(data: bytes) -> int:
    """Coded frames in a temporal unit. Source: AV1 specification, 5.3.2 (header of an open bitstream unit) and 4.10.5 (leb128)."""
    found, at = 0, 0
    while at < len(data):
        header = data[at]
        at += 2 if header & 4 else 1
        size = len(data) - at
        if header & 2:
            size = shift = 0
            while at < len(data):
                byte = data[at]
                size |= (byte & 127) << shift
                at, shift = at + 1, shift + 7
                if not byte & 128:
                    break
        found += (header >> 3) & 15 == _OBU_FRAME
        at += size
    return found
