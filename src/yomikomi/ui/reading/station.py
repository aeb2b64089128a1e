"""What the take is, with the evidence."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QProgressBar, QVBoxLayout

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.reading.cards.finding import Finding
from yomikomi.core.reading.closeup import CloseLook, close_look
from yomikomi.core.reading.current import looks_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import current
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.report.writing import write_report
from yomikomi.core.reading.scanner import ReadProgress
from yomikomi.core.reading.sentences import basis, findings, headline
from yomikomi.core.reading.unread import FirstLook, first_look
from yomikomi.core.video.timecode import clock
from yomikomi.core.work import Job
from yomikomi.core.work.notices import Weight
from yomikomi.ui.reading.cards import FindingCard, FindingList
from yomikomi.ui.reading.compare import CompareDialog
from yomikomi.ui.reading.detail import DetailPanel
from yomikomi.ui.reading.overrule import OverruleDialog
from yomikomi.ui.reading.selection import selection_words
from yomikomi.ui.reading.strips import EvidenceStrips
from yomikomi.ui.reading.viewer import FrameViewer
from yomikomi.ui.reading.work import Mode, ReadingWork
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, label, menu_button, plain_tip, row, side_panel

_PURPOSE = (
    "A reading measures scan type and field order, frame rate and losses, levels and range, borders, noise and tape faults, "
    "sound and sync, each with its evidence and certainty."
)


class ReadingStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.work = ReadingWork.of(state)
        self._view: CarrierView | None = None
        self._frame = 0
        self.topic = "scan"
        self._shown: tuple[int, str] | None = None
        self.viewer, self.detail, self.strips = FrameViewer(), DetailPanel(), EvidenceStrips()
        self.strips.setFixedHeight(262)
        self.strips.frame_chosen.connect(self.show_frame)
        self.strips.selected.connect(self._say_selection)
        self.strips.next_place.connect(self.step_place)
        self.strips.turn_view.connect(self.viewer.turn_mode)
        self.selection = label("", quiet=True)
        self.selection.hide()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.hide()
        self.list = FindingList()
        self.list.card_chosen.connect(self._card_chosen)
        self.overrule_button = button("Overrule…", self.overrule, link=True, tip="Say what it is, if you know better")
        self.compare_button = button("Compare…", self.compare, link=True, tip="Hold it against another take of this carrier")
        self.report_button = button("Report…", self.ask_report, link=True, tip="HTML, PDF or JSON")
        self.watch_button = button("Play…", self.open_player, link=True, tip="F12: with its sound")
        self.again_button = menu_button(
            "Read again", [("Every frame (F5)", self.read), ("Quickly, by a sample", partial(self.read, "quick"))]
        )
        self.quick_button = button("Read quickly", partial(self.read, "quick"), tip="A sample of stretches: minutes become seconds")
        self.go_button = button("Read the take", self.primary, primary=True, tip="Ctrl+Return")
        self.go_button.setMinimumWidth(150)
        looked = QHBoxLayout()
        looked.setSpacing(12)
        looked.addWidget(self.viewer, 1)
        looked.addWidget(self.detail)
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addLayout(looked, 1)
        left.addWidget(self.bar)
        left.addWidget(self.selection)
        left.addWidget(self.strips)
        side, right = side_panel(364, spacing=8)
        self.cards_head = label("Findings, by what they cost the copy", name="section")
        right.addWidget(self.cards_head)
        right.addWidget(self.list, 1)
        right.addLayout(row(self.overrule_button, self.compare_button, self.report_button, self.again_button, 1, spacing=4))
        self.handed = label("", quiet=True, wrap=True)
        right.addWidget(self.handed)
        right.addLayout(row(self.watch_button, 1, self.quick_button, self.go_button))
        self.lay_out(left, side)
        self.work.changed.connect(self._on_work)
        self.work.progressed.connect(self._on_progress)

    @property
    def job(self) -> Job | None:
        """The reading that runs, of whatever take."""
        return self.work.job

    @property
    def cards(self) -> list[FindingCard]:
        return self.list.cards

    def show_carrier(self, view: CarrierView | None) -> None:
        self._view = view
        reading = view.judged if view else None
        self.bar.setVisible(self._reads(view))
        self._say(view)
        self._check_current(view)
        idle = self.job is None
        has_take = view is not None and view.take is not None and view.take.state != "recording"
        self.go_button.setText("Continue to Treatment" if reading else "Read the take")
        self.go_button.setEnabled(has_take and idle)
        self.quick_button.setVisible(reading is None)
        self.quick_button.setEnabled(has_take and idle)
        for one in (self.overrule_button, self.report_button, self.again_button, self.compare_button):
            one.setVisible(reading is not None)
            one.setEnabled(idle)
        self.cards_head.setVisible(reading is not None)
        take_id = view.take.id if view and view.take else 0
        stamp = (take_id, repr(reading.scan) + str(reading.read_seconds) + str(reading.overruled) if reading else "")
        if stamp == self._shown:
            return
        was = self._shown
        self._shown = stamp
        if reading is not None or was is not None:
            self.strips.show_reading(reading)
        found = findings(reading, view.origin) if reading and view else []
        if self.topic not in {one.topic for one in found}:
            self.topic = "scan"
        self.list.show_findings(found, topic=self.topic)
        self._name_overruling()
        asked = [one.words for one in proposals(reading, found)] if reading else []
        self.handed.setText(f"Suggested corrections: {' · '.join(asked)}" if asked else "No corrections needed." if reading else _PURPOSE)
        self.strips.setVisible(reading is not None)
        if reading is None:
            self._show_unread(view)
        else:
            self.detail.setVisible(True)
            self.strips.choose(self._proof_frame(self.list.chosen, reading))

    def _show_unread(self, view: CarrierView | None) -> None:
        """A first picture and the file's own tracks, fetched in a thread."""
        self.viewer.show_unread(None)
        self.detail.show_unread(None)
        self.detail.setVisible(False)
        if view is None or view.take is None or view.take.state == "recording":
            return
        path = view.take.path

        def shown(look: FirstLook) -> None:
            if self._view is not None and self._view.take is not None and self._view.take.path == path and self._view.reading is None:
                self.detail.setVisible(True)
                self.viewer.show_unread(look)
                self.detail.show_unread(look)

        # What cannot be opened is told when it is to be read.
        self.state.calls.call("first look", partial(first_look, path), shown, lambda _error: None)

    def primary(self) -> None:
        if self._view is None or self.job is not None:
            return
        if self._view.reading is None:
            self.read()
        else:
            self.state.go.emit("treatment")

    def act(self, key: str) -> None:
        if key == "read":
            self.read()

    def read(self, mode: Mode = "full") -> None:
        """Measure the current take in a worker."""
        if self._view is not None:
            self.work.read(self._view, mode)

    def show_frame(self, frame: int) -> None:
        """Fetch a frame in a thread and show it; an older answer that comes late is dropped."""
        view = self._view
        if view is None or view.take is None or view.reading is None:
            return
        self._frame = frame
        path, reading = view.take.path, view.reading
        judged = view.judged or reading

        shown = partial(self._show_look, judged)
        self.state.calls.call("frame", lambda: close_look(path, reading, frame), shown, self.state.tell_error)

    def _show_look(self, judged: Reading, look: CloseLook) -> None:
        self.viewer.show_look(look, judged)
        self.detail.show_look(look, judged)

    def choose_card(self, card: FindingCard) -> None:
        """Look at a verdict: the frame that shows it, and what Overrule is about."""
        self.list.choose(card.finding)

    def step_place(self, step: int) -> None:
        """To the next (previous) frame that shows the chosen finding."""
        places = self.list.chosen.frames if self.list.chosen else ()
        ahead = [at for at in places if (at > self._frame if step > 0 else at < self._frame)]
        if ahead:
            self.strips.choose(min(ahead) if step > 0 else max(ahead))

    def overrule(self) -> OverruleDialog | None:
        """Ask for a person's word on the chosen verdict."""
        view = self._view
        if view is None or view.judged is None or view.take is None:
            return None
        judged, take_id, topic = view.judged, view.take.id, self.topic
        about = self.list.chosen.title if self.list.chosen else ""
        dialog = OverruleDialog(topic, judged, self, about=about)

        def done(code: int) -> None:
            now, reason = dialog.answer
            was = current(topic, judged)
            if code == QDialog.DialogCode.Accepted and now not in {"", was}:
                self.state.record.readings.overrule(take_id, topic=topic, was=was, now=now, reason=reason)
                self.state.reload()

        dialog.finished.connect(done)
        dialog.open()
        return dialog

    def compare(self) -> CompareDialog | None:
        """Hold this take against another take of the carrier that was read."""
        view = self._view
        if view is None or view.judged is None or view.take is None:
            return None
        others = [(name, reading) for take_id, name, reading in self.state.record.readings.of(view.id) if take_id != view.take.id]
        if not others:
            remedy = "Capture another pass of this carrier and read it; earlier takes are kept."
            self.state.tell(Weight.FINE, "There is no other take of this carrier that was read.", remedy)
            return None
        dialog = CompareDialog(view.take.path.name, view.judged, others, self)
        dialog.open()
        return dialog

    def ask_report(self) -> None:
        kinds = "HTML (*.html);;PDF (*.pdf);;JSON (*.json)"
        name, _ = QFileDialog.getSaveFileName(self, "Save the report", "reading.html", kinds)
        if name:
            self.report_to(Path(name))

    def report_to(self, path: Path) -> None:
        """Written in a thread; the kind follows from the name's ending."""
        view = self._view
        if view is None or view.judged is None or view.take is None:
            return
        judged, source, title, origin = view.judged, view.take.path, f"{view.label} {view.title}".strip(), view.origin
        self.state.calls.call(
            "report", lambda: write_report(judged, path, source, title=title, over=True, origin=origin),
            lambda _none: self.state.tell(Weight.FINE, f"The report is in {path.name}."), self.state.tell_error,
        )  # fmt: skip

    def _card_chosen(self, finding: Finding) -> None:
        self.topic = finding.topic
        self._name_overruling()
        if self._view is not None and self._view.judged is not None:
            self.strips.choose(self._proof_frame(finding, self._view.judged))

    @staticmethod
    def _proof_frame(finding: Finding | None, reading: Reading) -> int:
        return finding.frame if finding is not None and finding.frame is not None else reading.most_combed_frame

    def _name_overruling(self) -> None:
        about = self.list.chosen.title if self.list.chosen else ""
        self.overrule_button.setToolTip(plain_tip(f"Say what it is, if you know better than: {about}"))

    def _say_selection(self, frames: tuple[int, int] | None) -> None:
        reading = self._view.judged if self._view else None
        self.selection.setVisible(frames is not None and reading is not None)
        if frames is not None and reading is not None:
            self.selection.setText(selection_words(reading, *frames))

    def _check_current(self, view: CarrierView | None) -> None:
        """In a thread: whether what is shown still speaks of the file that lies there."""
        if view is None or view.take is None or view.reading is None:
            return
        path, reading = view.take.path, view.reading

        def told(current: bool) -> None:
            if not current and self._view is view:
                self.sentence.say(
                    "The take's file has changed since it was read, or cannot be reached.",
                    "What is shown is of the file as it was: read it again",
                )

        self.state.calls.call("current", lambda: looks_current(path, reading), told)

    def _reads(self, view: CarrierView | None) -> bool:
        """Whether it is this carrier's take that is being read."""
        return self.job is not None and view is not None and view.take is not None and view.take.id == self.work.take_id

    def _on_progress(self, job: Job) -> None:
        progress: ReadProgress = job.progress
        self.bar.setValue(round(progress.part * 1000))
        self.bar.setFormat(f"{progress.frames} frames · {progress.speed:.1f} × real time · {clock(progress.seconds_left)} left")

    def _on_work(self) -> None:
        """A reading began or ended."""
        if self.job is not None and self.job.progress is None:
            self.bar.setValue(0)
            self.bar.setFormat("starting")
        self.show_carrier(self._view)

    def _say(self, view: CarrierView | None) -> None:
        if view is None or view.take is None:
            self.sentence.say("There is no take to read yet.", "Capture the carrier first, or import a file on the Shelf")
        elif view.judged is None:
            words = "Being read …" if self._reads(view) else "Another take is being read." if self.job else "Not read yet."
            self.sentence.say(words, "One pass over the take measures how it was scanned, what was lost, its levels, faults and sound")
        else:
            overruled = [one for one in view.overrulings if one.topic == "scan"]
            if overruled:
                because = f": {overruled[-1].reason}" if overruled[-1].reason else ""
                measured = headline(view.reading or view.judged)
                self.sentence.say(headline(view.judged, by_word=True), f"overruled{because} · measured: {measured}")
            else:
                self.sentence.say(headline(view.judged), basis(view.judged))
