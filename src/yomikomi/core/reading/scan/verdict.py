"""The verdict on a take: segments of one kind each, what the whole is, the true rate, and how sure all of it is."""

from __future__ import annotations

import enum
import itertools
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.scan.evidence import Evidence, Values
from yomikomi.core.reading.scan.likelihood import likelihoods, moving_frames
from yomikomi.core.reading.scan.patterns import CLASS_OF, PATTERNS, Class, one_in
from yomikomi.core.reading.scan.regular import Regular, regular_repeats
from yomikomi.core.reading.scan.sequence import Path, likeliest_path, pattern_chances, runs_of
from yomikomi.core.video.standards import FieldOrder

# Fewer telling frames than this, and the answer is "undetermined".
MIN_INFORMATIVE = 8
# Below the first the answer is "undetermined"; nothing measured is claimed with more than the second. A whole compressed take that
# would be called one kind with less than nine tenths was of that kind only six times in ten (docs/science.md).
_LEAST_CONFIDENCE, _MOST_CONFIDENCE = 0.7, 0.99
_LEAST_LOSSY, _MOST_LOSSY = 0.9, 0.95
# A kind that holds this part of all that can be told names the whole; below it the take is mixed.
_NAMES_THE_WHOLE = 0.9
# Nothing shorter than this many frames is a segment of its own.
_SHORTEST = 12
# A stretch between cuts keeps a pattern of its own where that of the whole has less than the first chance there, another one more than
# the second.
_SPEAKS_AGAINST, _SPEAKS_FOR = 0.1, 0.8
# A pattern is looked at in pieces of so many frames at most when its chances are worked out.
_LONGEST_PIECE = 600


class Vote(enum.IntEnum):
    """What one frame argues for, within its surroundings; kept in the strips."""

    NOTHING = 0
    PROGRESSIVE = 1
    TOP_FIRST = 2
    BOTTOM_FIRST = 3
    UNCLEAR = 4
    FILM = 5
    REPEATS = 6
    BLENDED = 7


@dataclass(frozen=True)
class Segment:
    """Frames ``first`` to ``end`` (one past the last) of one kind; ``pattern``: key of the row in ``PATTERNS``."""

    first: int
    end: int
    kind: str
    field_order: FieldOrder | None
    confidence: float
    informative: int
    pattern: str
    agreeing: int = 0

    @property
    def frames(self) -> int:
        return self.end - self.first


@dataclass(frozen=True)
class ScanVerdict:
    """The finding over many frames. ``confidence``: how likely the verdict is right, 0…1; ``pictures``: different pictures a
    frame, exact, where the whole take has one cadence; ``broken``: frames where a cadence breaks; ``telling``: a frame that
    shows the verdict best, None for none; ``whole``: where the kind cannot be told, how likely the pictures are whole all the same
    (progressive, or blended from fields); ``runs``: see :meth:`Path.runs`, of a take of which every frame was looked at."""

    kind: str
    field_order: FieldOrder | None
    confidence: float
    frames: int
    informative: int
    agreeing: int
    segments: tuple[Segment, ...] = ()
    pictures: Fraction = Fraction(1)
    pattern: str = ""
    whole: float = 0.0
    broken: tuple[int, ...] = ()
    cuts: tuple[int, ...] = ()
    telling: int | None = None
    runs: tuple[tuple[int, str, int], ...] = ()
    votes: NDArray[np.int8] = field(default_factory=lambda: np.zeros(0, np.int8))


