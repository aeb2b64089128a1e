"""What the window does for the ledger in idle time, and the longer works of its pages: files hashed, checked, copied, mended; backups."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from yomikomi.core.errors import YomikomiError
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.fixity.repair import repair
from yomikomi.core.fixity.rounds import check_files, hash_files
from yomikomi.core.ledger.backups import FOLDER, is_due, make_backup
from yomikomi.core.ledger.files import RELEASED, Located, Unhashed
from yomikomi.core.ledger.places import PlaceView, there_now
from yomikomi.core.places.moved import find_moved
from yomikomi.core.places.place import make_place
from yomikomi.core.places.second_copy import copy_there
from yomikomi.core.video.units import counted
from yomikomi.core.work import Reporter
from yomikomi.core.work.job import Job, JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState

_IDLE_MS = 60_000
# Files that are read in one go in idle time.
_FEW = 5
_RESOURCE = "files"


@dataclass(frozen=True)
class Due:
    """``fresh``: never hashed; ``backup``: the last is too old; ``lacking``: a place that takes new copies by itself, and what it has not;
    ``old``: not read for long."""

    fresh: list[Unhashed]
    backup: bool
    lacking: tuple[PlaceView, list[Located]] | None
    old: list[Located]


class LedgerKeeper(QObject):
    """``changed``: something about files, places or backups is otherwise now."""

    changed = Signal()

    @classmethod
    def of(cls, state: AppState) -> LedgerKeeper:
        """The one of the window."""
        found = state.findChild(cls)
        return found if found is not None else cls(state)

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self._state = state
        self._settled = False
        self._by_itself: list[Job] = []
        state.jobs.changed.connect(self._make_way)
        self._idle = QTimer(self)
        self._idle.setInterval(_IDLE_MS)
        self._idle.timeout.connect(self.look)
        self._idle.start()

    # By itself

    def look(self) -> None:
        """What is due, while nothing else goes on."""
        state = self._state
        if state.workspace.read_only or not state.starts_by_itself or state.jobs.jobs or not state.workspace.is_there:
            return
        self._settled = self._settled or not state.record.releases.settle()
        files, rules, now = state.record.files, state.record.releases.rules(), datetime.now(UTC)
        folder = state.workspace.folder / FOLDER

        places = [one for one in state.record.places.all() if one.always]

        def due() -> Due:
            there = there_now(places)
            lacking = next(((one, some) for one in places if one.key in there and (some := files.missing_in(one.id, takes=False))), None)
            old = files.due(days=rules.check_days, now=now, most=_FEW)
            return Due(files.unhashed(_FEW), is_due(folder, hours=rules.backup_hours, now=now), lacking, old)

        state.calls.call("due", due, self._do_due)

    def _make_way(self) -> None:
        """A recording has the drives to itself: what was begun in idle time stops, and is due again."""
        if self._state.records:
            going, self._by_itself = self._by_itself, []  # stopping one is a change too
            for job in going:
                self._state.jobs.cancel(job)

    def _start(
        self, function: Callable[[Any, Reporter], Any], request: Any, name: str, ended: Callable[[Job], None], *, asked: bool
    ) -> None:  # fmt: skip
        """``asked``: by a person, who is told when it did not end well."""

        def finished(job: Job) -> None:
            if job in self._by_itself:
                self._by_itself.remove(job)
            if job.state is JobState.DONE:
                ended(job)
            elif asked or job.state is not JobState.CANCELLED:
                self._state.tell_end(job)

        job = self._state.jobs.start(function, request, name=name, resource=_RESOURCE, grace=5.0, on_end=finished)
        if not asked:
            self._by_itself.append(job)

    def _do_due(self, due: Due) -> None:
        """One thing at a time; what is left is due again."""
        if self._state.jobs.jobs:
            return  # something began meanwhile
        if due.fresh:
            self._hash(due.fresh, asked=False)
        elif due.backup:
            self.back_up()
        elif due.lacking is not None:
            self._copy_next(*due.lacking, 0, asked=False)
        elif due.old:
            self.check(due.old, told=False)

    def _hash(self, fresh: Sequence[Unhashed], then: Callable[[], None] | None = None, *, asked: bool = True) -> None:
        if not fresh:
            if then is not None:
                then()
            return

        def ended(job: Job) -> None:
            for one, hashed in zip(fresh, job.result, strict=True):
                if hashed.digests is not None:
                    self._state.record.files.add(one, hashed.digests, hashed.disk)
            self.changed.emit()
            if then is not None:
                then()

        paths = [one.path for one in fresh]
        self._start(hash_files, paths, f"hashing {counted(len(paths), 'file', 'files')}", ended, asked=asked)

    def back_up(self) -> None:
        """In a thread: the record is copied by its library, which lets others write meanwhile."""
        rules, workspace = self._state.record.releases.rules(), self._state.workspace
        second = Path(rules.backup_folder) if rules.backup_folder else None
        made = self._state.calls.call
        made("backup", lambda: make_backup(workspace, keep=rules.backups, second=second), lambda _made: self.changed.emit(), self._wrong)

    # As a person wants

    def hash_all(self, then: Callable[[], None]) -> None:
        """Files that have no digest yet, before ``then``."""
        self._hash(self._state.record.files.unhashed(), then)

    def check(self, wanted: Sequence[Located], *, told: bool = True, then: Callable[[], None] | None = None) -> None:
        """Read files again; ``told``: also when all is well."""
        wanted = [one for one in wanted if one.state != RELEASED]
        requests = [self._state.record.files.check_request(one) for one in wanted]

        def ended(job: Job) -> None:
            news = [
                one for one, made in zip(wanted, job.result, strict=True)
                if self._state.record.files.save_check(one, made.finding, made.disk)
            ]  # fmt: skip
            bad = sum(made.finding.bad for made in job.result)
            if news:
                names = ", ".join(one.path.name for one in news[:3])
                self._state.tell(Weight.WRONG, f"{counted(bad, 'file is', 'files are')} not whole: {names}.", "See the Ledger, Files.")
            elif told:
                self._state.tell(Weight.FINE, f"{counted(len(wanted), 'file', 'files')} checked, {bad} not whole.")
            self.changed.emit()
            if then is not None:
                then()

        if not requests:
            if then is not None:
                then()
            return
        self._start(check_files, requests, f"checking {counted(len(requests), 'file', 'files')}", ended, asked=told or then is not None)

    def add_place(self, folder: str, name: str) -> None:
        try:
            self._state.record.places.add(make_place(Path(folder), workspace=self._state.workspace.folder), name)
        except YomikomiError as error:
            self._state.tell_error(error)
        self.changed.emit()

    def set_always(self, place_id: int, always: bool) -> None:
        try:
            self._state.record.places.set_always(place_id, always)
        except YomikomiError as error:
            self._state.tell_error(error)
        self.changed.emit()

    def copy_to(self, place: PlaceView) -> None:
        """What the place lacks, one file after another; each is written down when it is proven."""
        self.hash_all(lambda: self._copy_next(place, self._state.record.files.missing_in(place.id), 0))

    def _copy_next(self, place: PlaceView, left: list[Located], done: int, *, asked: bool = True) -> None:
        if not left:
            self._state.tell(Weight.FINE, f"{counted(done, 'file', 'files')} copied to {place.name} and read back.")
            return
        one, request = left[0], self._state.record.places.request(place, left[0])

        def ended(job: Job) -> None:
            self._state.record.files.add_second(one.file_id, place.id, request.name, disk_of(job.result))
            self.changed.emit()
            self._copy_next(place, left[1:], done + 1, asked=asked)

        self._start(copy_there, request, f"copying {one.path.name} to {place.name}", ended, asked=asked)

    def mend(self) -> None:
        """Every file in trouble that has a whole copy within reach."""
        for one in self._state.record.files.troubled():
            try:
                request = self._state.record.files.repair_request(one)
            except YomikomiError as error:
                self._state.tell_error(error)
                continue

            def ended(job: Job, one: Located = one) -> None:
                self._state.record.files.repaired(one, disk_of(one.path))
                kept = f"The damaged one is kept as {job.result.kept.name}." if job.result.kept is not None else ""
                self._state.tell(Weight.FINE, f"{one.path.name} is repaired.", kept)
                self.changed.emit()

            self._start(repair, request, f"repairing {one.path.name}", ended, asked=True)

    def seek(self, folder: str) -> None:
        lost = {one.content: one for one in self._state.record.files.troubled() if one.state == "missing" and one.place_id is None}
        wanted = {content: one.size for content, one in lost.items()}

        def found(paths: dict[str, Path]) -> None:
            for content, path in paths.items():
                self._state.record.files.moved(lost[content], path, disk_of(path))
            self._state.tell(Weight.FINE, f"{len(paths)} of {counted(len(lost), 'missing file', 'missing files')} found.")
            self._state.reload()
            self.changed.emit()

        self._state.calls.call("moved", lambda: find_moved([Path(folder)], wanted), found, self._wrong)

    def places_there(self, then: Callable[[set[str]], None]) -> None:
        """Which places can be reached, asked in a thread: a drive that is gone may take long to say so."""
        known = self._state.record.places.all()

        self._state.calls.call("places", lambda: set(there_now(known)), then)

    def _wrong(self, error: YomikomiError) -> None:
        self._state.tell_error(error)
        self.changed.emit()
