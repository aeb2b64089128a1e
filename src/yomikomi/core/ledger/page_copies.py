"""What a carrier's page says of copies: as predicted, as they came out, their checks, and what people saw."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from yomikomi.core.balance.models import Fidelity
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.page_entry import Entry, EntryMark
from yomikomi.core.ledger.schema import LookRow
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import counted, signed_text, size_text

_MARKS: dict[str, EntryMark] = {"verified": "fine", "kept": "check", "doubtful": "fault", "failed": "fault", "cancelled": "check"}
_STATES = {"doubtful": "a check failed", "kept": "kept although a check failed", "failed": "failed", "cancelled": "cancelled"}
_LOOKED: dict[str, EntryMark] = {"good": "fine", "poor": "check", "wrong": "fault"}


def copy_entries(copy: CopyView, looks: Sequence[LookRow]) -> Iterator[Entry]:
    """The copy as it was asked for or came out, and each time a person looked at it."""
    state = _STATES.get(copy.state, copy.state)
    yield Entry(
        at=copy.ended_at or copy.asked_at, stage="run", head=f"Copy {copy.file.name}: {state}", lines=tuple(_lines(copy)),
        mark=_MARKS.get(copy.state, ""), take_id=copy.take_id, copy_id=copy.id,
    )  # fmt: skip
    for look in looks:
        lines = (look.note,) if look.note else ()
        yield Entry(
            at=look.at, stage="ledger", head=f"{copy.file.name} looked at, {clock(look.seconds)} ({look.why}): {look.verdict}", lines=lines,
            mark=_LOOKED.get(look.verdict, ""), take_id=copy.take_id, copy_id=copy.id,
        )  # fmt: skip


def _seen(told: Fidelity | None, made: CopyResult) -> Iterator[str]:
    actual = made.fidelity(told.viewing if told is not None else "television")
    parts = [f"{when} {one.words}" for when, one in (("predicted", told), ("actual", actual)) if one is not None]
    if actual is not None:
        yield f"fidelity: {', '.join(parts)}"


def _lines(copy: CopyView) -> Iterator[str]:
    yield copy.recipe.words + (f", for {copy.outlet.words}" if copy.outlet is not None else "")
    told, made = copy.predicted, copy.result
    if told is not None:
        size = told.size_bytes
        yield f"predicted {size_text(size.expected)}, {size_text(size.low)} to {size_text(size.high)} (90 % interval)"
    if made is None:
        if copy.trouble:
            yield copy.trouble
        return
    differs = f", {signed_text(100 * (made.size_bytes / told.size_bytes.expected - 1), plus=True)} %" if told is not None else ""
    yield f"actual {size_text(made.size_bytes)}{differs}; {clock(made.duration_seconds)} long, encoded in {spoken(made.encode_seconds)}"
    yield from _seen(told.fidelity if told is not None else None, made)
    passed = sum(check.passed for check in made.checks)
    yield f"{passed} of {counted(len(made.checks), 'check', 'checks')} passed"
    for check in made.checks:
        if not check.passed:
            yield f"failed: {check.name}, {check.found}"
    if made.reserves:
        yield f"note: {made.reserves}"