def judge_scan(evidence: Evidence, *, lossy: bool = False) -> ScanVerdict:
    """Judge consecutive frames.

    Parameters
    ----------
    lossy : compression smooths faint comb teeth away, so everything is claimed with less confidence.
    """
    found, cut = likelihoods(evidence, lossy=lossy)
    telling = np.asarray(found.any(axis=1) & (moving_frames(evidence, lossy=lossy) | (np.ptp(found, axis=1) > 1)))
    path = _reconsidered(likeliest_path(found, cut, lossy=lossy), found, cut, lossy=lossy)
    agree = _agreeing(found, CLASS_OF[path.pattern, path.place]) & telling
    segments = [
        _segment(found, telling, agree, first, end, pattern, lossy=lossy)
        for pattern, first, end in _long_enough(path.pattern)
    ]  # fmt: skip
    segments = _joined(segments)
    cuts = tuple(int(at) for at in np.flatnonzero(cut))
    whole = replace(weigh(segments, frames=len(evidence), lossy=lossy), cuts=cuts, runs=path.runs())
    votes = _votes(path.pattern, telling, found)
    regular = regular_repeats(evidence, cut) if whole.kind in {"progressive", "undetermined", "mixed"} else None
    if regular is not None and all(one.kind in {"progressive", "undetermined", "repeats"} for one in segments):
        return _with_repeats(whole, regular, np.where(votes == Vote.PROGRESSIVE, np.int8(Vote.REPEATS), votes))
    broken = tuple(at for at in path.broken if not cut[at] and kind_at(segments, at) not in {"interlaced", "progressive", "undetermined"})
    return replace(
        whole, broken=broken, votes=votes,
        telling=_best_frame(found, evidence, CLASS_OF[path.pattern, path.place], segments, whole.kind),
    )  # fmt: skip


def _reconsidered(path: Path, found: Values, cut: NDArray[np.bool_], *, lossy: bool) -> Path:
    """Between two cuts the material is one: where a stretch by itself speaks against the pattern that the whole gave it, and clearly
    for another one, it keeps its own."""
    pattern, place = path.pattern.copy(), path.place.copy()
    edges = [0, *(int(at) for at in np.flatnonzero(cut)), len(found)]
    for first, end in itertools.pairwise(edges):
        given = set(pattern[first:end].tolist())
        if end - first < _SHORTEST or len(given) != 1 or len(edges) == 2:
            continue
        chances = pattern_chances(found[first : min(end, first + _LONGEST_PIECE)], lossy=lossy)
        if chances[given.pop()] < _SPEAKS_AGAINST and chances.max() > _SPEAKS_FOR:
            alone = likeliest_path(found[first:end], cut[first:end], lossy=lossy)
            pattern[first:end], place[first:end] = alone.pattern, alone.place
    return Path(pattern, place, path.broken)


def _with_repeats(whole: ScanVerdict, regular: Regular, votes: NDArray[np.int8]) -> ScanVerdict:
    """Whole pictures of which one is repeated every so often. That so many stand at one distance is no chance; where each alone is
    faint, the distance might be a multiple."""
    confidence = min(_MOST_LOSSY, 1 - 0.5 ** (regular.repeats - 1))
    segments = tuple(
        replace(one, kind="repeats", field_order=None, confidence=confidence, pattern=regular.words) for one in whole.segments
    )  # fmt: skip
    return replace(
        whole, kind="repeats", field_order=None, confidence=confidence, segments=segments, pictures=regular.pictures, pattern=regular.words,
        agreeing=whole.informative, votes=votes, runs=((0, one_in(regular.period), -regular.phase % regular.period),),
    )  # fmt: skip


