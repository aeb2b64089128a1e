"""What the whole window shares: the record, the current carrier, the runner of jobs. Built once, handed down."""

from __future__ import annotations

import shutil
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from yomikomi.core.balance.recipes import CODECS
from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces
from yomikomi.core.capture.mend import MendRequest, mend
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.weighing import WeighRequest, weigh
from yomikomi.core.errors import UnreadableError, YomikomiError
from yomikomi.core.ledger.captures import CutOffTake
from yomikomi.core.ledger.naming import safe_name
from yomikomi.core.ledger.outlook import codec_bits_of
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.structure import Task
from yomikomi.core.planning.machine import MachineSpeeds, MachineTrialRequest, TrialEncoder, capture_encoders, try_machine
from yomikomi.core.video.media import probe
from yomikomi.core.video.units import size_text
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import free_name, is_taken
from yomikomi.core.work.notices import NoticeCentre, Weight
from yomikomi.ui.background import Calls, JobRunner

# Kinds of jobs that others look for.
RECORDING, ARMED, KEEPING = "recording", "armed", "keeping"
# A measurement that waited for longer than this part of its time is worth making again.
DISTURBED = 0.15
# How often takes are looked for whose drive is away.
_SEARCH_MS = 5000
# A shorter take tells too little of its kind.
_LEAST_WEIGHED_S = 20.0


