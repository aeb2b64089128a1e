"""What the take is, with the evidence."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QDialog, QProgressBar, QVBoxLayout

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import current
from yomikomi.core.reading.scanner import ReadProgress, ReadRequest, read
from yomikomi.core.reading.sentences import Finding, basis, findings, headline
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.ui.reading.overrule import OverruleDialog
from yomikomi.ui.reading.strips import EvidenceStrips
from yomikomi.ui.reading.viewer import FrameRequest, FrameViewer, fetch
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, CardColumn, MarkShape, button, label, row, scrolled, side_panel


class FindingCard(Card):
    """One verdict: mark, title, certainty, reason, advice."""

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.finding = finding
        title = label(finding.title, wrap=True)
        head = row(MarkShape(finding.mark.value), title, label(finding.certainty, figure=True, quiet=True), spacing=10)
        head.setStretch(1, 1)
        self.body.addLayout(head)
        for words in (finding.reason, finding.advice):
            line = label(words, quiet=True, wrap=True)
            line.setContentsMargins(24, 0, 0, 0)
            self.body.addWidget(line)
        self.setAccessibleName(f"{finding.mark.value}: {finding.title}, {finding.certainty}. {finding.reason}. {finding.advice}")


class ReadingStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.job: Job | None = None
        self._view: CarrierView | None = None
        self._frame = 0
        self.topic = "scan"
        self._shown: tuple[int, str] | None = None
        self.viewer = FrameViewer()
        self.strips = EvidenceStrips()
        self.strips.setFixedHeight(256)
        self.strips.frame_chosen.connect(self.show_frame)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.hide()
        self.cards_box = CardColumn()
        self.overrule_button = button("Overrule…", self.overrule, link=True, tip="Say what it is, if you know better")
        self.again_button = button("Read again", self.read, link=True, tip="F5")
        self.go_button = button("Read the take", self.primary, primary=True, tip="Ctrl+Return")
        self.go_button.setMinimumWidth(150)
        left = QVBoxLayout()
        left.setSpacing(12)
        left.addWidget(self.viewer, 1)
        left.addWidget(self.bar)
        left.addWidget(self.strips)
        side, right = side_panel(396, spacing=8)
        self.cards_head = label("Findings, by what they cost the copy", name="section")
        right.addWidget(self.cards_head)
        right.addWidget(scrolled(self.cards_box), 1)
        right.addLayout(row(self.overrule_button, self.again_button, 1))
        right.addLayout(row(1, self.go_button))
        self.lay_out(left, side)

    @property
    def cards(self) -> list[FindingCard]:
        return self.cards_box.all_of(FindingCard)

    def show_carrier(self, view: CarrierView | None) -> None:
        self._view = view
        reading = view.judged if view else None
        self._say(view)
        self._fill_cards(reading)
        has_take = view is not None and view.take is not None and view.take.state != "recording"
        self.go_button.setText("Treat as found" if reading else "Read the take")
        self.go_button.setEnabled(has_take and self.job is None)
        self.overrule_button.setEnabled(reading is not None and self.job is None)
        self.again_button.setEnabled(reading is not None and self.job is None)
        take_id = view.take.id if view and view.take else 0
        stamp = (take_id, repr(reading.scan) + str(reading.read_seconds) if reading else "")
        if stamp != self._shown and not (reading is None and self._shown is None):
            self._shown = stamp
            self.strips.show_reading(reading)
            if reading is None:
                self.viewer.show_frame(None)
            else:
                self.strips.choose(reading.most_combed_frame)

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

    def read(self) -> None:
        """Measure the current take in a worker."""
        take = self._view.take if self._view else None
        if take is None or take.state == "recording" or self.job is not None:
            return
        self.job = self.state.jobs.start(
            read, ReadRequest(take.path), name="reading", resource="processor",
            on_progress=self._on_progress, on_end=partial(self._on_end, take_id=take.id),
        )  # fmt: skip
        self.bar.setValue(0)
        self.bar.setFormat("starting")
        self.bar.show()
        self.show_carrier(self._view)

    def show_frame(self, frame: int) -> None:
        """Fetch a frame in a thread and show it; an older answer that comes late is dropped."""
        view = self._view
        if view is None or view.take is None or view.reading is None:
            return
        self._frame = frame
        reading = view.reading
        request = FrameRequest(view.take.path, reading, frame)
        self.state.calls.call(
            "frame", lambda: fetch(request), lambda samples: self.viewer.show_frame(samples, frame=frame, reading=reading),
            self.state.tell_error,
        )  # fmt: skip

    def choose_card(self, card: FindingCard) -> None:
        """Look at a verdict: the frame that shows it, and what Overrule is about."""
        self.topic = card.finding.topic
        for one in self.cards:
            one.mark_chosen(one is card)
        self._name_overruling()
        if self._view is not None and self._view.judged is not None:
            self.strips.choose(self._view.judged.most_combed_frame)

    def overrule(self) -> OverruleDialog | None:
        """Ask for a person's word on the chosen verdict."""
        view = self._view
        if view is None or view.judged is None or view.take is None:
            return None
        judged, take_id, topic = view.judged, view.take.id, self.topic
        dialog = OverruleDialog(topic, judged, self)

        def done(code: int) -> None:
            now, reason = dialog.answer
            was = current(topic, judged)
            if code == QDialog.DialogCode.Accepted and now not in {"", was}:
                self.state.record.overrule(take_id, topic=topic, was=was, now=now, reason=reason)
                self.state.reload()

        dialog.finished.connect(done)
        dialog.open()
        return dialog

    def _name_overruling(self) -> None:
        about = next((card.finding.title for card in self.cards if card.finding.topic == self.topic), "")
        self.overrule_button.setToolTip(f"Say what it is, if you know better than: {about}")

    def _on_progress(self, job: Job) -> None:
        progress: ReadProgress = job.progress
        self.bar.setValue(round(progress.part * 1000))
        self.bar.setFormat(f"{progress.frames} frames · {progress.speed:.1f} × real time · {clock(progress.seconds_left)} left")

    def _on_end(self, job: Job, take_id: int) -> None:
        self.job = None
        self.bar.hide()
        if job.state is JobState.DONE:
            self.state.record.save_reading(take_id, job.result)
            self.state.reload()
        else:
            self.state.tell_end(job)
            self.show_carrier(self._view)

    def _say(self, view: CarrierView | None) -> None:
        if view is None or view.take is None:
            self.sentence.say("There is no take to read yet.", "Capture the carrier first, or import a file on the Shelf")
        elif view.judged is None:
            words = "Being read …" if self.job else "Not read yet."
            self.sentence.say(words, "One pass over the whole take measures scan type, field order, rate, shape and sound")
        else:
            overruled = [one for one in view.overrulings if one.topic == "scan"]
            if overruled:
                order = FieldOrder(view.judged.scan.field_order).words if view.judged.scan.field_order else ""
                kind = ", ".join(part for part in (view.judged.scan.kind, order) if part)
                because = f": {overruled[-1].reason}" if overruled[-1].reason else ""
                self.sentence.say(
                    f"{kind.capitalize()}, by your word.", f"overruled{because} · measured: {headline(view.reading or view.judged)}"
                )
            else:
                self.sentence.say(headline(view.judged), basis(view.judged))

    def _fill_cards(self, reading: Reading | None) -> None:
        self.cards_box.clear()
        self.cards_head.setVisible(reading is not None)
        if reading is not None:
            for finding in findings(reading):
                card = FindingCard(finding)
                card.mark_chosen(finding.topic == self.topic)
                card.chosen.connect(partial(self.choose_card, card))
                self.cards_box.addWidget(card)
            self._name_overruling()
        self.cards_box.addStretch(1)
