"""The copies' room of the record: asked for, made, kept or failed."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.ledger.schema import Copy
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work.new_file import rename_new

# Written beside copies that the program's end interrupted.
INTERRUPTED = "interrupted when the program ended; it is made anew"


@dataclass(frozen=True)
class CopyWork:
    """What a copy is made of."""

    carrier: str
    path: Path
    target: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe
    outlet: Outlet | None


class CopyRoom(Room):
    def requeue_cut_off(self) -> int:
        """Copies that were being made when the program ended wait again. Returns how many there are that the end interrupted."""
        if self._store.workspace.read_only:
            return 0
        with self._store.session() as session:
            for copy in session.scalars(select(Copy).where(Copy.state == "running")):
                copy.state, copy.trouble = "waiting", INTERRUPTED
            session.flush()
            query = select(Copy.id).where(Copy.state == "waiting", Copy.trouble == INTERRUPTED)
            return len(session.scalars(query).all())

    def requeue(self, copy_id: int) -> None:
        """The program ends while a copy is made: it waits for the next start."""
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state, copy.trouble = "waiting", INTERRUPTED

    def work(self, copy_id: int) -> CopyWork:
        """What a waiting copy is made of: its own take, whatever newer ones its carrier has. Raises UnfinishedError with the reason why
        it cannot be made."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            take = copy.take
            view = self._store.maker.copy(copy)
            reading = self._store.maker.judged(take)
            path, target = self._store.workspace.path(take.path), self._store.workspace.path(copy.path)
            label = take.carrier.label
        if view is None or reading is None:
            raise UnfinishedError("Its take has no reading any more.", remedy="Read the take, then ask for the copy again.")
        if take.state == "lost":
            raise UnfinishedError("Its take is lost.", remedy="Capture it again.")
        if not self._store.workspace.holds(target.parent):
            raise UnfinishedError(f"{target} lies outside the workspace.", remedy="Ask for the copy again.")
        return CopyWork(label, path, target, reading, view.treatment, view.recipe, view.outlet)

    def ask(
        self, take_id: int, recipe: Recipe, treatment: Treatment, predicted: Prediction | None, target: Path, outlet: Outlet | None = None
    ) -> int:
        with self._store.session() as session:
            row = Copy(
                take_id=take_id, path=self._store.workspace.keep(target), state="waiting", recipe=recipe.model_dump(mode="json"),
                treatment=treatment.model_dump(mode="json"), digest=treatment.digest,
                outlet=outlet.model_dump(mode="json") if outlet else None,
                predicted=predicted.model_dump(mode="json") if predicted else None, result=None, asked_at=now_text(), ended_at=None,
            )  # fmt: skip
            session.add(row)
            session.flush()
            return row.id

    def planned_names(self) -> set[str]:
        """Names that waiting copies will take."""
        with self._store.session() as session:
            return {Path(p).name for p in session.scalars(select(Copy.path).where(Copy.state.in_(("waiting", "running"))))}

    def start(self, copy_id: int) -> None:
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state, copy.trouble = "running", ""

    def end(self, copy_id: int, *, result: CopyResult | None, state: str = "", trouble: str = "") -> None:
        """``state`` follows from the result unless it is given (failed, cancelled)."""
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state = state or ("verified" if result and result.verified else "doubtful")
            copy.result = result.model_dump(mode="json") if result else None
            copy.trouble, copy.ended_at = trouble or (result.reserves if result else ""), now_text()
            name = Path(copy.path).name
            words = {"doubtful": "a check failed"}.get(copy.state, copy.state)
            self._store.note(session, copy.take.carrier_id, f"copy {name}: {words}" + (f" ({copy.trouble})" if copy.trouble else ""))

    def keep(self, copy_id: int) -> Path:
        """A copy that failed a check gets the name that was asked for, since a person wants it all the same; it stays marked. Returns
        where it lies now. Raises NameTakenError where the name was taken meanwhile, UnfinishedError where its file is gone."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            view = self._store.maker.copy(copy)
            if view is None or view.result is None or view.state != "doubtful":
                raise WrongUseError("That copy is not waiting for a decision.", remedy="Choose one that failed a check.")
            rename_new(view.file, view.path)
            copy.state = "kept"
            copy.result = view.result.model_copy(update={"file": view.path.name}).model_dump(mode="json")
            self._store.note(session, copy.take.carrier_id, f"copy {view.path.name}: kept although a check failed")
            return view.path

    def all(self) -> list[CopyView]:
        with self._store.session() as session:
            rows = session.scalars(select(Copy).order_by(Copy.id))
            return [made for row in rows if (made := self._store.maker.copy(row)) is not None]
