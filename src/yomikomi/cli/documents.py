"""The JSON documents of the command line that are not the core's own."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.cli.capture_documents import CaptureDocument, CutDocument, SourcesDocument
from yomikomi.cli.path_documents import DiagnoseDocument, EquipmentDocument, PathsDocument
from yomikomi.cli.planning_documents import ImportDocument, ReckonDocument, ShelfDocument, TitlesDocument
from yomikomi.cli.treatment_documents import AdviseDocument
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.capture.sync import SyncResult
from yomikomi.core.capture.trial import TrialResult
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.sentences import Origin, findings
from yomikomi.core.run.copying import CopyResult
from yomikomi.core.run.rendering import Rendered
from yomikomi.core.treatment.model import Treatment


class CopyDocument(CopyResult):
    """``yomikomi copy``: the result, and the prediction where there was one."""

    predicted: Prediction | None = Field(default=None, description="only with --predict")


class FindingDocument(BaseModel):
    """One verdict, as the window shows it on a card."""

    model_config = ConfigDict(frozen=True)

    topic: str
    mark: str = Field(description="fine, check, fault, undetermined")
    title: str
    certainty: str
    reason: str
    advice: str
    frame: int | None = Field(description="the frame that shows it best")
    frames: list[int]


class ProposalDocument(BaseModel):
    """What is to be done about a finding: handed to the Treatment."""

    model_config = ConfigDict(frozen=True)

    key: str
    words: str
    topic: str
    amount: list[float]


class ReadDocument(Reading):
    """``yomikomi read``: the reading, and what follows from it."""

    findings: list[FindingDocument] = Field(description="what matters most for the copy first")
    proposals: list[ProposalDocument]

    @classmethod
    def of(cls, reading: Reading, origin: Origin = Origin.FILE) -> ReadDocument:
        cards = findings(reading, origin)
        return cls(
            **reading.model_dump(),
            findings=[
                FindingDocument(
                    topic=c.topic, mark=c.mark.value, title=c.title, certainty=c.certainty, reason=c.reason, advice=c.advice,
                    frame=c.frame, frames=list(c.frames),
                ) for c in cards
            ],
            proposals=[
                ProposalDocument(key=p.key, words=p.words, topic=p.topic, amount=list(p.amount)) for p in proposals(reading, cards)
            ],
        )  # fmt: skip


class CompareRow(BaseModel):
    model_config = ConfigDict(frozen=True)

    topic: str
    first: str
    second: str
    better: str = Field(description="first, second, alike")
    by: str


class CompareDocument(BaseModel):
    """``yomikomi compare``: two takes of one carrier."""

    model_config = ConfigDict(frozen=True)

    first: str
    second: str
    better: str
    lean: float = Field(description="−1…1, positive where the second is better")
    sentence: str
    rows: list[CompareRow]


class SimulateDocument(BaseModel):
    """``yomikomi simulate``: what was put in."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    truth: dict[str, Any] = Field(description="standard, scan, rate, faults, shots, dropouts, sound")


DOCUMENTS: dict[str, type[BaseModel]] = {
    "read": ReadDocument,
    "compare": CompareDocument,
    "advise": AdviseDocument,
    "treatment": Treatment,
    "treat": Rendered,
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
