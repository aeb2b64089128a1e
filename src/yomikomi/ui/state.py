"""What the whole window shares: the record, the current carrier, the runner of jobs. Built once, handed down."""

from __future__ import annotations

import shutil
from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.first_list import first_look
from yomikomi.core.ledger.outlook import codec_bits_of
from yomikomi.core.ledger.spine import Spine
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.planning.machine import MachineSpeeds
from yomikomi.core.work.job import Job, JobState
from yomikomi.core.work.kinds import JobKind
from yomikomi.core.work.notices import NoticeCentre, Weight
from yomikomi.ui.background import Calls, JobRunner

if TYPE_CHECKING:  # loaded when first asked for: half a second that nobody waits for (``ui.loading``)
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView
    from yomikomi.core.reading.models import Reading
    from yomikomi.ui.upkeep import Upkeep


class AppState(QObject):
    """The shelf and the strip live on ``spines`` and ``chosen``, which are there at once; whoever asks for ``record``, ``carriers`` or
    ``current`` has the record opened.

    Signals: ``shelf_changed`` when the list of carriers did, ``machine_changed`` when the machine was measured,
    ``carrier_changed`` when the current one, or what is known of it, did, ``go`` with the key of a station to show, ``takes_ready``
    with the ids of carriers that have a new take. ``starts_by_itself``: what has only one next step is begun without being asked for."""

    shelf_changed = Signal()
    machine_changed = Signal()
    carrier_changed = Signal()
    go = Signal(str)
    takes_ready = Signal(list)

    def __init__(self, workspace: Workspace, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.workspace = workspace
        self.jobs = JobRunner(self)
        self.calls = Calls(self)
        self.starts_by_itself = True
        self.notices = NoticeCentre()
        self.jobs.troubled.connect(self.tell_error)
        self._carriers: list[CarrierView] | None = None
        self.spines: list[Spine] = []
        self._codec_bits: dict[tuple[str, str | None], dict[str, float]] = {}
        self.machine: MachineSpeeds | None = None
        self._current: int | None = None
        found = first_look(workspace)
        if found is None:
            self._read()
            self.machine = self.record.settings.machine_speeds()
        else:
            self.spines, self.machine = found.spines, found.machine
        self._current = self.spines[0].id if self.spines else None

    @cached_property
    def record(self) -> Record:
        from yomikomi.core.ledger.record import Record

        return Record(self.workspace)

    @cached_property
    def upkeep(self) -> Upkeep:
        from yomikomi.ui.upkeep import Upkeep

        return Upkeep(self)

    @property
    def carriers(self) -> list[CarrierView]:
        if self._carriers is None:
            self._read()
        assert self._carriers is not None
        return self._carriers

    @property
    def current(self) -> CarrierView | None:
        """The current carrier with all that is known of it."""
        return self.view_of(self._current) if self._current is not None else None

    @property
    def chosen(self) -> Spine | None:
        """The current carrier as the shelf shows it."""
        return next((one for one in self.spines if one.id == self._current), None)

    @property
    def reading(self) -> Reading | None:
        """Of the current carrier's take; None also as long as the record is not opened."""
        view = next((one for one in self._carriers or () if one.id == self._current), None)
        return view.reading if view is not None else None

    def reload(self) -> None:
        """Read the record again and tell everyone; the shelf, where it looks otherwise now."""
        before = self.spines
        self._read()
        if before is not self.spines:
            self.shelf_changed.emit()
        self.carrier_changed.emit()

    def refresh(self, carrier_id: int, *, tell: bool) -> None:
        """One carrier changed: read it again; ``tell``: it looks otherwise in the strip or on the shelf."""
        if tell:
            self.reload()
            return
        fresh = self.record.carrier(carrier_id)
        self._put([fresh if view.id == carrier_id else view for view in self.carriers])

    def view_of(self, carrier_id: int) -> CarrierView | None:
        """A carrier as it was last read; None where it is gone."""
        return next((view for view in self.carriers if view.id == carrier_id), None)

    def choose(self, carrier_id: int) -> None:
        """Make a carrier the current one."""
        if any(one.id == carrier_id for one in self.spines):
            self._current = carrier_id
        self.carrier_changed.emit()

    @property
    def records(self) -> bool:
        """Whether a take is recorded, or the look-back buffer runs."""
        return any(job.kind in {JobKind.RECORDING, JobKind.ARMED} for job in self.jobs.jobs)

    def may_write(self) -> bool:
        """Whether files may be made in the workspace; tells why where not."""
        try:
            self.workspace.check_writable()
        except YomikomiError as error:
            self.tell_error(error)
            return False
        return True

    def free_bytes(self) -> int:
        return shutil.disk_usage(self.workspace.folder).free

    def codec_bits(self, one: Spine) -> dict[str, float]:
        """Bits a pixel that each capture codec took of carriers like this one, where takes tell."""
        key = one.kind, one.standard
        if key not in self._codec_bits:
            self._codec_bits[key] = codec_bits_of(self.spines, *key)
        return self._codec_bits[key]

    def tell(self, weight: Weight, words: str, remedy: str = "") -> None:
        self.notices.tell(weight, words, remedy)

    def tell_error(self, error: YomikomiError) -> None:
        self.tell(Weight.WRONG, error.message, error.remedy)

    def tell_end(self, job: Job) -> None:
        """Say how a job ended when it did not end well."""
        if job.state is JobState.FAILED and job.error is not None:
            self.tell_error(job.error)
        elif job.state is JobState.CANCELLED:
            self.tell(Weight.LOOK, f"{job.name}: stopped.")

    def _read(self) -> None:
        self._put(self.record.carriers())

    def _put(self, carriers: list[CarrierView]) -> None:
        """``spines`` stays the same list as long as nothing on the shelf changed."""
        self._carriers = carriers
        spines = [view.spine for view in carriers]
        if spines != self.spines:
            self.spines = spines
            self._codec_bits.clear()
        if self._current is None or self.chosen is None:
            self._current = self.spines[0].id if self.spines else None
