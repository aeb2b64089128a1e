"""The room of the record for raw takes that are let go: judged, moved away, brought back, gone."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import Text, cast, or_, select
from sqlalchemy.orm import Session

from yomikomi.core.errors import UnfinishedError, WrongUseError, YomikomiError
from yomikomi.core.ledger.files import RELEASED, FileRoom, Located
from yomikomi.core.ledger.ledger_rules import LedgerRules, rules_in
from yomikomi.core.ledger.schema import Carrier, Copy, FileRow, LedgerRulesRow, LocationRow, LookRow, ReleaseRow, Take
from yomikomi.core.ledger.store import Room, Store, now_text
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.release.judging import CopyFacts, Judgement, LocationFacts, TakeFacts, judge
from yomikomi.core.release.moving import Files, Move
from yomikomi.core.video.damage import damage_words
from yomikomi.core.work.drive import size_of
from yomikomi.core.work.new_file import is_taken

HOLDING = "released"
_WAITS = ("waiting", "running")
# What has not come to its end: a crash may have left its files between two places.
_BETWEEN = ("moving", "undoing")


@dataclass(frozen=True)
class Release:
    """``over``: its term is; ``can_undo``: its files can be brought back."""

    id: int
    take_id: int
    carrier_id: int
    label: str
    file: str
    state: str
    way: str
    at: str
    who: str
    until: str
    bytes: int
    over: bool

    @property
    def can_undo(self) -> bool:
        return self.state == "held"


class ReleaseRoom(Room):
    def __init__(self, store: Store, files: FileRoom) -> None:
        super().__init__(store)
        self._files = files

    def rules(self) -> LedgerRules:
        with self._store.session() as session:
            return rules_in(session)

    def save_rules(self, rules: LedgerRules) -> None:
        self._store.workspace.check_writable()
        with self._store.session() as session:
            row = session.scalar(select(LedgerRulesRow))
            if row is None:
                row = LedgerRulesRow()
                session.add(row)
            row.changed_at, row.document = now_text(), rules.model_dump(mode="json")

    def judge(self, take_id: int, now: datetime | None = None) -> Judgement:
        """By the rules as they are, and the facts as they stand on record. Raises WrongUseError for a take that is not there."""
        facts = self.facts(take_id)
        return judge(self.rules().release, facts, now or datetime.now(UTC))

    def facts(self, take_id: int) -> TakeFacts:
        located = self._files.of_take(take_id)
        with self._store.session() as session:
            take = session.get(Take, take_id)
            if take is None:
                raise WrongUseError("That take is not in this workspace.", remedy="yomikomi ledger show LABEL tells which there are.")
            carrier = take.carrier
            details = self._store.maker.document(f"{carrier.label}: details", lambda: CarrierDetails.model_validate(carrier.details or {}))
            paths = self._files.paths_of(take)
            holds = self._store.workspace.holds
            return TakeFacts(
                label=carrier.label, state=take.state, made_at=datetime.fromisoformat(take.started_at),
                ours=take.origin != "imported" and all(holds(path) and not path.is_symlink() for path in paths),
                rights=details.rights if details is not None else False,
                needed=tuple(self._wanting(session, take, paths)), findings=tuple(self._findings(take, located)),
                copies=tuple(self._copies(session, take, located)),
            )  # fmt: skip

    def _wanting(self, session: Session, take: Take, paths: Sequence[Path]) -> list[str]:
        """Copies that wait for it: its own, and others that take sound or parts from it."""
        names = {str(path) for path in paths} | {self._store.workspace.keep(path) for path in paths}
        # Thousands may wait: only documents in which a name stands as text are looked into.
        written = [cast(Copy.treatment, Text).contains(json.dumps(name)[1:-1], autoescape=True) for name in names]
        query = select(Copy).where(Copy.state.in_(_WAITS), or_(Copy.take_id == take.id, *written))
        return [
            Path(copy.path).name for copy in session.scalars(query) if copy.take_id == take.id or _mentions(copy.treatment, names)
        ]

    def _findings(self, take: Take, located: Sequence[Located]) -> list[str]:
        found = [f"{one.path.name} is {one.state}" for one in located if one.take_id is not None and one.state not in {"whole", RELEASED}]
        reading = self._store.maker.newest_reading(take)
        if reading is not None and reading.damage is not None and reading.damage.any:
            found.append(f"the take: {damage_words(reading.damage)}")
        return found

    def _copies(self, session: Session, take: Take, located: Sequence[Located]) -> list[CopyFacts]:
        made = []
        for copy in take.copies:
            looks = session.scalars(select(LookRow).where(LookRow.copy_id == copy.id)).all()
            places = [
                LocationFacts(one.disk, one.state, datetime.fromisoformat(one.checked_at)) for one in located if one.copy_id == copy.id
            ]
            newest: dict[float, str] = {round(one.seconds, 1): one.verdict for one in looks}  # a spot looked at again: as it was last found
            made.append(CopyFacts(
                name=Path(copy.path).name, state=copy.state, kinds=_kinds(copy),
                looked=sum(verdict == "good" for verdict in newest.values()),
                objected=sum(verdict != "good" for verdict in newest.values()), locations=tuple(places),
            ))  # fmt: skip
        return made

    def release(self, take_id: int, *, now: datetime | None = None) -> int:
        """Move a take away, if all rules hold this moment. Whoever calls has just had the copies checked. Returns the release's number.

        Raises UnfinishedError with the first rule that fails, and what the drive says; then the take is where it was.
        """
        self._store.workspace.check_writable()
        when, rules = now or datetime.now(UTC), self.rules()
        judged = self.judge(take_id, when)
        if not judged.may:
            first = judged.results[0]
            raise UnfinishedError(f"{judged.label} may not go: {first.rule}: {first.found}.", remedy=first.needed)
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            moves = self._moves(take, rules.release.way)
            until = when + timedelta(days=rules.release.term_days)
            row = ReleaseRow(
                take_id=take_id, state="moving", way=rules.release.way, at=when.isoformat(timespec="seconds"), who=rules.who,
                until=until.isoformat(timespec="seconds"), ended_at=None, files=[one.model_dump(mode="json") for one in moves],
                rules={"judged": judged.model_dump(mode="json"), "rules": rules.release.model_dump(mode="json"), "was": take.state},
            )  # fmt: skip
            session.add(row)
            session.flush()
            number = row.id
        files = self._real(moves)
        try:
            files.go()
        except YomikomiError:
            self._end(number, "undone", "could not be released; all is where it was")
            raise
        self._end(number, "held", f"take released by {rules.who}: {'to the trash' if rules.release.way == 'trash' else 'held'}")
        return number

    def _moves(self, take: Take, way: str) -> list[Move]:
        """Every file of the take as it was hashed. Raises UnfinishedError where one was not."""
        known = {one.path: one for one in self._files.of_take(take.id) if one.take_id is not None and one.place_id is None}
        moves = []
        for path in self._files.paths_of(take):
            one = known.get(path)
            if one is None or size_of(path) != one.size:
                words = f"{path.name} is not what was hashed, or was not hashed."
                raise UnfinishedError(words, remedy="Check it in the ledger first.", path=path)
            away = f"{HOLDING}/{take.id:06d}-{path.name}" if way == "holding" else ""
            moves.append(Move(home=self._store.workspace.keep(path), away=away, size=one.size, content=one.content))
        return moves

    def _real(self, moves: Sequence[Move]) -> Files:
        path = self._store.workspace.path
        return Files([(path(one.home), path(one.away) if one.away else None, one) for one in moves])

    def undo(self, release_id: int) -> None:
        """Bring a take back. Raises WrongUseError where it cannot be, and what :meth:`Files.come_back` raises."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            row = session.get(ReleaseRow, release_id)
            if row is None or row.state not in {"held", *_BETWEEN}:
                raise WrongUseError("That take was not released, or is gone.", remedy="yomikomi ledger release --list tells.")
            row.state = "undoing"
            moves = _moves_of(row)
        self._real(moves).come_back()
        self._end(release_id, "undone", "release undone; the take is back")

    def settle(self) -> list[int]:
        """What a crash left between two places: a take whose files are all away is released, any other is brought back. Those are
        returned that could not be settled, since a drive is away."""
        left: list[int] = []
        if self._store.workspace.read_only:
            return left
        with self._store.session() as session:
            between = session.scalars(select(ReleaseRow).where(ReleaseRow.state.in_(_BETWEEN)))
            rows = [(row.id, row.state, _moves_of(row)) for row in between]
        for number, state, moves in rows:
            files = self._real(moves)
            try:
                if state == "moving" and moves and files.all_away:
                    self._end(number, "held", "take released; the program ended meanwhile")
                else:
                    files.come_back()
                    self._end(number, "undone", "not released, since the program ended meanwhile; the take is back")
            except YomikomiError:
                left.append(number)
        return left

    def end_term(self, release_id: int, *, now: datetime | None = None) -> int:
        """A held take whose term is over goes for good, if the rules for its copies still hold. Returns the bytes that this freed.

        Raises WrongUseError before its term, UnfinishedError where a rule does not hold any more.
        """
        self._store.workspace.check_writable()
        when = now or datetime.now(UTC)
        with self._store.session() as session:
            row = session.get(ReleaseRow, release_id)
            if row is None or row.state != "held" or row.way != "holding":
                raise WrongUseError("That take is not held here.", remedy="Only what lies in the holding folder is removed by the program.")
            if not datetime.fromisoformat(row.at) <= when or when < datetime.fromisoformat(row.until):
                raise WrongUseError(f"Its term ends on {row.until[:10]}.", remedy="Wait, or bring it back.")
            take_id, moves = row.take_id, _moves_of(row)
        judged = self.judge(take_id, when)
        wrong = [one for one in judged.results if not one.held and one.rule != "take"]
        if wrong:
            raise UnfinishedError(f"{judged.label} stays: {wrong[0].rule}: {wrong[0].found}.", remedy=wrong[0].needed)
        freed = 0
        for one in moves:
            away = self._store.workspace.path(one.away)
            if self._store.workspace.holds(away.parent) and is_taken(away) and not away.is_symlink():
                freed += size_of(away) or 0
                away.unlink()
        self._end(release_id, "gone", "the term is over; the take is gone, its record and digests stay")
        return freed

    def all(self, *, now: datetime | None = None) -> list[Release]:
        """The newest first."""
        when = (now or datetime.now(UTC)).isoformat(timespec="seconds")
        with self._store.session() as session:
            query = select(ReleaseRow, Take, Carrier).join(Take, ReleaseRow.take_id == Take.id).join(Carrier)
            return [
                Release(
                    row.id, take.id, carrier.id, carrier.label, Path(take.path).name, row.state, row.way, row.at, row.who, row.until,
                    sum(one.size for one in _moves_of(row)), row.until <= when,
                )
                for row, take, carrier in session.execute(query.order_by(ReleaseRow.id.desc()))
            ]  # fmt: skip

    def _end(self, release_id: int, state: str, words: str) -> None:
        with self._store.session() as session:
            row = session.get_one(ReleaseRow, release_id)
            take = session.get_one(Take, row.take_id)
            row.state, row.ended_at = state, now_text()
            take.state = str(row.rules.get("was") or "whole") if state == "undone" else "released"
            for move in _moves_of(row):
                _follow(session, take.id, move, state)
            self._store.note(session, take.carrier_id, f"{Path(take.path).name}: {words}")