def weigh(segments: Sequence[Segment], *, frames: int, lossy: bool = False) -> ScanVerdict:
    """From segments (of the whole, or of samples of it) to the verdict on the whole."""
    informative = sum(one.informative for one in segments)
    told = [one for one in segments if one.kind != "undetermined"]
    base = ScanVerdict("undetermined", None, 1.0, frames, informative, 0, tuple(segments))
    weights: dict[tuple[str, FieldOrder | None], float] = defaultdict(float)
    for one in told:
        weights[one.kind, one.field_order] += one.informative
    total = sum(weights.values())
    if informative < MIN_INFORMATIVE or not total:
        unsure = 1 - max((one.confidence for one in told), default=informative / (2 * MIN_INFORMATIVE))
        return replace(base, confidence=max(0.0, min(1.0, unsure)))
    (kind, order), most = max(weights.items(), key=lambda item: item[1])
    agreeing = sum(one.agreeing for one in told)
    if most < _NAMES_THE_WHOLE * total:
        orders = {one.field_order for one in told if one.field_order}
        confidence = _mean((one.confidence, one.informative) for one in told)
        only = next(iter(orders)) if len(orders) == 1 else None
        return replace(base, kind="mixed", field_order=only, confidence=_capped(confidence, lossy), agreeing=agreeing)
    ours = [one for one in told if (one.kind, one.field_order) == (kind, order)]
    confidence = _mean((one.confidence, one.informative) for one in ours)
    if confidence < (_LEAST_LOSSY if lossy else _LEAST_CONFIDENCE):
        return replace(base, confidence=1 - confidence)
    names = Counter[str]()
    for one in ours:
        names[one.pattern] += one.informative
    name, share = names.most_common(1)[0]
    one_cadence = share >= _NAMES_THE_WHOLE * sum(names.values())
    pictures = next(p.pictures for p in PATTERNS if p.key == name) if one_cadence and name in _KEYS else Fraction(1)
    return replace(
        base, kind=kind, field_order=order, confidence=_capped(confidence, lossy), agreeing=sum(one.agreeing for one in ours),
        pictures=pictures, pattern=name if one_cadence else "",
    )  # fmt: skip


_WITHOUT_TEETH = (Class.WHOLE, Class.JOIN_T, Class.JOIN_B)
_KEYS = {pattern.key for pattern in PATTERNS}


def _mean(pairs: Iterable[tuple[float, float]]) -> float:
    kept = [(value, max(weight, 1e-9)) for value, weight in pairs]
    return sum(value * weight for value, weight in kept) / sum(weight for _, weight in kept) if kept else 0.0


def _capped(confidence: float, lossy: bool) -> float:
    return min(confidence, _MOST_LOSSY if lossy else _MOST_CONFIDENCE)


def _long_enough(pattern: NDArray[np.int64]) -> list[tuple[int, int, int]]:
    """Runs of the path; those too short go to the run before (or, at the start, after)."""
    kept: list[tuple[int, int, int]] = []
    for value, first, end in runs_of(pattern):
        if kept and (end - first < _SHORTEST or kept[-1][0] == value):
            kept[-1] = (kept[-1][0], kept[-1][1], end)
        elif kept and kept[-1][2] - kept[-1][1] < _SHORTEST:
            kept[-1] = (value, kept[-1][1], end)
        else:
            kept.append((value, first, end))
    return kept


def _segment(
    found: Values, telling: NDArray[np.bool_], agree: NDArray[np.bool_], first: int, end: int, pattern: int, *, lossy: bool
) -> Segment:
    row = PATTERNS[pattern]
    informative, agreeing = int(telling[first:end].sum()), int(agree[first:end].sum())
    if informative < MIN_INFORMATIVE or row.kind == "undetermined":
        return Segment(first, end, "undetermined", None, 1 - informative / (2 * max(MIN_INFORMATIVE, informative)), informative, row.key)
    chance = _chance(found, first, end, row.kind, row.order, lossy=lossy)
    if chance < _LEAST_CONFIDENCE:
        return Segment(first, end, "undetermined", None, 1 - chance, informative, row.key, agreeing)
    return Segment(first, end, row.kind, row.order, _capped(chance, lossy), informative, row.key, agreeing)


def _chance(found: Values, first: int, end: int, kind: str, order: FieldOrder | None, *, lossy: bool) -> float:
    """How likely these frames are of this kind and order: of the surest piece, since pieces of one run agree by the path."""
    best = 0.0
    same = np.array([one.kind == kind and one.order == order for one in PATTERNS])
    for start in range(first, end, _LONGEST_PIECE):
        chances = pattern_chances(found[start : min(end, start + _LONGEST_PIECE)], lossy=lossy)
        best = max(best, float(chances[same].sum()))
        if best > _MOST_CONFIDENCE:
            break
    return best


