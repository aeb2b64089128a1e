"""The second of the take that a treatment is judged by: decoded once, treated anew for whatever is chosen, measured."""

from __future__ import annotations

from collections import OrderedDict
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from yomikomi.core.errors import CancelledError, YomikomiError
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.cadence import Places, gaps_of, pace_of
from yomikomi.core.treatment.effects import Effect, measure_effects
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.loop import LoopRequest, LoopSide, LoopSource, open_loop, treat_loop, typical_frame
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Levels
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.timecode import frame_clock
from yomikomi.core.work import SilentReporter
from yomikomi.ui.icons import icon
from yomikomi.ui.state import AppState
from yomikomi.ui.treatment.player import MODES, LoopPlayer
from yomikomi.ui.treatment.time_strip import TimeStrip
from yomikomi.ui.widgets.basics import button, label, row

# Loops that are kept: going back to a choice shows it at once.
_KEPT_LOOPS = 6
# Black and white of limited range, code values (ITU-R BT.601, BT.709).
_USUAL_POINTS = (16.0, 235.0)


class _WhileWanted(SilentReporter):
    """Stops work for a choice that is not looked at any more: the next one would wait for it."""

    def __init__(self, looking: Looking, treatment: Treatment) -> None:
        super().__init__()
        self._looking, self._treatment = looking, treatment

    def check(self) -> None:
        if self._looking.treatment != self._treatment:
            raise CancelledError("Another treatment was chosen.")