def _follow(session: Session, take_id: int, move: Move, state: str) -> None:
    """A file that is held goes on being checked where it lies; of one in the trash, or gone, nothing is expected."""
    query = select(LocationRow).join(FileRow).where(FileRow.take_id == take_id, LocationRow.place_id.is_(None))
    for row in session.scalars(query.where(LocationRow.path.in_((move.home, move.away)))):
        if state == "undone":
            row.path, row.state = move.home, "whole" if row.state == RELEASED else row.state
        elif state == "held" and move.away:
            row.path = move.away
        else:
            row.state = RELEASED


def _moves_of(row: ReleaseRow) -> list[Move]:
    return [Move.model_validate(one) for one in row.files]


def _kinds(copy: Copy) -> frozenset[str]:
    try:
        recipe = Recipe.model_validate(copy.recipe)
    except ValueError:
        return frozenset()
    outlet = copy.outlet.get("key") if isinstance(copy.outlet, dict) else None
    lossless = {"lossless"} if recipe.rate.kind in {"lossless", "untouched"} else set()
    return frozenset({recipe.codec, *lossless, *([str(outlet)] if outlet else [])})


def _mentions(document: Any, names: set[str]) -> bool:
    """Whether a document holds one of the texts."""
    if isinstance(document, dict):
        return any(_mentions(one, names) for one in document.values())
    if isinstance(document, list):
        return any(_mentions(one, names) for one in document)
    return document in names if isinstance(document, str) else False
