"""What the window sees to by itself: takes that a crash cut off, clips not yet joined, the machine and its codecs measured."""

from __future__ import annotations

import shutil
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from yomikomi.core.balance.machine import full_trial, was_disturbed
from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces
from yomikomi.core.capture.mend import MendRequest, mend
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rings_left import rings_left
from yomikomi.core.capture.weighing import LEAST_WEIGHED_S, WeighRequest, weigh
from yomikomi.core.errors import UnreadableError
from yomikomi.core.ledger.naming import safe_name
from yomikomi.core.ledger.takes import CutOffTake
from yomikomi.core.planning.machine import MachineSpeeds
from yomikomi.core.planning.machine_trial import try_machine
from yomikomi.core.video.units import size_text
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.kinds import JobKind
from yomikomi.core.work.new_file import free_name, is_taken
from yomikomi.core.work.notices import Weight

if TYPE_CHECKING:
    from yomikomi.ui.state import AppState

# How often takes are looked for whose drive is away.
_SEARCH_MS = 5000


class Upkeep(QObject):
    """``mended`` tells that a take was, or could not be."""

    mended = Signal()

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self._state = state
        self._mending: set[int] = set()
        self.search = QTimer(self)
        self.search.setInterval(_SEARCH_MS)
        self.search.timeout.connect(self._look_for_away)

    def begin(self) -> None:
        """What an earlier end of the program left to do."""
        self.mend_takes()
        self.keep_clips()

    # The machine

    def measure_machine(self) -> None:
        """A short trial of the take drive and the encoders, remembered for the forecast."""
        state = self._state
        if state.may_write():
            request = full_trial(state.workspace.folder / "trials")
            state.jobs.start(try_machine, request, name="measuring this machine", resource="processor", on_end=self._measured)

    def _measured(self, job: Job) -> None:
        if job.state is not JobState.DONE:
            self._state.tell_end(job)
            return
        speeds: MachineSpeeds = job.result
        self._state.record.settings.save_machine_speeds(speeds)
        self._state.machine = speeds
        self._state.machine_changed.emit()
        if was_disturbed(speeds):
            words = f"Measured, but other programs held it up for {100 * speeds.disturbed:.0f} % of the time."
            self._state.tell(Weight.LOOK, words, "Measure again when they are done.")
            return
        words = f"Measured: the drive writes {size_text(speeds.write_bytes_per_second.usual)}/s. The forecast follows."
        self._state.tell(Weight.FINE, words)

    def weigh_take(self, take_id: int, result: CaptureResult) -> None:
        """Find out in the background what each capture codec takes of such pictures, for the forecast of the next ones."""
        if not result.parts or result.seconds < LEAST_WEIGHED_S:
            return

        def weighed(job: Job) -> None:
            if job.state is JobState.DONE and job.result:
                self._state.record.takes.save_weights(take_id, job.result)
                for view in [one for one in self._state.carriers if one.take is not None and one.take.id == take_id]:
                    self._state.refresh(view.id, tell=False)

        seconds = result.seconds / len(result.parts)
        request = WeighRequest(result.parts[0], seconds)
        self._state.jobs.start(weigh, request, name="weighing codecs", resource="weighing", on_end=weighed)

    # Takes that were cut off

    def mend_takes(self, only: int | None = None) -> None:
        """Mend in the background what a crash left of recordings (of all, or of one take), and say how much is safe. Those whose drive
        is away are looked for until it is back."""
        record = self._state.record
        if self._state.workspace.read_only:
            return
        folders = record.settings.capture().spill_folders
        away = False
        for take in record.takes.cut_off():
            if only not in {None, take.id} or take.id in self._mending:
                continue
            if not is_taken(take.path):
                away = True
                self._miss(take)
                continue
            self._mending.add(take.id)
            request = MendRequest(take.path, folders, inside=self._state.workspace.folder)
            self._state.jobs.start(
                mend, request, name=f"mending {take.carrier}", resource="take drive", grace=5.0, on_end=partial(self._mended, take),
            )  # fmt: skip
        if away:
            self.search.start()

    def _miss(self, take: CutOffTake) -> None:
        if self._state.record.takes.mark_away(take.id, take.frames):
            words = f"{take.carrier}: the drive of {take.path.name} is away."
            self._state.tell(Weight.WRONG, words, "Connect it; the take is found then.")
            self._state.reload()

    def _look_for_away(self) -> None:
        """Once in a while, in a thread: asking a drive that is gone may take long."""
        takes = [take for take in self._state.record.takes.cut_off() if take.away]
        if not takes:
            self.search.stop()
            return
        self._state.calls.call("away", lambda: [take.id for take in takes if is_taken(take.path)], self._found_again)

    def _found_again(self, ids: list[int]) -> None:
        for take_id in ids:
            self.mend_takes(take_id)

    def _mended(self, take: CutOffTake, job: Job) -> None:
        self._mending.discard(take.id)
        if job.state is JobState.CANCELLED:
            return  # it is asked for again at the next start
        if job.result is None and not is_taken(take.path):
            self._miss(take)
            self.search.start()
            return
        if job.result is None and not isinstance(job.error, UnreadableError):
            self._state.tell_end(job)  # no room, or still being recorded: the file is as it was, and is tried again at the next start
            return
        words = self._state.record.takes.save_mended(take.id, job.result, str(job.error) if job.error else "")
        self._state.tell(Weight.LOOK, words)
        self._state.reload()
        self.mended.emit()

    # Clips out of look-back rings

    def keep_clips(self) -> None:
        """Join what was taken out of look-back rings and is not yet a file of its own; after a crash also the ring that was left."""
        state = self._state
        if state.workspace.read_only:
            return
        going = {job.key for job in state.jobs.jobs if job.kind is JobKind.KEEPING}
        armed = any(job.kind is JobKind.ARMED for job in state.jobs.jobs)
        for left in rings_left(state.workspace.folder / "takes", going=going, armed=armed):
            view = next((one for one in state.carriers if str(one.id) == left.carrier), None)
            if view is not None:
                self.join_clip(view.id, left.name, safe_name(f"{view.label} {left.name}"), left.pieces, left.folder)

    def join_clip(self, carrier_id: int, name: str, stem: str, pieces: tuple[Piece, ...], folder: Path) -> None:
        """Make one file of a clip's pieces, put it on the shelf, and clear up."""
        state = self._state
        if not state.may_write():
            return
        target = free_name(state.workspace.folder / "takes", stem, pieces[0].path.suffix)

        def ended(job: Job) -> None:
            if job.state is not JobState.DONE:
                state.tell_end(job)
                return
            state.record.takes.add_clip(carrier_id, target, seconds=job.result.seconds, frames=job.result.frames, name=name)
            shutil.rmtree(folder, ignore_errors=True)
            state.tell(Weight.FINE, f"{target.name}: {job.result.seconds:.0f} s kept, nothing encoded.")
            state.reload()

        state.jobs.start(
            join_pieces, JoinPiecesRequest(pieces, target), name=f"keeping {folder.name}", resource="take drive", grace=5.0, on_end=ended,
            kind=JobKind.KEEPING, key=folder.name,
        )  # fmt: skip
