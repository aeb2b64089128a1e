"""A traced path in words: for the head of the station, for a list, and whole, for a screen reader or a terminal."""

from __future__ import annotations

from collections.abc import Iterator

from yomikomi.core.path.findings import STRANDS, Finding, Strand, the
from yomikomi.core.path.rates import Flow
from yomikomi.core.path.structure import Setup
from yomikomi.core.path.trace import LinkReport, Trace
from yomikomi.core.video.units import bit_rate_text
from yomikomi.core.work.text import capital

STRAND_WORDS: dict[Strand, str] = {
    "picture": "picture", "sound": "sound", "screen": "the screen's picture", "ears": "sound in the headphones", "commentary": "commentary",
}  # fmt: skip
_NAMED: dict[Strand, str] = {"screen": "the screen's picture"}  # with an article of its own
_POWER_WORDS = {"mains": "mains", "bus": "fed by its data plug", "battery": "battery or adapter", "none": "needs none"}


def headline(traced: Trace) -> tuple[str, str]:
    """One sentence of what is so, and what to do about it."""
    if traced.breaks:
        first = traced.breaks[0]
        lost = " and ".join(_NAMED.get(strand, f"the {STRAND_WORDS[strand]}") for strand in first.strands[:2])
        verb = "are" if len(first.strands) > 1 else "is"
        if first.effect.get("stops_after") is not None and "picture" not in first.effect:
            return f"The recording stops by itself: {place_words(traced.setup, first)}.", f"{first.cause} {first.remedy}"
        if first.effect.get("drops"):
            return f"Frames will be lost {place_words(traced.setup, first)}.", f"{first.cause} {first.remedy}"
        return f"{capital(lost)} {verb} lost {place_words(traced.setup, first)}.", f"{first.cause} {first.remedy}"
    costs = traced.degradations
    if costs:
        return f"The path is whole. {costs[0].cause}", costs[0].remedy + (f" · {len(costs) - 1} more to look at" if len(costs) > 1 else "")
    return "The path is whole: picture, sound and power arrive.", "Prove it with the carrier before the take"


def place_words(setup: Setup, finding: Finding) -> str:
    if finding.link is not None:
        return f"between {the(setup.words(finding.link.source))} and {the(setup.words(finding.link.target))}"
    return f"at {the(setup.words(finding.place))}"


def flow_words(flow: Flow) -> str:
    """``166 Mb/s of 320: 1.9×``; empty for analogue links."""
    if flow.needed is None or flow.payload is None or flow.margin is None:
        return ""
    return f"{bit_rate_text(flow.needed * 1e6)} of {bit_rate_text(flow.payload * 1e6)}: {flow.margin:.1f}×"


def power_words(setup: Setup, piece: str) -> str:
    return _POWER_WORDS[setup.kind(piece).power]


def told(traced: Trace) -> list[str]:
    """Everything that the drawing shows, line by line."""
    return [*_strands(traced), *_power(traced), *_findings(traced)]


def _strands(traced: Trace) -> Iterator[str]:
    setup = traced.setup
    for strand in STRANDS:
        reports = [one for one in traced.links if one.strand == strand]
        if not reports:
            continue
        yield f"{capital(STRAND_WORDS[strand])}:"
        for one in reports:
            yield f"  {link_words(setup, one)}"


def link_words(setup: Setup, report: LinkReport) -> str:
    link = report.link
    cable = "its own cable" if link.cable == "" else f"the {setup.words(link.cable)}" if link.cable else "no cable"
    state = {"fine": "", "tinted": ", spoilt on the way", "broken": ": BREAKS HERE", "dead": ": nothing comes this far"}[report.state]
    rate = flow_words(report.flow)
    way = f"{setup.words(link.source)}, {setup.port_out(link).words} → {setup.words(link.target)}, {setup.port_in(link).words}"
    return f"{way}, by {cable}: {report.words}{', ' + rate if rate else ''}{state}"


def _power(traced: Trace) -> Iterator[str]:
    setup = traced.setup
    yield "Power:"
    for piece in setup.path.devices:
        kind = setup.kind(piece)
        if kind.power != "none":
            off = setup.options.get((piece, "power")) == "off"
            yield f"  {setup.words(piece)}: {power_words(setup, piece)}{': OFF' if off else ''}"


def _findings(traced: Trace) -> Iterator[str]:
    names = {"break": "breaks", "degrade": "spoils", "risk": "may fail", "note": "to know"}
    for one in traced.findings:
        yield f"{names[one.weight]}: {one.cause} {one.remedy}"
