"""Running the tests of the Prove page: what is recorded for them is removed again."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from PySide6.QtCore import QObject, Signal

from yomikomi.core.capture.health import health_path, read_health
from yomikomi.core.capture.levels import LevelsRequest, measure_levels
from yomikomi.core.capture.looking import LookAs
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.capture.sync import SyncRequest, SyncResult, measure_sync
from yomikomi.core.capture.trial import TrialRequest, TrialResult, try_codecs
from yomikomi.core.reading.rehearsal import judge_rehearsal
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import SourceFormat, SourceSpec
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.synctest import SyncTestSpec
from yomikomi.ui.capture.prove_page import ProvePage
from yomikomi.ui.source_of import device_of
from yomikomi.ui.state import AppState

_END_GRACE_S = 6.0


@dataclass(frozen=True)
class Subject:
    """What is proven: the source, what it delivers, how it will be recorded."""

    source: SourceSpec
    format: SourceFormat
    record_as: RecordAs
    silent: bool

    @property
    def simulated(self) -> bool:
        return isinstance(self.source, OnPathSpec | TapePlayerSpec | FeedSpec)

    def test_signal(self, kind: Literal["synctest", "clap", "bars"]) -> SourceSpec:
        """The source with a test signal in place of its programme. A real one is read as it is: the person plays the signal."""
        source = self.source
        if not self.simulated:
            return source
        delivery = source.delivery if isinstance(source, OnPathSpec) else Delivery()
        player = source.player if isinstance(source, OnPathSpec) else source
        lead = player.sound_lead_ms if isinstance(player, FeedSpec) else 0
        key = self.format.standard.key if self.format.standard.key in STANDARDS else "525i"
        if kind == "bars":
            return OnPathSpec(BarsSpec(standard=key, tape=_tape_of(player), seconds=None), delivery)
        test = SyncTestSpec(
            kind, -lead, standard=key, progressive=self.format.field_order is None, tape=_tape_of(player), seconds=None,
            field_order=self.format.field_order,
        )  # fmt: skip
        return OnPathSpec(test, delivery)


def _tape_of(player: object) -> str:
    return player.tape if isinstance(player, TapePlayerSpec) else "perfect"


class Proving(QObject):
    """One test at a time. ``moved`` is told by how much the sound is to be moved, in ms, on top of what it is moved already."""

    changed = Signal()  # a test began or ended
    rehearsal_s = 10.0
    sync_s = 16.0
    trial_s = 120.0

    def __init__(self, state: AppState, page: ProvePage, subject: Callable[[], Subject | None]) -> None:
        super().__init__(page)
        self._state, self._page, self._subject = state, page, subject
        self.doing = ""
        self.job: Job | None = None
        self.sync: SyncResult | None = None
        self.trial: TrialResult | None = None
        self._recorded: Path | None = None
        self._stopped = False
        self.failed = False  # whether the last rehearsal of this carrier found a fault
        self.rehearsed: Path | None = None  # the last rehearsal, to be played, until the next test or another carrier

    def forget(self) -> None:
        """Another carrier: its path is not proven by what was found on the one before."""
        self.failed = False
        self._let_go()

    def start(self, key: str) -> None:
        """Begin a test, or stop the one that runs."""
        if self.doing:
            self.stop()
            return
        if not self._state.may_write():
            return
        self._stopped = False
        self._let_go()
        subject = self._subject()
        if key == "trial":
            self._try(subject)
        elif subject is not None:
            {"sync": self._sync, "clap": self._sync, "levels": self._levels, "rehearse": self._rehearse}[key](subject, key)

    def stop(self) -> None:
        """What was tried of the machine by then counts; of the other tests nothing does."""
        self._stopped = self.doing != "trial"
        if self.job is not None:
            self._state.jobs.cancel(self.job)

    def _sync(self, subject: Subject, key: str) -> None:
        test = subject.test_signal("clap" if key == "clap" else "synctest")
        self._page.sync.say("undetermined", "Recording the test …" if subject.simulated else "Play the test now …")
        request = CaptureRequest(
            test, self._file(subject), subject.record_as.model_copy(update={"part_minutes": None}),
            EndRules(max_seconds=self.sync_s, blank_seconds=None), look=LookAs(preview=False, scopes=False), patient=subject.simulated,
        )  # fmt: skip
        self._run(key, capture, request, "recording a sync test", lambda _result: self._measure(subject))

    def _measure(self, subject: Subject) -> None:
        assert self._recorded is not None
        self._page.sync.say("undetermined", "Measuring …")

        def shown(result: SyncResult) -> None:
            self.sync = result
            self._page.show_sync(result, subject.record_as.sound_later_ms)

        self._run(self.doing, measure_sync, SyncRequest(self._recorded), "measuring sync", shown)

    def _levels(self, subject: Subject, key: str) -> None:
        self._page.levels.say("undetermined", "Looking at bars and tone …" if subject.simulated else "Play bars and tone now …")
        self._run(key, measure_levels, LevelsRequest(subject.test_signal("bars")), "testing levels", self._page.show_levels)

    def _try(self, subject: Subject | None) -> None:
        folder = self._state.workspace.folder / "trials"
        standard = subject.format.standard if subject else STANDARDS["525i"]
        request = TrialRequest(folder, standard.width, standard.height, standard.rate, standard.interlaced, self.trial_s)
        current = subject.record_as.codec if subject else ""

        def shown(result: TrialResult) -> None:
            self.trial = result
            self._page.show_trial(result, current)

        self._run("trial", try_codecs, request, "trying the machine", shown)

    def _rehearse(self, subject: Subject, key: str) -> None:
        self._page.rehearsal.say("undetermined", "Recording …")
        request = CaptureRequest(
            subject.source, self._file(subject), subject.record_as.model_copy(update={"part_minutes": None}),
            EndRules(max_seconds=self.rehearsal_s, blank_seconds=None), look=LookAs(preview=False),
        )  # fmt: skip

        def recorded(result: Any) -> None:
            assert self._recorded is not None
            if not result.frames:
                self.failed = True
                self._page.rehearsal.say("fault", f"Nothing came: {result.trouble or 'the source gave no picture'}.")
                return
            self._page.rehearsal.say("undetermined", "Reading …")
            health = read_health(self._recorded)[1] if result.logged else None

            def shown(reading: Any) -> None:
                rehearsal = judge_rehearsal(result, reading, subject.format, health, silent=subject.silent)
                self.failed = bool(rehearsal.wrong)
                self._page.show_rehearsal(rehearsal)
                self._keep()

            self._run(key, read, ReadRequest(self._recorded, complexity=False), "reading a rehearsal", shown)

        self._run(key, capture, request, "recording a rehearsal", recorded)

    def _file(self, subject: Subject) -> Path:
        path = self._state.workspace.folder / "trials" / f"proof{subject.record_as.suffix(subject.format.bits)}"
        self._recorded = path
        self._clear()  # what a crash left of an earlier one
        self._recorded = path
        return path

    def _keep(self) -> None:
        assert self._recorded is not None
        kept = self._recorded.with_stem("rehearsal")
        with contextlib.suppress(OSError):
            self._recorded.replace(kept)
            self.rehearsed = kept
        self._page.play_button.setVisible(self.rehearsed is not None)

    def _let_go(self) -> None:
        if self.rehearsed is not None:
            with contextlib.suppress(OSError):
                self.rehearsed.unlink()
        self.rehearsed = None
        self._page.play_button.hide()

    def _clear(self) -> None:
        if self._recorded is not None:
            for path in (self._recorded, health_path(self._recorded)):
                with contextlib.suppress(OSError):
                    path.unlink()
        self._recorded = None

    def _run(self, key: str, function: Any, request: Any, name: str, then: Callable[[Any], None]) -> None:
        def ended(job: Job) -> None:
            self.doing, self.job = "", None
            if job.state is JobState.DONE and not self._stopped:
                self.doing = key  # a test of several steps goes on as one
                self.job = None
                then(job.result)
                if self.job is None:
                    self.doing = ""
            else:
                self._say_stopped(key, str(job.error) if job.error else "Stopped.")
            if not self.doing:
                self._clear()
            self._page.set_busy(self.doing)
            self.changed.emit()

        def progressed(job: Job) -> None:
            doing = getattr(job.progress, "doing", "")
            if doing:
                self._page.trial.say("undetermined", f"Trying {doing} …")

        self.doing = key
        self.job = self._state.jobs.start(
            function, request, name=name, urgent=key != "levels", grace=_END_GRACE_S, on_end=ended, on_progress=progressed,
            resource=device_of(getattr(request, "source", None)),
        )  # fmt: skip
        self._page.set_busy(key)
        self.changed.emit()

    def _say_stopped(self, key: str, words: str) -> None:
        card = {"rehearse": self._page.rehearsal, "levels": self._page.levels, "trial": self._page.trial}.get(key, self._page.sync)
        card.say("undetermined", f"{words} {card.purpose}")
