"""The JSON documents of ``path``, ``diagnose`` and ``equipment``."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pydantic import BaseModel, ConfigDict, Field

if TYPE_CHECKING:
    from yomikomi.core.path.diagnosis import Diagnosis
    from yomikomi.core.path.findings import Finding
    from yomikomi.core.path.ranking import Ranked
    from yomikomi.core.path.structure import Setup
    from yomikomi.core.path.trace import LinkReport, Trace


class _Document(BaseModel):
    model_config = ConfigDict(frozen=True)


class LinkDocument(_Document):
    """One strand over one link."""

    strand: str = Field(description="picture, sound, screen, ears or commentary")
    source: str = Field(description="id of the piece it leaves")
    output: str
    target: str = Field(description="id of the piece it enters")
    input: str
    cable: str | None = Field(description="id of the cable; empty: the device's own; null: there is none")
    state: str = Field(description="fine, tinted (spoilt on the way), broken, or dead (nothing comes this far)")
    carries: str
    needed_mbps: float | None
    payload_mbps: float | None
    margin: float | None

    @classmethod
    def of(cls, setup: Setup, report: LinkReport) -> LinkDocument:
        link, flow = report.link, report.flow
        return cls(
            strand=report.strand, source=link.source, output=setup.port_out(link).connector, target=link.target,
            input=setup.port_in(link).connector, cable=link.cable, state=report.state, carries=report.words,
            needed_mbps=_rounded(flow.needed), payload_mbps=_rounded(flow.payload), margin=_rounded(flow.margin),
        )  # fmt: skip


class FindingDocument(_Document):
    rule: str
    weight: str = Field(description="break, degrade, risk or note")
    strands: list[str]
    place: str = Field(description="id of the device or cable")
    cause: str
    remedy: str

    @classmethod
    def of(cls, one: Finding) -> FindingDocument:
        return cls(rule=one.rule, weight=one.weight, strands=list(one.strands), place=one.place, cause=one.cause, remedy=one.remedy)


class SideDocument(_Document):
    value: float = Field(ge=0, le=1)
    because: str


class PathDocument(_Document):
    rank: int
    score: float = Field(ge=0, le=100)
    mark: str
    route: str
    reasons: list[str]
    breaks: list[FindingDocument]
    findings: list[FindingDocument] = Field(description="everything found, the breaks too")
    links: list[LinkDocument]
    symptoms: list[str] = Field(description="faults that will show in picture or sound")
    sides: dict[str, SideDocument]

    @classmethod
    def of(cls, one: Ranked, traced: Trace, symptoms: list[str]) -> PathDocument:
        from yomikomi.core.path.ranking import route_words

        return cls(
            rank=one.place, score=round(one.score, 2), mark=traced.mark, route=route_words(traced.setup), reasons=list(one.reasons),
            breaks=[FindingDocument.of(finding) for finding in traced.breaks],
            findings=[FindingDocument.of(finding) for finding in traced.findings],
            links=[LinkDocument.of(traced.setup, report) for report in traced.links], symptoms=symptoms,
            sides={key: SideDocument(value=round(side.value, 4), because=side.because) for key, side in one.sides.items()},
        )  # fmt: skip


class ImprovementDocument(_Document):
    adds: list[str] = Field(description="kinds of equipment")
    score: float
    words: str


class PathsDocument(_Document):
    """``yomikomi path``."""

    carrier: str
    format: str
    pieces: int
    paths: list[PathDocument] = Field(description="best first")
    improvements: list[ImprovementDocument]


class SuspectDocument(_Document):
    cause: str
    remedy: str
    probability: float = Field(ge=0, le=1)
    piece: str | None
    setting: str | None


class TestDocument(_Document):
    __test__ = False

    key: str
    question: str
    how: str
    minutes: float
    answers: list[str]
    expected_bits: float


class DiagnoseDocument(_Document):
    """``yomikomi diagnose``."""

    route: str
    seen: list[str]
    answered: dict[str, str]
    suspects: list[SuspectDocument] = Field(description="most probable first; the probabilities sum to 1")
    next_test: TestDocument | None = Field(description="null when one cause is nearly certain, or no test separates them")

    @classmethod
    def of(cls, route: str, hunt: Diagnosis) -> DiagnoseDocument:
        test = hunt.next_test()
        return cls(
            route=route, seen=sorted(hunt.seen), answered=dict(hunt.answers),
            suspects=[
                SuspectDocument(
                    cause=one.cause.words, remedy=one.cause.remedy, probability=one.probability,
                    piece=one.cause.knob[0] if one.cause.knob else None, setting=one.cause.knob[1] if one.cause.knob else None,
                )
                for one in hunt.suspects()
            ],
            next_test=TestDocument(
                key=test.key, question=test.question, how=test.how, minutes=test.minutes, answers=list(test.answers),
                expected_bits=round(hunt.expected_bits(test), 4),
            ) if test else None,
        )  # fmt: skip


class KindDocument(_Document):
    key: str
    words: str
    role: str
    plays: list[str]
    inputs: list[str]
    outputs: list[str]


class EquipmentDocument(_Document):
    """``yomikomi equipment``."""

    kinds: list[KindDocument]


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)
