"""The room of the record for carriers that house rules were applied to, and those of them that wait for a person."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

from sqlalchemy import func, select

from yomikomi.core.errors import WrongUseError
from yomikomi.core.house.differences import Difference
from yomikomi.core.house.learning import Answer, Proposal, proposals
from yomikomi.core.house.rules import HouseRules
from yomikomi.core.ledger.schema import Carrier, HouseCaseRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.ledger.views import CarrierView

CaseState = Literal["applied", "waiting", "accepted", "by hand", "left out"]

@dataclass(frozen=True)
class Case:
    """A carrier that rules were applied to. ``label``: of the carrier."""

    id: int
    carrier: int
    take: int
    label: str
    key: str
    rules: HouseRules
    state: str
    differences: tuple[Difference, ...]
    at: str

    @property
    def words(self) -> str:
        return "; ".join(one.words for one in self.differences)


class HouseRoom(Room):
    def cases(self, state: CaseState | None = None) -> list[Case]:
        """In the order in which they came."""
        with self._store.session() as session:
            query = select(HouseCaseRow, Carrier.label).join(Carrier, HouseCaseRow.carrier_id == Carrier.id).order_by(HouseCaseRow.id)
            if state is not None:
                query = query.where(HouseCaseRow.state == state)
            made = [self._store.maker.document(f"house case {row.id}", partial(_case, row, label)) for row, label in session.execute(query)]
            return [one for one in made if one is not None]

    def count(self, state: CaseState) -> int:
        with self._store.session() as session:
            return session.scalar(select(func.count(HouseCaseRow.id)).where(HouseCaseRow.state == state)) or 0

    def has(self, take_id: int) -> bool:
        """Whether rules were applied to a take before."""
        with self._store.session() as session:
            return session.scalar(select(HouseCaseRow.id).where(HouseCaseRow.take_id == take_id)) is not None

    def note(self, view: CarrierView, rules: HouseRules, state: CaseState, found: Sequence[Difference]) -> None:
        assert view.take is not None
        with self._store.session() as session:
            session.add(
                HouseCaseRow(
                    carrier_id=view.id, take_id=view.take.id, key=rules.key, rules=rules.model_dump(mode="json"), state=state,
                    differences=[one.model_dump(mode="json") for one in found], at=now_text(), answered_at=None,
                )
            )  # fmt: skip
            words = f"waits for a person: {'; '.join(one.words for one in found)}" if state == "waiting" else "taken through"
            self._store.note(session, view.id, f"house rules “{rules.words}”: {words}")

    def answered(self, case_id: int, state: CaseState) -> None:
        """Raises WrongUseError where it is not waiting any more."""
        with self._store.session() as session:
            row = session.get(HouseCaseRow, case_id)
            if row is None or row.state != "waiting":
                raise WrongUseError("That carrier does not wait for an answer any more.")
            row.state, row.answered_at = state, now_text()
            self._store.note(session, row.carrier_id, f"house rules: {state}")

    def proposals(self, rules: HouseRules) -> list[Proposal]:
        """What answers so far say of the rules."""
        told = [case for case in self.cases() if case.key == rules.key and case.state not in {"applied", "waiting"}]
        return proposals(rules, [Answer(tuple({one.topic for one in case.differences}), case.state == "accepted") for case in told])


def _case(row: HouseCaseRow, label: str) -> Case:
    return Case(
        row.id, row.carrier_id, row.take_id, label, row.key, HouseRules.model_validate(row.rules), row.state,
        tuple(Difference.model_validate(one) for one in row.differences), row.at,
    )  # fmt: skip