class AppState(QObject):
    """Signals: ``shelf_changed`` when the list of carriers did, ``machine_changed`` when the machine was measured,
    ``carrier_changed`` with the current one's new view, ``go`` with the key of a station to show, ``takes_ready``
    with the ids of carriers that have a new take. ``starts_by_itself``: what has only one next step is begun without being asked for."""

    shelf_changed = Signal()
    machine_changed = Signal()
    carrier_changed = Signal(object)
    go = Signal(str)
    takes_ready = Signal(list)

    def __init__(self, record: Record, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.record = record
        self.jobs = JobRunner(self)
        self.calls = Calls(self)
        self.starts_by_itself = True
        self.notices = NoticeCentre()
        self.carriers: list[CarrierView] = record.carriers()
        self.machine: MachineSpeeds | None = record.machine_speeds()
        self._mending: set[int] = set()
        self._search = QTimer(self)
        self._search.setInterval(_SEARCH_MS)
        self._search.timeout.connect(self._look_for_away)
        self.jobs.troubled.connect(self.tell_error)
        self.current: CarrierView | None = self.carriers[0] if self.carriers else None

    def reload(self) -> None:
        """Read the record again and tell everyone."""
        kept = self.current.id if self.current else None
        self.carriers = self.record.carriers()
        found = [view for view in self.carriers if view.id == kept]
        self.current = found[0] if found else (self.carriers[0] if self.carriers else None)
        self.shelf_changed.emit()
        self.carrier_changed.emit(self.current)

    def refresh(self, carrier_id: int, *, tell: bool) -> None:
        """One carrier changed: read it again; ``tell``: it looks otherwise in the strip or on the shelf."""
        if tell:
            self.reload()
            return
        fresh = self.record.carrier(carrier_id)
        self.carriers = [fresh if view.id == carrier_id else view for view in self.carriers]
        if self.current is not None and self.current.id == carrier_id:
            self.current = fresh

    def view_of(self, carrier_id: int) -> CarrierView | None:
        """A carrier as it was last read; None where it is gone."""
        return next((view for view in self.carriers if view.id == carrier_id), None)

    def choose(self, carrier_id: int) -> None:
        """Make a carrier the current one."""
        self.current = self.view_of(carrier_id) or self.current
        self.carrier_changed.emit(self.current)

    @property
    def records(self) -> bool:
        """Whether a take is recorded, or the look-back buffer runs."""
        return any(job.kind in {RECORDING, ARMED} for job in self.jobs.jobs)

    def may_write(self) -> bool:
        """Whether files may be made in the workspace; tells why where not."""
        try:
            self.record.workspace.check_writable()
        except YomikomiError as error:
            self.tell_error(error)
            return False
        return True

    def free_bytes(self) -> int:
        return shutil.disk_usage(self.record.workspace.folder).free

    def measure_machine(self) -> None:
        """A short trial of the take drive and the encoders, remembered for the forecast."""
        if not self.may_write():
            return
        copies = tuple(
            TrialEncoder(key, codec.encoder, (("preset", codec.speed_at("medium")), ("crf", str(codec.probes[1]))))
            for key, codec in CODECS.items()
        )
        request = MachineTrialRequest(self.record.workspace.folder / "trials", (*capture_encoders(), *copies))
        self.jobs.start(try_machine, request, name="measuring this machine", resource="processor", on_end=self._measured)

    def _measured(self, job: Job) -> None:
        if job.state is not JobState.DONE:
            self.tell_end(job)
            return
        speeds: MachineSpeeds = job.result
        self.record.save_machine_speeds(speeds)
        self.machine = speeds
        self.machine_changed.emit()
        if speeds.disturbed > DISTURBED:
            words = f"Measured, but other programs held it up for {100 * speeds.disturbed:.0f} % of the time."
            self.tell(Weight.LOOK, words, "Measure again when they are done.")
            return
        self.tell(Weight.FINE, f"Measured: the drive writes {size_text(speeds.write_bytes_per_second.usual)}/s. The forecast follows.")

    def codec_bits(self, view: CarrierView) -> dict[str, float]:
        """Bits a pixel that each capture codec took of carriers like this one, where takes tell."""
        return codec_bits_of(self.carriers, view.kind, view.standard)

    def task_of(self, view: CarrierView) -> Task:
        """What is to be recorded of a carrier, with what this machine and this workspace know of it."""
        return Task.of(view.intake, self.machine, free_bytes=self.free_bytes(), codec_bits=self.codec_bits(view))

    def weigh_take(self, take_id: int, result: CaptureResult) -> None:
        """Find out in the background what each capture codec takes of such pictures, for the forecast of the next ones."""
        if not result.parts or result.seconds < _LEAST_WEIGHED_S:
            return

        def weighed(job: Job) -> None:
            if job.state is JobState.DONE and job.result:
                self.record.save_weights(take_id, job.result)
                for view in [one for one in self.carriers if one.take is not None and one.take.id == take_id]:
                    self.refresh(view.id, tell=False)

        seconds = result.seconds / len(result.parts)
        self.jobs.start(weigh, WeighRequest(result.parts[0], seconds), name="weighing codecs", resource="weighing", on_end=weighed)

    def mend_takes(self, only: int | None = None) -> None:
        """Mend in the background what a crash left of recordings (of all, or of one take), and say how much is safe. Those whose drive
        is away are looked for until it is back."""
        if self.record.workspace.read_only:
            return
        folders = self.record.capture_settings().spill_folders
        away = False
        for take in self.record.cut_off_takes():
            if only not in {None, take.id} or take.id in self._mending:
                continue
            if not is_taken(take.path):
                away = True
                self._miss(take)
                continue
            self._mending.add(take.id)
            request = MendRequest(take.path, folders, inside=self.record.workspace.folder)
            self.jobs.start(
                mend, request, name=f"mending {take.carrier}", resource="take drive", grace=5.0, on_end=partial(self._mended, take),
            )  # fmt: skip
        if away:
            self._search.start()

    def _miss(self, take: CutOffTake) -> None:
        if self.record.mark_away(take.id, take.frames):
            self.tell(Weight.WRONG, f"{take.carrier}: the drive of {take.path.name} is away.", "Connect it; the take is found then.")
            self.reload()

    def _look_for_away(self) -> None:
        """Once in a while, in a thread: asking a drive that is gone may take long."""
        takes = [take for take in self.record.cut_off_takes() if take.away]
        if not takes:
            self._search.stop()
            return
        self.calls.call("away", lambda: [take.id for take in takes if is_taken(take.path)], self._found_again)

    def _found_again(self, ids: list[int]) -> None:
        for take_id in ids:
            self.mend_takes(take_id)

    def keep_clips(self) -> None:
        """Join what was taken out of look-back rings and is not yet a file of its own; after a crash also the ring that was left."""
        if self.record.workspace.read_only:
            return
        going = {job.key for job in self.jobs.jobs if job.kind == KEEPING}
        armed = any(job.kind == ARMED for job in self.jobs.jobs)
        for folder in sorted((self.record.workspace.folder / "takes").glob(".ring-*")):
            if folder.name in going or (armed and "-clip" not in folder.name):
                continue
            owner = folder.name.removeprefix(".ring-").partition("-")[0]
            view = next((one for one in self.carriers if str(one.id) == owner), None)
            files = [path for path in sorted(folder.iterdir()) if _opens(path)]
            if not files:
                shutil.rmtree(folder, ignore_errors=True)
            elif view is not None:
                name = f"kept {folder.name.rpartition('clip')[2]}" if "-clip" in folder.name else "kept when it was cut off"
                self.join_clip(view.id, name, safe_name(f"{view.label} {name}"), tuple(Piece(one) for one in files), folder)

    def join_clip(self, carrier_id: int, name: str, stem: str, pieces: tuple[Piece, ...], folder: Path) -> None:
        """Make one file of a clip's pieces, put it on the shelf, and clear up."""
        if not self.may_write():
            return
        target = free_name(self.record.workspace.folder / "takes", stem, pieces[0].path.suffix)

        def ended(job: Job) -> None:
            if job.state is not JobState.DONE:
                self.tell_end(job)
                return
            self.record.add_clip(carrier_id, target, seconds=job.result.seconds, frames=job.result.frames, name=name)
            shutil.rmtree(folder, ignore_errors=True)
            self.tell(Weight.FINE, f"{target.name}: {job.result.seconds:.0f} s kept, nothing encoded.")
            self.reload()

        self.jobs.start(
            join_pieces, JoinPiecesRequest(pieces, target), name=f"keeping {folder.name}", resource="take drive", grace=5.0, on_end=ended,
            kind=KEEPING, key=folder.name,
        )  # fmt: skip

    def _mended(self, take: CutOffTake, job: Job) -> None:
        self._mending.discard(take.id)
        if job.state is JobState.CANCELLED:
            return  # it is asked for again at the next start
        if job.result is None and not is_taken(take.path):
            self._miss(take)
            self._search.start()
            return
        if job.result is None and not isinstance(job.error, UnreadableError):
            self.tell_end(job)  # no room, or still being recorded: the file is as it was, and is tried again at the next start
            return
        words = self.record.save_mended(take.id, job.result, str(job.error) if job.error else "")
        self.tell(Weight.LOOK, words)
        self.reload()

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


def _opens(path: Path) -> bool:
    """Whether a piece holds anything: the last one before a crash may not."""
    try:
        probe(path)
    except YomikomiError:
        return False
    return True
