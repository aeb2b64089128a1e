"""The JSON documents of the command line that are not the core's own."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.cli.capture_documents import CaptureDocument, CutDocument, SourcesDocument
from yomikomi.cli.path_documents import DiagnoseDocument, EquipmentDocument, PathsDocument
from yomikomi.cli.planning_documents import ImportDocument, ReckonDocument, ShelfDocument, TitlesDocument
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.capture.sync import SyncResult
from yomikomi.core.capture.trial import TrialResult
from yomikomi.core.reading.models import Reading
from yomikomi.core.run.copying import CopyResult


class CopyDocument(CopyResult):
    """``yomikomi copy``: the result, and the prediction where there was one."""

    predicted: Prediction | None = Field(default=None, description="only with --predict")


class SimulateDocument(BaseModel):
    """``yomikomi simulate``: what was put in."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    truth: dict[str, Any] = Field(description="standard, scan, rate, faults, shots, dropouts, sound")


DOCUMENTS: dict[str, type[BaseModel]] = {
    "read": Reading,
    "predict": Prediction,
    "copy": CopyDocument,
    "simulate": SimulateDocument,
    "trials": TrialSet,
    "titles": TitlesDocument,
    "reckon": ReckonDocument,
    "shelf": ShelfDocument,
    "import": ImportDocument,
    "path": PathsDocument,
    "diagnose": DiagnoseDocument,
    "equipment": EquipmentDocument,
    "capture": CaptureDocument,
    "sources": SourcesDocument,
    "synctest": SyncResult,
    "trial": TrialResult,
    "cut": CutDocument,
    "join": CutDocument,
    "merge": CutDocument,
}