class Looking(QWidget):
    """Emits ``measured`` with a treatment and what was measured of its steps. ``watch_button``: opens the player, by whoever holds this."""

    measured = Signal(object, list)

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self.player = LoopPlayer()
        self.loop: LoopSide | None = None
        self._source: LoopSource | None = None
        self.source_key: tuple[object, ...] = ()
        self._take: tuple[int, Path, Reading] | None = None
        self._treatment: Treatment | None = None
        self._loops: OrderedDict[str, LoopSide] = OrderedDict()
        self._frame: int | None = None
        self.place = label(quiet=True)
        self.play_button = button("Pause", self.toggle, tip="F6")
        self.play_button.setIcon(icon("pause"))
        self.back_button = button("‹ field", lambda: self._step(-1), tip="One picture back")
        self.on_button = button("field ›", lambda: self._step(1), tip="One picture on")
        self.watch_button = button("Play…", lambda: None, tip="F12: before and after in full, with sound")
        self.mode = QComboBox()
        self.mode.addItems(MODES)
        self.mode.setAccessibleName("Compare by")
        self.mode.setToolTip("Wipe: move the mouse over the picture, or the arrow keys")
        self.mode.textActivated.connect(self.player.set_mode)
        self.strip = TimeStrip()
        self.strip.looked.connect(self._look_there)
        self.hardest_button = button("Hardest", partial(self.look_at, None), link=True, tip="The most combed second")
        self.typical_button = button("Typical", self._look_at_typical, link=True, tip="As hard to encode as half of the take")
        self._lay_out()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.player, 1)
        layout.addWidget(self.strip)
        transport = (self.back_button, self.play_button, self.on_button, self.watch_button)
        layout.addLayout(row(self.mode, self.hardest_button, self.typical_button, 1, *transport))
        layout.addWidget(self.place)

    def clear(self) -> None:
        self._take, self._treatment, self.loop, self._source, self.source_key = None, None, None, None, ()
        self.place.setText("")
        self.player.put(None, None, "after")
        self.strip.show_of(None, None)

    def show_of(self, take_id: int, path: Path, reading: Reading, treatment: Treatment) -> None:
        """The second is decoded once; what is chosen is tried on it."""
        if self._take is None or self._take[0] != take_id:
            self._frame = None
        self._take, self._treatment = (take_id, path, reading), treatment
        shown = self._frame if self._frame is not None else reading.most_combed_frame
        key = (take_id, shown, reading.frames)
        levels = treatment.get(Levels)
        self.player.before.waveform.offer(*((levels.black, levels.white) if levels is not None else _USUAL_POINTS))
        self.strip.show_of(reading, treatment, float(Timing.of(reading, treatment).shown_at(shown)))
        if self.source_key != key:
            self.source_key, self._source = key, None
            self._loops.clear()
            self.player.put(None, None, "after")
            width = max(200, self.player.before.view.width()) if self.player.isVisible() else 372
            shape = reading.geometry
            request = LoopRequest(path, reading, min(width, shape.width) // 2 * 2, min(480, shape.height), shown)
            taken = partial(self._take_source, key)
            self._state.calls.call("loop source", lambda: open_loop(request, SilentReporter()), taken, self._state.tell_error)
        elif self._source is not None:
            self._treat(self._source)

    def look_at(self, frame: int | None) -> None:
        """Another second of the take; None: the most combed one."""
        self._frame = frame
        if self._take is not None and self._treatment is not None:
            self.show_of(*self._take, self._treatment)

    def toggle(self) -> None:
        self.player.hold(not self.player.held)
        self._show_held()

    def _look_at_typical(self) -> None:
        if self._take is not None:
            self.look_at(typical_frame(self._take[2]))

    def _look_there(self, seconds: float) -> None:
        if self._take is not None:
            reading = self._take[2]
            frame = Places(gaps_of(reading)).frame_at(int(Fraction(seconds).limit_denominator(10**6) * pace_of(reading) + Fraction(1, 100)))
            self.look_at(min(frame, max(0, reading.frames - 1)))

    def _step(self, frames: int) -> None:
        self.player.step(frames)
        self._show_held()

    def _show_held(self) -> None:
        self.play_button.setText("Play" if self.player.held else "Pause")
        self.play_button.setIcon(icon("play" if self.player.held else "pause"))

    def _take_source(self, key: tuple[object, ...], source: LoopSource) -> None:
        if key == self.source_key:
            self._source = source
            self.player.put(source.before, None, "after")
            self._treat(source)

    def _treat(self, source: LoopSource) -> None:
        treatment = self._treatment
        if treatment is None:
            return
        if treatment.digest in self._loops:
            self._take_loop(treatment, self._loops[treatment.digest])
            return
        self.loop = None
        self.player.after.put(None, "after …")
        taken = partial(self._take_loop, treatment)
        asked = _WhileWanted(self, treatment)
        self._state.calls.call("loop", lambda: treat_loop(source, treatment, asked), taken, self._failed)

    def _take_loop(self, treatment: Treatment, side: LoopSide) -> None:
        self._loops[treatment.digest] = self.loop = side
        self._loops.move_to_end(treatment.digest)
        while len(self._loops) > _KEPT_LOOPS:
            self._loops.popitem(last=False)
        source, take = self._source, self._take
        if source is None or treatment != self._treatment or take is None:
            return
        reading = take[2]
        self.player.put(source.before, side, f"after: {treatment.words(source_format(reading))}")
        told = partial(self._take_effects, treatment)
        asked = _WhileWanted(self, treatment)
        self._state.calls.call("effects", lambda: measure_effects(source, treatment, asked), told, self._failed)
        rate, middle = Fraction(reading.rate.nominal), source.frames.start + len(source.frames) // 2
        self.place.setText(f"1:1 around {frame_clock(middle, rate)}, from column {source.left}, line {source.top}")

    def _failed(self, error: YomikomiError) -> None:
        if not isinstance(error, CancelledError):  # something else was chosen meanwhile
            self._state.tell_error(error)

    @property
    def treatment(self) -> Treatment | None:
        """What is shown, or about to be."""
        return self._treatment

    def _take_effects(self, treatment: Treatment, effects: list[Effect]) -> None:
        if treatment == self._treatment:
            self.measured.emit(treatment, effects)
