"""Do it the same way: what was decided for an earlier carrier, put on this one as far as it has come."""

from __future__ import annotations

from dataclasses import dataclass

from yomikomi.core.errors import WrongUseError
from yomikomi.core.house.differences import Difference
from yomikomi.core.ledger.house import make_rules, prepare, take_through
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView


@dataclass(frozen=True)
class SameWay:
    """``done``: what was taken over, in words; ``differences``: where this one is not like the other, so that a person is asked;
    ``later``: what can only follow once it has come further."""

    done: tuple[str, ...]
    differences: tuple[Difference, ...] = ()
    later: str = ""


def last_like(record: Record, view: CarrierView) -> CarrierView | None:
    """The newest other carrier of its kind and format with a verified copy; None where there is none."""
    alike = [
        one for one in record.carriers()
        if one.id != view.id and (one.kind, one.standard) == (view.kind, view.standard) and one.progress == 8
    ]  # fmt: skip
    return max(alike, key=lambda one: max(copy.ended_at or "" for copy in one.copies), default=None)


def same_way(record: Record, view: CarrierView, past: CarrierView) -> SameWay:
    """Path and recording codec for one that has no take yet; treatment and copies for one that is read.

    Raises WrongUseError where the earlier one has nothing to go by.
    """
    record.workspace.check_writable()
    if view.id == past.id:
        raise WrongUseError(f"{view.label} is that carrier itself.", remedy="Choose an earlier one.")
    if view.take is None:
        return _captured(record, view, past)
    if view.judged is None:
        return SameWay((), later=f"{view.label} is not read yet: read it, then treatment and copies can follow {past.label}.")
    rules = make_rules(past, f"as {past.label}")
    found = take_through(record, view, rules)
    if found:
        return SameWay((), differences=tuple(found), later="It waits in Run, House rules, for your decision.")
    return SameWay((f"treatment and {len(rules.copies)} copies as {past.label}; the copies are in the run",))


def _captured(record: Record, view: CarrierView, past: CarrierView) -> SameWay:
    sheet = (record.paths.of_take(past.take.id) if past.take is not None else None) or past.path
    how = past.take.details.record_as if past.take is not None and past.take.origin == "captured" else None
    if sheet is None and how is None:
        raise WrongUseError(f"{past.label} was not captured, so it has no path.", remedy="Choose one that was.")
    done = prepare(record, view, sheet, how)
    return SameWay(done, later=f"Treatment and copies can follow {past.label} once it is captured and read.")