def _joined(segments: list[Segment]) -> list[Segment]:
    """Neighbours of one kind become one segment."""
    kept: list[Segment] = []
    for one in segments:
        last = kept[-1] if kept else None
        if last and (last.kind, last.field_order, last.pattern) == (one.kind, one.field_order, one.pattern):
            kept[-1] = replace(
                last, end=one.end, confidence=max(last.confidence, one.confidence),
                informative=last.informative + one.informative, agreeing=last.agreeing + one.agreeing,
            )  # fmt: skip
        else:
            kept.append(one)
    return kept


def _agreeing(found: Values, classes: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Frames whose class on the path is about as likely as any."""
    if not len(found):
        return np.zeros(0, np.bool_)
    return np.asarray(found[np.arange(len(found)), classes] >= found.max(axis=1) - np.log(4))


def _votes(pattern: NDArray[np.int64], telling: NDArray[np.bool_], found: Values) -> NDArray[np.int8]:
    by_pattern = np.array([_vote_of(p.kind, p.order) for p in PATTERNS], np.int8)
    return np.where(telling, by_pattern[pattern], np.int8(Vote.NOTHING)).astype(np.int8)


def _vote_of(kind: str, order: FieldOrder | None) -> Vote:
    if kind == "interlaced":
        return Vote.TOP_FIRST if order is FieldOrder.TFF else Vote.BOTTOM_FIRST
    return {"progressive": Vote.PROGRESSIVE, "repeats": Vote.REPEATS, "undetermined": Vote.UNCLEAR, "blended": Vote.BLENDED}.get(
        kind, Vote.FILM
    )


def kind_at(segments: Sequence[Segment], frame: int) -> str:
    """The kind of the segment that a frame stands in."""
    return next((one.kind for one in segments if one.first <= frame < one.end), "undetermined")


def _best_frame(found: Values, evidence: Evidence, classes: NDArray[np.int64], segments: Sequence[Segment], kind: str) -> int | None:
    """The frame that speaks most clearly for the verdict: its class against the best other, times how much moves."""
    if not len(found):
        return None
    at = np.arange(len(found))
    others = found.copy()
    others[at, classes] = -np.inf
    clear = np.clip(found[at, classes] - others.max(axis=1), -5, 5)
    score = np.exp(clear / 2) * np.sqrt(np.maximum(evidence.motion, 0))
    inside = np.zeros(len(found), np.bool_)
    for one in segments:
        inside[one.first : one.end] |= one.kind == kind or kind in {"mixed", "undetermined"}
    inside &= evidence.telling & (classes != int(Class.REPEAT))
    # Film has whole pictures between the combed ones; eyes are convinced by teeth.
    combed = inside & ~np.isin(classes, _WITHOUT_TEETH)
    score[~(combed if combed.any() else inside)] = 0
    return int(score.argmax()) if score.max() > 0 else None


def share_confidence(segments: Sequence[Segment], whole: ScanVerdict, *, seen: float = 0.0) -> float:
    """How likely it is that nine tenths of a take are as the windows say, of which only some were seen.

    The posterior of a share under a flat prior is a beta distribution; it goes for the part that was not seen. Source: Gelman et
    al., Bayesian Data Analysis, section 2.1 (from memory).

    Parameters
    ----------
    seen : share of the take's frames that stand in the windows, 0…1.
    """
    from scipy.special import betainc

    if whole.kind in {"mixed", "undetermined"}:
        return 1.0
    told = [one for one in segments if one.kind != "undetermined"]
    agreeing = sum(one.kind == whole.kind and one.field_order == whole.field_order for one in told)
    needed = _NAMES_THE_WHOLE - seen * agreeing / max(1, len(told))
    if needed <= 0:
        return 1.0
    return 1.0 - float(betainc(1 + agreeing, 1 + len(told) - agreeing, min(1.0, needed / max(1e-9, 1 - seen))))
