"""From trials of some segments to the whole take.

Size: the certain segments as they are, plus a ratio estimate of the rest: complexity of the rest times encoded bytes
per byte of complexity, each drawn segment weighted by the inverse of its probability (Hájek's estimator), in two phases
where one recipe was tried on more segments than the others. The interval is from the residuals; 90 %.
Source: Särndal, Swensson, Wretman, Model Assisted Survey Sampling, sections 7.3 and 9.8 (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from yomikomi.core.balance.detail import IDENTICAL_DB, detail_db
from yomikomi.core.balance.metrics import psnr_db, ssim_db
from yomikomi.core.balance.models import Detail, Estimate
from yomikomi.core.balance.segments import Plan, Segment
from yomikomi.core.balance.trial import Trial
from yomikomi.core.balance.viewing import VIEWINGS, Viewing

Pair = tuple[Segment, Trial]

# Relative half-widths that no interval goes below: what trials cannot see (rate control over a whole take, drawn takes
# measured in bench/), for takes tried whole and for takes tried in parts.
_FLOOR_WHOLE, _FLOOR_PARTS = 0.03, 0.06
# Time depends on what else the machine does; measured spread of copies against their predictions.
_TIME_LOW, _TIME_HIGH = 0.75, 1.8
# In a copy, decoding and treating partly overlap with encoding, in a trial they do not: copies took 0.72 of the sum of
# both on an idle machine with two processors, 0.85 and more beside other work (docs/science.md).
_OVERLAP = 0.8


@dataclass(frozen=True)
class Anchor:
    """The recipe of a codec that was tried on more segments: its trials on the planned segments, and on the others."""

    pairs: Sequence[Pair]
    more: Sequence[Pair]

    def everywhere(self, plan: Plan) -> list[Pair]:
        """All its trials, each segment with the probability of being drawn at all."""
        planned = [(s if s.certain else replace(s, inclusion=min(1.0, s.inclusion / plan.kept)), t) for s, t in self.pairs]
        return [*planned, *self.more]


def picture_bytes(pairs: Sequence[Pair], plan: Plan, *, total_complexity: int, key_bytes: float, anchor: Anchor | None = None) -> Estimate:
    """Bytes of the picture of the whole take.

    Parameters
    ----------
    key_bytes : what periodic key frames add beyond those in the segments.
    anchor : with it, the take is sized by the anchor's bytes per complexity on all segments drawn, and the recipe by its
        bytes per byte of the anchor's on those that both were tried on.
    """
    if plan.whole or len(pairs) == 1:
        exact = float(sum(trial.counted_bytes for _, trial in pairs))
        if not plan.whole:  # the first of several segments is in: a first guess
            return _around(exact / max(1, pairs[0][0].complexity) * total_complexity, 0.6)
        return _around(exact, _FLOOR_WHOLE)
    drawn = [(s, t) for s, t in pairs if not s.certain]
    complete = len(pairs) == len(plan.segments)
    if not complete or len(drawn) < 2:
        ratios = [t.counted_bytes / s.complexity for s, t in pairs]
        expected = total_complexity * float(np.mean(ratios)) + key_bytes
        spread = float(np.std(ratios)) / max(1e-9, float(np.mean(ratios)))
        return _around(expected, min(0.6, max(0.15, 2 * spread)))
    certain = sum(t.counted_bytes for s, t in pairs if s.certain)
    if anchor is None or not anchor.more:
        ratio, half = _ratio([s.complexity for s, _ in drawn], drawn, [s.inclusion for s, _ in drawn])
    else:
        ratio, half = _two_phases(drawn, plan, anchor)
    expected = certain + plan.drawn_from * ratio + key_bytes
    share = plan.drawn_from * ratio / max(1.0, expected)
    return _around(expected, min(0.6, math.hypot(half * share, _FLOOR_PARTS)))


def _two_phases(drawn: Sequence[Pair], plan: Plan, anchor: Anchor) -> tuple[float, float]:
    """Bytes per complexity of a recipe by way of the anchor, and the relative half-width of its interval."""
    everywhere = [(s, t) for s, t in anchor.everywhere(plan) if not s.certain]
    size, size_half = _ratio([s.complexity for s, _ in everywhere], everywhere, [s.inclusion for s, _ in everywhere])
    anchored = {s.first: t.counted_bytes for s, t in everywhere}
    # Of the units drawn, those tried with every recipe are a sample again: its own finite share is left out (wider).
    weights = [min(1.0, s.inclusion / plan.kept) for s, _ in drawn]
    correction, half = _ratio([anchored[s.first] for s, _ in drawn], drawn, weights, finite=False)
    return size * correction, math.hypot(size_half, half)


def _ratio(x: Sequence[float], pairs: Sequence[Pair], inclusions: Sequence[float], *, finite: bool = True) -> tuple[float, float]:
    """Bytes per unit of ``x`` by Hájek's ratio, and the relative half-width of its nine-in-ten interval."""
    from scipy.special import stdtrit  # takes a fifth of a second to load

    pi, base = np.array(inclusions, float), np.array(x, float)
    y = np.array([t.counted_bytes for _, t in pairs], float)
    weights = 1 / pi
    ratio = float((weights * y).sum() / max(1.0, (weights * base).sum()))
    # Units drawn for certain have no sampling error.
    open_share = 1 - pi if finite else np.ones(len(pi))
    residual = weights * (y - ratio * base)
    n = len(pairs)
    variance = n / (n - 1) * float((open_share * residual**2).sum())
    return ratio, float(stdtrit(n - 1, 0.95)) * math.sqrt(variance) / max(1.0, float((weights * y).sum()))


