"""Recording a take: the live picture, what it costs, whether anything is lost."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QVBoxLayout

from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.capture.session import CaptureRequest, CaptureResult, capture
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.source import SourceSpec
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import bit_rate_text, size_text
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui import theme
from yomikomi.ui.path.stand_in import source_on_path
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, MarkShape, Well, button, label, restyle, row
from yomikomi.ui.widgets.meters import LevelMeter
from yomikomi.ui.widgets.pictures import PictureView, image_from_bytes

# A recording ends in order: it may take the encoder a moment to write what it holds.
_END_GRACE_S = 6.0


class CaptureStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.job: Job | None = None
        self._view: CarrierView | None = None
        self._take_id: int | None = None
        self.alarm = QFrame()
        self.alarm.setObjectName("alarm")
        self._alarm_words, self._alarm_lost, self._alarm_left, self._alarm_rate = (label(figure=f) for f in (False, False, False, True))
        self._alarm_words.setFont(theme.sans(theme.HEAD_PX))
        bar = QHBoxLayout(self.alarm)
        bar.setContentsMargins(16, 8, 16, 8)
        bar.setSpacing(12)
        bar.addWidget(MarkShape("wrong"))
        bar.addWidget(self._alarm_words)
        for one in (self._alarm_lost, self._alarm_left):
            one.setFont(theme.sans(theme.TITLE_PX + 2))
            bar.addStretch(1)
            bar.addWidget(one)
        bar.addStretch(1)
        bar.addWidget(self._alarm_rate)
        self.picture = PictureView(surround=theme.LIVE_SURROUND)
        self.page.insertWidget(1, self.alarm)
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addWidget(self.picture, 1)
        body.addLayout(self._make_side())
        self.page.addLayout(body, 1)
        self.alarm.hide()

    def _make_side(self) -> QVBoxLayout:
        self.figures = {
            key: label("–", figure=True) for key in ("elapsed", "frames", "late", "dropped", "rate", "written", "left", "queue")
        }
        words = {
            "elapsed": "elapsed", "frames": "frames", "late": "late", "dropped": "lost", "rate": "measured rate",
            "written": "written", "left": "room left at this rate", "queue": "frames waiting",
        }  # fmt: skip
        well = Well()
        grid = QGridLayout(well)
        grid.setContentsMargins(16, 14, 16, 14)
        grid.setVerticalSpacing(7)
        for number, (key, figure) in enumerate(self.figures.items()):
            grid.addWidget(label(words[key], quiet=True), number, 0)
            figure.setAlignment(figure.alignment() | figure.alignment().AlignRight)
            figure.setFont(theme.mono(theme.BODY_PX))
            figure.setAccessibleName(words[key])
            grid.addWidget(figure, number, 1)
        sound = Well()
        inner = QVBoxLayout(sound)
        inner.setContentsMargins(16, 12, 16, 12)
        inner.addWidget(label("sound, programme", quiet=True))
        self.meter = LevelMeter()
        inner.addWidget(self.meter)
        self.source_card = Card(choosable=False)
        self.source_head, self.source_words = label(), label(quiet=True, wrap=True)
        self.source_card.body.addWidget(self.source_head)
        self.source_card.body.addWidget(self.source_words)
        self.caution = label(quiet=True, wrap=True)
        self.look_button = button("Look", self.look, tip="Show the picture without recording")
        self.start_button = button("Start the take", self.primary, primary=True, tip="F9")
        self.start_button.setMinimumSize(QSize(150, 34))
        side = QVBoxLayout()
        side.setSpacing(12)
        side.addWidget(well)
        side.addWidget(sound)
        side.addWidget(self.source_card)
        side.addWidget(self.caution)
        side.addStretch(1)
        side.addLayout(row(self.look_button, 1, self.start_button))
        for one in (well, sound, self.source_card):
            one.setFixedWidth(368)
        self.caution.setFixedWidth(368)
        return side

    @property
    def recording(self) -> bool:
        return self._take_id is not None

    def show_carrier(self, view: CarrierView | None) -> None:
        changed = (view.id if view else None) != (self._view.id if self._view else None)
        self._view = view
        if changed and not self.recording:
            self._stop_looking()
            self._clear()
        self._describe(view)
        self._buttons()
        if not self.recording:
            self._say_idle(view)

    def left(self) -> None:
        self._stop_looking()

    def primary(self) -> None:
        if self.recording:
            self.end()
        else:
            self.begin()

    def act(self, key: str) -> None:
        if key == "record":
            self.primary()

    def look(self) -> None:
        """Show the source without recording, or stop showing it."""
        if self.job is not None:
            self._stop_looking()
        elif (spec := self._spec()) is not None:
            self._launch(CaptureRequest(spec, None), "looking")

    def begin(self) -> None:
        spec, view = self._spec(), self._view
        if spec is None or view is None or self.recording:
            return
        try:
            take_id, path = self.state.record.begin_take(view.id)
        except WrongUseError as error:
            self.state.tell_error(error)
            return
        self._stop_looking()
        self._take_id = take_id
        self._launch(CaptureRequest(spec, path), f"recording {view.label}")

    def end(self) -> None:
        if self.job is not None:
            self.state.jobs.cancel(self.job)
            self.start_button.setEnabled(False)

    def _launch(self, request: CaptureRequest, name: str) -> None:
        self.job = self.state.jobs.start(
            capture, request, name=name, urgent=True, grace=_END_GRACE_S, on_progress=self._on_status, on_end=self._on_end
        )
        self.picture.empty = "The tape is starting …"
        self.picture.update()
        self._buttons()
        if request.path is not None:
            self.sentence.hide()
            self._alarm_words.setText("RECORDING  0:00:00")
            self.alarm.show()

    def _stop_looking(self) -> None:
        if self.job is not None and not self.recording:
            job, self.job = self.job, None
            self.state.jobs.cancel(job)
            self._buttons()

    def _on_status(self, job: Job) -> None:
        if job is not self.job:
            return
        status: CaptureStatus = job.progress
        if status.preview is not None:
            shown = status.preview
            self.picture.show_image(image_from_bytes(shown.rgb, shown.width, shown.height), Fraction(shown.width, shown.height))
        self.meter.show_level(status.peak_db, status.rms_db)
        left = spoken(status.seconds_left) if status.bits_per_second else "–"
        rate = bit_rate_text(status.bits_per_second) if status.bits_per_second else "–"
        for key, words in (
            ("elapsed", clock(int(status.seconds))),
            ("frames", str(status.frames)),
            ("late", str(status.late)),
            ("dropped", str(status.dropped)),
            ("rate", rate),
            ("written", size_text(status.bytes_written) if status.recording else "–"),
            ("left", left),
            ("queue", str(status.queue)),
        ):
            self.figures[key].setText(words)
        if status.recording:
            self._alarm_words.setText(f"RECORDING  {clock(int(status.seconds))}")
            self._alarm_lost.setText(f"{status.dropped} lost")
            self._alarm_left.setText(f"{left} left")
            self._alarm_rate.setText(rate)

    def _on_end(self, job: Job) -> None:
        if self.job is job:
            self.job = None
        take_id = self._take_id if job.name.startswith("recording") else None
        if take_id is None:
            if job.state is JobState.FAILED:
                self.state.tell_end(job)
            self._buttons()
            return
        self._take_id = None
        self.alarm.hide()
        self.sentence.show()
        result: CaptureResult | None = job.result
        if result is not None:
            self.state.record.end_take(take_id, result)
            self._tell_result(result)
        else:
            # The worker died or was ended: what it wrote is mended at once.
            if job.state is JobState.FAILED:
                self.state.tell_end(job)
            self.state.mend_takes(take_id)
        self.state.reload()
        self._buttons()

    def _tell_result(self, result: CaptureResult) -> None:
        if result.trouble:
            self.state.tell(Weight.WRONG, result.trouble, result.remedy)
        elif result.dropped:
            self.state.tell(
                Weight.LOOK, f"{clock(result.seconds)} captured; {result.dropped} frames were lost.", "See the reading for where."
            )
        else:
            self.state.tell(Weight.FINE, f"{clock(result.seconds)} captured, nothing lost. Next: read it.")

    def _player(self) -> TapePlayerSpec | None:
        if self._view is None or self._view.source is None or not self._view.has_player:
            return None
        return TapePlayerSpec.from_json(self._view.source)

    def _spec(self) -> SourceSpec | None:
        """The player at the far end of its path, where one was planned."""
        if self._view is None or not self._view.has_player:
            return None
        return source_on_path(self._view, self._view.path)

    def _describe(self, view: CarrierView | None) -> None:
        spec = self._player()
        if view is None or spec is None:
            self.source_head.setText("No player")
            copied = view is not None and kind_of(view.kind).way == "copy"
            self.source_words.setText(
                "Its data are copied, not captured." if copied else "No player for this kind of carrier is connected."
            )
            self.caution.setText("")
            self.picture.empty = "Nothing to capture here. Choose a tape on the Shelf."
            return
        standard = STANDARDS[spec.standard]
        steady = not view.path.delivery.wobble if view.path else spec.corrector
        corrected = "time-base corrector fitted" if steady else "no time-base corrector"
        self.source_head.setText(f"Simulated {kind_of(view.kind).words} player")
        self.source_words.setText(
            f"{standard.words} frames a second, {standard.width} × {standard.height}, {spec.field_order.words} · {corrected}\n"
            + (f"{view.path.route}\n" if view.path else "no path was planned: as if all were set right\n")
            + "recorded as FFV1 and PCM in Matroska: nothing is thrown away"
        )
        condition = view.details.condition
        lines = [*([f"{condition.words.capitalize()}."] if condition.ticked else []), *kind_of(view.kind).caution_words("play", "live")]
        if not condition.looked and not condition.ticked:
            lines.insert(0, "Its condition was not checked. Do not play a tape that shows mould or squeals.")
        self.caution.setText("\n".join(lines))
        self.picture.empty = "Look shows the picture; Start the take records from where the tape stands."

    def _say_idle(self, view: CarrierView | None) -> None:
        if view is None:
            self.sentence.say("Choose a carrier on the Shelf first.")
        elif view.unfit:
            self.sentence.say(
                f"{view.label} must not be played: {view.details.condition.words}.",
                "Judge its condition anew on the Shelf (F2) once it was treated; until then nothing is recorded",
            )
        elif not view.has_player:
            words = "its data are copied" if kind_of(view.kind).way == "copy" else "no player is connected"
            self.sentence.say(f"{view.label} has nothing to capture: {words}.", "What is there already can be read as it is")
        elif view.takes:
            lost = f"{view.take.dropped or 0} lost" if view.take else ""
            length = clock(view.take.seconds or 0) if view.take else ""
            self.sentence.say(
                f"{view.label} has {view.takes} take{'s' if view.takes > 1 else ''}; the last is {length} long.",
                f"{view.take.frames if view.take else 0} frames, {lost} · a further take is kept beside it",
            )
        else:
            self.sentence.say(f"{view.label} is ready to be captured.", "Start with F9 or the button; F9 again ends the take")

    def _buttons(self) -> None:
        has_source = self._spec() is not None and (self.recording or not (self._view and self._view.unfit))
        self.start_button.setText("End the take" if self.recording else "Start the take")
        self.start_button.setEnabled(has_source)
        restyle(self.start_button, danger=self.recording, primary=not self.recording)
        self.look_button.setText("Stop looking" if self.job is not None and not self.recording else "Look")
        self.look_button.setEnabled(has_source and not self.recording)

    def _clear(self) -> None:
        self.picture.show_image(None)
        self.meter.show_level(-96.0, -96.0)
        for figure in self.figures.values():
            figure.setText("–")
