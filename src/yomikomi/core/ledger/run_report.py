"""The morning report: what was made, what failed and why, what comes next; as a sentence, as a document, as a page."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from pydantic import BaseModel, Field

from yomikomi.core.ledger.run_outlook import total_bytes
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.new_file import write_small

# Without a word from a person, what ended within so many hours is reported: an evening, a night and a morning.
USUAL_HOURS = 16.0
GOOD = {"verified"}
_WORDS = {"verified": "verified", "doubtful": "a check failed", "failed": "failed", "kept": "kept, not verified", "cancelled": "stopped"}


class ReportLine(BaseModel):
    """A copy. ``note``: why it failed, or what is to be said of a good one."""

    carrier: str
    copy_name: str
    recipe: str
    state: str
    size_bytes: int | None = None
    predicted_bytes: float | None = None
    encode_seconds: float | None = None
    ended_at: str | None = None
    note: str = ""


class RunReport(BaseModel):
    """``yomikomi run report``: what ended since a moment, and what is left."""

    schema_version: int = 1
    since: str
    sentence: str
    next_step: str
    verified: int
    need_person: int
    left: int
    total_bytes: int = Field(description="of all copies that were made")
    over_prediction: float | None = Field(description="what they came to beyond what was predicted, as a part of it; None: not predicted")
    lines: list[ReportLine]


def make_report(rows: Iterable[RunRow], since: datetime) -> RunReport:
    """``since``: with its zone."""
    found = list(rows)
    edge = since.astimezone(UTC).isoformat(timespec="seconds")
    ended = sorted((row for row in found if not row.live and (row.ended_at or "") >= edge), key=lambda row: row.ended_at or "")
    left = [row for row in found if row.live]
    made = [row for row in ended if row.state != "cancelled"]
    good, bad = [row for row in made if row.state in GOOD], [row for row in made if row.state not in GOOD]
    size, ratio = total_bytes(made)
    predicted = any(row.sizes is not None and row.size for row in made)
    return RunReport(
        since=edge, sentence=_sentence(made, good, bad, size, ratio if predicted else None), next_step=_next(bad, left),
        verified=len(good), need_person=len(bad), left=len(left), total_bytes=size,
        over_prediction=round(ratio - 1, 4) if predicted else None, lines=[_line(row) for row in ended],
    )  # fmt: skip


def usual_since(now: datetime) -> datetime:
    return now - timedelta(hours=USUAL_HOURS)


def _sentence(made: list[RunRow], good: list[RunRow], bad: list[RunRow], size: int, ratio: float | None) -> str:
    if not made:
        return "Nothing was made."
    parts = [f"{len(good)} of {counted(len(made), 'copy', 'copies')} verified"]
    if bad:
        why = bad[0].trouble or _WORDS.get(bad[0].state, bad[0].state)
        parts.append(f"{counted(len(bad), 'needs', 'need')} a person ({bad[0].carrier}: {why.rstrip('.')})")
    told = size_text(size)
    if ratio is not None and abs(ratio - 1) >= 0.005:
        told += f", {100 * abs(ratio - 1):.0f} % {'over' if ratio > 1 else 'under'} the prediction"
    return "; ".join([*parts, told]) + "."


def _next(bad: list[RunRow], left: list[RunRow]) -> str:
    if bad:
        return f"Next: look at {bad[0].carrier} in Run."
    if left:
        return f"Next: {counted(len(left), 'copy is', 'copies are')} left to make."
    return "Next: look at the copies in the Ledger."


def _line(row: RunRow) -> ReportLine:
    return ReportLine(
        carrier=row.carrier, copy_name=row.name, recipe=row.recipe, state=row.state, size_bytes=row.size,
        predicted_bytes=row.sizes.expected if row.sizes is not None else None, encode_seconds=row.took, ended_at=row.ended_at,
        note=row.trouble,
    )  # fmt: skip


def report_words(report: RunReport) -> str:
    """For a terminal."""
    lines = [
        f"  {_WORDS.get(one.state, one.state):<20} {one.carrier:<10} {one.copy_name}"
        + (f", {size_text(one.size_bytes)}" if one.size_bytes else "") + (f" ({one.note})" if one.note else "")
        for one in report.lines
    ]  # fmt: skip
    return "\n".join([report.sentence, report.next_step, *lines])


_PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Run report</title><style>
body{font:15px/1.5 "IBM Plex Sans",sans-serif;background:#ECEBE7;color:#22252B;max-width:60rem;margin:2rem auto;padding:0 1rem}
h1{font-size:1.5rem;margin:0}p{color:#5F6268;margin:.2rem 0 1.2rem}table{border-collapse:collapse;width:100%;background:#F7F6F3}
td,th{text-align:left;padding:.35rem .6rem;border-top:1px solid #C9C6BE;vertical-align:top}th{color:#5F6268;font-weight:400}
.n{text-align:right;font-family:"IBM Plex Mono",monospace;font-size:.85em;white-space:nowrap}
</style></head><body><h1>{{ r.sentence }}</h1><p>{{ r.next_step }} Since {{ since }}.</p>
<table><tr><th>State</th><th>Carrier</th><th>Copy</th><th>Recipe</th><th class="n">Size</th><th class="n">Predicted</th>
<th class="n">Time</th><th>Note</th></tr>{% for one in r.lines %}<tr>
<td>{{ signs[one.state] }} {{ words[one.state] }}</td><td>{{ one.carrier }}</td><td>{{ one.copy_name }}</td>
<td>{{ one.recipe }}</td><td class="n">{{ size(one.size_bytes) }}</td>
<td class="n">{{ size(one.predicted_bytes) }}</td><td class="n">{{ took(one.encode_seconds) }}</td><td>{{ one.note }}</td></tr>{% endfor %}
</table></body></html>
"""
# As marks are in the window: by shape, not by colour.
_SIGNS = {"verified": "●", "doubtful": "■", "failed": "■", "kept": "▲", "cancelled": "▲"}


def report_page(report: RunReport) -> str:
    """HTML. Everything in it is escaped: names may hold anything."""
    from jinja2 import Environment

    since = datetime.fromisoformat(report.since).astimezone()
    return Environment(autoescape=True).from_string(_PAGE).render(
        r=report, since=f"{since:%Y-%m-%d %H:%M}", signs=_SIGNS, words=_WORDS,
        size=lambda found: size_text(found) if found else "–", took=lambda found: spoken(found) if found else "–",
    )  # fmt: skip


def write_report(report: RunReport, path: Path, *, over: bool = False) -> None:
    """HTML, or JSON by the name's ending. Errors: see :func:`write_small`."""
    content = report.model_dump_json(indent=1) if path.suffix.lower() == ".json" else report_page(report)
    write_small(path, content.encode(errors="replace"), over=over)
