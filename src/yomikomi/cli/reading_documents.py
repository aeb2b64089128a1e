"""What the commands of reading answer."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.sentences import Origin, findings


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
