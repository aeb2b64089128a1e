"""The copies' room of the record: asked for, made, kept or failed."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.ledger.job_rows import BEGUN, INTERRUPTED, UNFINISHED, add_jobs, end_copy, log_line
from yomikomi.core.ledger.schema import Copy, JobRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.run.work_folder import clear_folders
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work.new_file import rename_new

# Comes after all that a name may go on with.
_LAST = "\U0010ffff"


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
        """Copies that were being made when the program ended wait again, but for those that were being stopped; what was left of those and
        of others that nobody wants is cleared away. Returns how many there are that the end interrupted."""
        if self._store.workspace.read_only:
            return 0
        with self._store.session() as session:
            for job in session.scalars(select(JobRow).where(JobRow.state.in_(BEGUN))):
                job.state = "cancelled" if job.stopping else "held" if job.held else "waiting"
                job.stopping, job.log = False, [*job.log, log_line("interrupted when the program ended")]
            for copy in session.scalars(select(Copy).where(Copy.state == "running")):
                stopped = any(job.state == "cancelled" for job in copy.jobs)
                copy.state, copy.trouble = ("cancelled", "stopped by hand") if stopped else ("waiting", INTERRUPTED)
            session.flush()
            wanted = [self._store.workspace.path(one) for one in session.scalars(select(Copy.path).where(Copy.state.in_(UNFINISHED)))]
            query = select(Copy.id).where(Copy.state == "waiting", Copy.trouble == INTERRUPTED)
            interrupted = len(session.scalars(query).all())
        for folder in {self._store.workspace.folder / "copies", *(one.parent for one in wanted)}:
            clear_folders(folder, {one.name for one in wanted})
        return interrupted

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
            add_jobs(session, row)
            return row.id

    def planned_names(self, folder: Path, stem: str) -> set[str]:
        """Names in a folder that begin so and that waiting copies will take."""
        first = self._store.workspace.keep(folder / stem)
        with self._store.session() as session:
            query = select(Copy.path, Copy.state).where(Copy.path.between(first, first + _LAST))
            return {Path(path).name for path, state in session.execute(query) if state in {"waiting", "running"}}

    def start(self, copy_id: int) -> None:
        """All of it is made in one piece, by whoever says so."""
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state, copy.trouble = "running", ""
            for job in copy.jobs:
                job.state = "running"

    def end(self, copy_id: int, *, result: CopyResult | None, state: str = "", trouble: str = "") -> None:
        """``state`` follows from the result unless it is given (failed, cancelled); its jobs end with it."""
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            for job in copy.jobs:
                job.state, job.stopping, job.ended_at = state if state in {"failed", "cancelled"} else "done", False, now_text()
            end_copy(session, copy, result=result, state=state, trouble=trouble)

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

    def one(self, copy_id: int) -> CopyView | None:
        """None where it is gone, or its row is damaged."""
        with self._store.session() as session:
            row = session.get(Copy, copy_id)
            return self._store.maker.copy(row) if row is not None else None

    def all(self) -> list[CopyView]:
        with self._store.session() as session:
            rows = session.scalars(select(Copy).order_by(Copy.id))
            return [made for row in rows if (made := self._store.maker.copy(row)) is not None]
