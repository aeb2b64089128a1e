"""Predicting one recipe, for the command line and before a copy."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.balance.trials import TrialProgress, TrialRequest, run_trials
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import Reporter

# One recipe costs little to try, so it is tried on more parts than each of many.
_SEGMENTS = 16


@dataclass(frozen=True)
class PredictRequest:
    path: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe
    segments: int = _SEGMENTS
    viewing: Viewing = "television"


def predict(request: PredictRequest, reporter: Reporter) -> Prediction:
    """Try one recipe on parts of a take and raise the result to the whole."""
    trials = run_trials(
        TrialRequest(request.path, request.reading, request.treatment, (request.recipe,), segments=request.segments), reporter
    )
    return trials.points[0].prediction(trials, viewing=request.viewing)


__all__ = ["PredictRequest", "TrialProgress", "predict"]