def periodic_key_bytes(pairs: Sequence[Pair], *, frames: int, key_distance: int) -> float:
    """What the key frames of long shots add: a segment is too short for one to come by itself.

    With cuts coming at random at a rate c a frame, key frames that nothing but the distance G forces come at the rate
    c / (e^(cG) − 1): the renewal rate of gaps that reach G.
    """
    keyed = [(s, t) for s, t in pairs if t.key_bytes and t.counted_frames]
    if not keyed:
        return 0.0
    counted = sum(t.counted_frames for _, t in pairs)
    cut_rate = sum(t.inner_keys for _, t in pairs) / max(1, counted)
    x = cut_rate * key_distance
    per_frame = (cut_rate / math.expm1(x)) if x > 1e-6 else 1 / key_distance
    extra = float(np.median([t.key_bytes - t.counted_bytes / t.counted_frames for _, t in keyed]))
    return max(0.0, per_frame * frames * extra)


def detail(pairs: Sequence[Pair], plan: Plan, anchor: Anchor | None = None) -> Detail | None:
    """Detail and noise kept over the take; None where nothing could be judged. With an anchor, detail is shifted as SSIM is."""
    here = _mean_seen(pairs)
    if not here:
        return None
    found = {viewing: detail_db(error) for viewing, error in here.items()}
    if anchor is not None and anchor.more:
        planned, everywhere = _mean_seen(anchor.pairs), _mean_seen(anchor.everywhere(plan))
        for viewing in found if planned and everywhere else ():
            found[viewing] += detail_db(everywhere[viewing]) - detail_db(planned[viewing])
    kept = [(s.frames / s.inclusion, t.judged.noise_kept) for s, t in pairs if t.judged and t.judged.noise_kept is not None]
    noise = sum(weight * part for weight, part in kept) / sum(weight for weight, _ in kept) if kept else None
    decibels = {viewing: round(min(IDENTICAL_DB, value), 3) for viewing, value in found.items()}
    return Detail(**decibels, noise_kept=None if noise is None else round(noise, 3))


def _mean_seen(pairs: Sequence[Pair]) -> dict[Viewing, float]:
    """Mean square difference that is seen over the take at each way of watching; empty where nothing was judged."""
    judged = [(s.frames / s.inclusion, t.judged.seen) for s, t in pairs if t.judged]
    total = sum(weight for weight, _ in judged)
    return {viewing: sum(weight * seen[viewing] for weight, seen in judged) / total for viewing in VIEWINGS} if judged else {}


def sample_fidelity(pairs: Sequence[Pair], plan: Plan, anchor: Anchor | None = None) -> tuple[float, float]:
    """SSIM and PSNR over the take, both in decibels.

    With an anchor, shifted by what the anchor's fidelity on all segments drawn differs from that on the planned ones.
    """
    ssim, mse = _mean_fidelity(pairs)
    found, noise = ssim_db(ssim), psnr_db(mse)
    if anchor is not None and anchor.more:
        here, everywhere = _mean_fidelity(anchor.pairs), _mean_fidelity(anchor.everywhere(plan))
        found += ssim_db(everywhere[0]) - ssim_db(here[0])
        noise += psnr_db(everywhere[1]) - psnr_db(here[1])
    return found, noise


def _mean_fidelity(pairs: Sequence[Pair]) -> tuple[float, float]:
    """Mean SSIM and mean squared error over the take."""
    weights = np.array([s.frames / s.inclusion for s, _ in pairs])
    weights /= weights.sum()
    return (
        float((weights * [t.ssim for _, t in pairs]).sum()),
        float((weights * [t.mse for _, t in pairs]).sum()),
    )


def encode_seconds(pairs: Sequence[Pair], *, frames: int, treat_seconds_per_frame: float) -> Estimate:
    """Wall-clock time of a copy with nobody else at work: treating and encoding share the processors, and overlap in part."""
    weights = np.array([s.frames / s.inclusion for s, _ in pairs])
    each = float((weights * [t.seconds_per_frame * t.quiet_part for _, t in pairs]).sum() / weights.sum())
    quiet = float(np.mean([t.quiet_part for _, t in pairs]))
    expected = _OVERLAP * frames * (each + quiet * treat_seconds_per_frame) + 0.5
    return Estimate(expected=expected, low=expected * _TIME_LOW, high=expected * _TIME_HIGH)


def add_bytes(estimate: Estimate, more: float) -> Estimate:
    return Estimate(expected=round(estimate.expected + more), low=round(estimate.low + more), high=round(estimate.high + more))


def _around(expected: float, half: float) -> Estimate:
    return Estimate(expected=expected, low=expected * (1 - half), high=expected * (1 + half))
