"""From trials of some segments to fidelity and time of the whole take; its size is found in ``sizing.py``."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yomikomi.core.balance.detail import IDENTICAL_DB, detail_db
from yomikomi.core.balance.metrics import psnr_db, ssim_db
from yomikomi.core.balance.models import Detail, Estimate
from yomikomi.core.balance.segments import Plan
from yomikomi.core.balance.sizing import Anchor
from yomikomi.core.balance.trial import Pair
from yomikomi.core.balance.viewing import VIEWINGS, Viewing

# Time depends on what else the machine does; measured spread of copies against their predictions.
_TIME_LOW, _TIME_HIGH = 0.75, 1.8
# In a copy, decoding and treating partly overlap with encoding, in a trial they do not: copies took 0.72 of the sum of
# both on an idle machine with two processors, 0.85 and more beside other work (docs/science.md).
_OVERLAP = 0.8


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
