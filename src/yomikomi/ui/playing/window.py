"""The player: pictures with their sound, one alone or several side by side, in one place by turns, or divided by a line."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QHideEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.timecode import frame_clock
from yomikomi.ui.background import Calls
from yomikomi.ui.playing.deck import Deck, Named
from yomikomi.ui.playing.pane import Pane
from yomikomi.ui.widgets.basics import button, label, row
from yomikomi.ui.widgets.meters import LevelMeter

# Pictures are looked for often; time, buttons and levels are shown at a rate that eyes can follow.
_TICK_MS, _STATE_TICKS = 8, 7
_SLIDER = 10_000
_SPEEDS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0)
_USUAL_SPEED = _SPEEDS.index(1.0)
_JUMP_S = 5.0
_FEW_LATE = 10
# Key, what it does, words for the list of keys.
KEYS = (
    ("Space", "toggle", "play or pause"), ("Left", "back", "one frame back"), ("Right", "on", "one frame on"),
    ("Shift+Left", "field_back", "one field back"), ("Shift+Right", "field_on", "one field on"),
    ("Ctrl+Left", "jump_back", "5 s back"), ("Ctrl+Right", "jump_on", "5 s on"), ("Home", "begin", "to the beginning"),
    ("[", "mark_in", "loop from here"), ("]", "mark_out", "loop to here"), ("Backspace", "no_loop", "no loop"),
    (",", "slower", "slower"), (".", "faster", "faster"), ("M", "mute", "sound off or on"), ("A", "other", "sound of the other one"),
    ("B", "flip", "one picture in place of the other"), ("Shift+B", "both", "all pictures"),
    ("W", "wipe", "two pictures in one place, divided at the mouse"), ("P", "pixels", "1:1 pixels, or as large as fits"),
    ("F", "full", "full window"), ("Escape", "leave", "leave"),
)  # fmt: skip


class PlayerWindow(QWidget):
    """Parameters
    ----------
    played : one source, or several to be compared.
    bottom_first : order of the fields, for steps by field.
    begins : second that is shown first.
    make : for tests: how the players are made.
    """

    def __init__(
        self, played: tuple[Named, ...], title: str, parent: QWidget | None = None, *, bottom_first: bool = False, begins: float = 0.0,
        make: Callable[[tuple[Named, ...]], Deck] = Deck,
    ) -> None:  # fmt: skip
        super().__init__(parent, Qt.WindowType.Window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(title)
        self.resize(1180 if len(played) > 1 else 900, 720)
        self.setMinimumSize(480, 360)
        self._bottom_first, self._begins, self._mark = bottom_first, begins, 0.0
        self.deck: Deck | None = None
        self._named = [one.words for one in played]
        self._calls = Calls(self)
        self.panes = [Pane(one.words) for one in played]
        self._wiped = 0  # the pane that shares the place of the first, 0: none does
        self._exact = False
        self._make_controls(played)
        self._lay_out()
        for key, name, _words in KEYS:
            QShortcut(QKeySequence(key), self).activated.connect(partial(self.act, name))
        self.play_button.setFocus()
        self._ticks = 0
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._closed = threading.Event()
        self._calls.call("player", partial(_opened, make, played, self._closed), self._take, self._fail)

    def _make_controls(self, played: tuple[Named, ...]) -> None:
        self.play_button = button("Play", self.toggle, primary=True, tip="Space")
        self.play_button.setMinimumWidth(110)
        self.back_button = button("‹ frame", lambda: self.act("back"), tip="Left; Shift+Left: one field")
        self.on_button = button("frame ›", lambda: self.act("on"), tip="Right; Shift+Right: one field")
        self.place = QSlider(Qt.Orientation.Horizontal)
        self.place.setRange(0, _SLIDER)
        self.place.setAccessibleName("Position")
        self.place.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # its arrow keys would be those of the frames
        self.place.sliderMoved.connect(self._slide)
        self.time = label(figure=True)
        self.time.setMinimumWidth(210)
        self.speed = QComboBox()
        for one in _SPEEDS:
            self.speed.addItem(f"{one:g} ×", one)
        self.speed.setCurrentIndex(_USUAL_SPEED)
        self.speed.setAccessibleName("Speed")
        self.speed.setToolTip("Comma and full stop. Below 0.5 and above 2 the sound is off")
        self.speed.activated.connect(lambda _number: self._set_speed())
        self.volume = QSlider(Qt.Orientation.Horizontal)
        self.volume.setRange(0, 100)
        self.volume.setValue(70)
        self.volume.setFixedWidth(110)
        self.volume.setAccessibleName("Volume")
        self.volume.setToolTip("M: sound off or on. Start low with headphones")
        self.volume.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.volume.valueChanged.connect(self._set_volume)
        self.track = QComboBox()
        self.track.setAccessibleName("Sound track")
        self.track.activated.connect(self._set_track)
        self.track.hide()
        self.other_button = button("Sound of the other", lambda: self.act("other"), tip="A")
        self.flip_button = button("One place", lambda: self.act("flip"), tip="B: one in place of the other · Shift+B: all side by side")
        self.wipe_button = button("Divided", lambda: self.act("wipe"), tip="W: two in one place, divided where the mouse is")
        self.pixels_button = button("1:1", lambda: self.act("pixels"), tip="P: one sample to one screen pixel, or as large as fits")
        for one_of_two in (self.other_button, self.flip_button, self.wipe_button):
            one_of_two.setVisible(len(played) > 1)
        self.loop_words = label("", quiet=True)
        self.late = label("", quiet=True, figure=True)
        self.late.setToolTip("This machine cannot decode them in time; sound and steps are exact all the same")
        self.note = label("", quiet=True, wrap=True)
        self.note.hide()
        self.meters = [LevelMeter(ticks=False) for _ in range(2)]
        for meter, side in zip(self.meters, ("left", "right"), strict=True):
            meter.setAccessibleName(f"Sound level, {side}")

    def _lay_out(self) -> None:
        panes = QHBoxLayout()
        panes.setSpacing(10)
        for pane in self.panes:
            panes.addWidget(pane, 1)
        self.controls = QWidget()
        inner = QVBoxLayout(self.controls)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(8)
        inner.addLayout(row(self.place, self.time))
        meters = QGridLayout()
        meters.setContentsMargins(0, 0, 0, 0)
        meters.setVerticalSpacing(0)
        meters.setColumnStretch(1, 1)
        for line, (meter, side) in enumerate(zip(self.meters, ("L", "R"), strict=True)):
            meters.addWidget(label(side, quiet=True, figure=True), line, 0)
            meters.addWidget(meter, line, 1)
        inner.addLayout(meters)
        inner.addLayout(
            row(
                self.back_button, self.on_button, self.speed, self.track, self.loop_words, self.late, 1, self.pixels_button,
                self.flip_button, self.wipe_button, self.other_button, label("Volume", quiet=True), self.volume, self.play_button,
            )
        )  # fmt: skip
        inner.addWidget(self.note)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 14, 14, 12)
        layout.setSpacing(10)
        layout.addLayout(panes, 1)
        layout.addWidget(self.controls)

    # The players.

    def _take(self, deck: Deck) -> None:
        if self._closed.is_set():
            deck.close()
            return
        self.deck = deck
        for pane, one in zip(self.panes, deck.played, strict=True):
            pane.shape = one.source.shape
            pane.rate.setText(f"{rate_text(one.source.rate)} fps")
        self._size()
        self._set_volume()
        self._say_heard()
        self._offer_tracks()
        self._say_note(deck.player.out.words)
        if self._begins:
            deck.seek(self._begins)
        self._timer.start()

    def _fail(self, error: YomikomiError) -> None:
        self._say_note(str(error))
        self.play_button.setEnabled(False)

    def _offer_tracks(self) -> None:
        assert self.deck is not None
        count = self.deck.player.source.sounds
        self.track.clear()
        self.track.addItems([f"Sound {number + 1}" for number in range(count)])
        self.track.setVisible(count > 1)
        if not count:
            self._say_note("It has no sound.")

    def _tick(self) -> None:
        deck = self.deck
        if deck is None:
            return
        for number, (pane, shown) in enumerate(zip(self.panes, deck.due(), strict=True)):
            if shown is not None:
                pane.put(shown)
                if number and number == self._wiped:
                    self.panes[0].put_other(shown)
        self._ticks += 1
        if self._ticks % _STATE_TICKS == 0:
            self._show_state(deck)

    def _show_state(self, deck: Deck) -> None:
        seconds, length, rate = deck.position, deck.player.source.seconds, deck.player.source.rate
        if not self.place.isSliderDown() and length:
            self.place.setValue(round(_SLIDER * seconds / length))
        last = max(0, round(length * float(rate)) - 1)
        words = f"{frame_clock(min(deck.player.shown_number, last), rate)} of {frame_clock(last, rate)}"
        if self.time.text() != words:
            self.time.setText(words)
        playing = deck.player.playing
        wanted = "Pause" if playing else "Play"
        if self.play_button.text() != wanted:
            self.play_button.setText(wanted)
        late = deck.player.late
        self.late.setText(f"{late} pictures late" if late > _FEW_LATE else "")
        level = deck.level
        for meter, peak, rms in zip(self.meters, level.peak, level.rms, strict=True):
            meter.show_level(peak, rms)
        if deck.error is not None and self.note.text() != str(deck.error):
            self._say_note(str(deck.error))

    # What a person does.

    def toggle(self) -> None:
        if self.deck is None:
            return
        if self.deck.player.playing:
            self.deck.hold()
        else:
            self.deck.play()

    def act(self, name: str) -> None:
        deck = self.deck
        if name == "leave":
            if self.isFullScreen():
                self._full()
            else:
                self.close()
        elif name == "full":
            self._full()
        elif name == "mute":
            self.volume.setValue(0 if self.volume.value() else 70)
        elif name in {"slower", "faster"}:
            self.speed.setCurrentIndex(min(len(_SPEEDS) - 1, max(0, self.speed.currentIndex() + (1 if name == "faster" else -1))))
            self._set_speed()
        elif name == "toggle":
            self.toggle()
        elif deck is not None:
            self._move(deck, name)

    def _move(self, deck: Deck, name: str) -> None:
        if name in {"back", "on"}:
            deck.step(1 if name == "on" else -1)
        elif name in {"field_back", "field_on"}:
            deck.step_field(1 if name == "field_on" else -1, bottom_first=self._bottom_first)
        elif name in {"jump_back", "jump_on"}:
            deck.seek(deck.position + (_JUMP_S if name == "jump_on" else -_JUMP_S))
        elif name == "begin":
            deck.seek(0.0)
        elif name == "other":
            deck.hear((deck.heard + 1) % len(deck.players))
            self._say_heard()
        elif name in {"flip", "both"}:
            self._flip(both=name == "both")
        elif name == "wipe":
            self._wipe()
        elif name == "pixels":
            self._exact = not self._exact
            for pane in self.panes:
                pane.view.show_exact(exact=self._exact)
            self._size()
        elif name in {"mark_in", "mark_out", "no_loop"}:
            self._loop(deck, name)

    def _flip(self, *, both: bool) -> None:
        """One picture where the other was, as large: differences show as movement. They run on in step all the while."""
        seen = [pane.isVisibleTo(self) for pane in self.panes]
        after = 0 if all(seen) else (seen.index(True) + 1) % len(seen)
        self._end_wipe()
        self._show_panes(range(len(self.panes)) if both else [after])

    def _wipe(self) -> None:
        """The first picture at the left, another at the right of a line; the next one at each call, then side by side again."""
        if len(self.panes) < 2:
            return
        wiped = self._wiped + 1
        self._end_wipe()
        if wiped >= len(self.panes):
            self._show_panes(range(len(self.panes)))
            return
        self._wiped = wiped
        self._show_panes([0])
        self.panes[0].words.setText(f"{self._named[0]} | {self._named[wiped]}")
        if (shown := self.panes[wiped].shown) is not None:
            self.panes[0].put_other(shown)

    def _end_wipe(self) -> None:
        self._wiped = 0
        self.panes[0].end_wipe()
        self.panes[0].words.setText(self._named[0])

    def _show_panes(self, wanted: Iterable[int]) -> None:
        kept = set(wanted)
        for number, pane in enumerate(self.panes):
            pane.setVisible(number in kept)
        self._size()

    def _loop(self, deck: Deck, name: str) -> None:
        if name == "mark_in":
            self._mark = deck.position
            deck.set_loop(None)
        else:
            deck.set_loop((self._mark, deck.position) if name == "mark_out" else None)
        loop, rate = deck.player.loop, deck.player.source.rate
        if loop is not None:
            self.loop_words.setText(f"loop {frame_clock(round(loop[0] * rate), rate)} to {frame_clock(round(loop[1] * rate), rate)}")
        else:
            self.loop_words.setText(f"from {frame_clock(round(self._mark * rate), rate)} …" if name == "mark_in" else "")

    def _slide(self, place: int) -> None:
        if self.deck is not None:
            self.deck.seek(place / _SLIDER * self.deck.player.source.seconds)

    def _set_speed(self) -> None:
        if self.deck is not None:
            self.deck.set_speed(float(self.speed.currentData()))

    def _set_volume(self) -> None:
        if self.deck is not None:
            self.deck.set_volume((self.volume.value() / 100) ** 2)

    def _set_track(self, number: int) -> None:
        if self.deck is not None:
            self.deck.player.set_track(number)

    def _say_heard(self) -> None:
        assert self.deck is not None
        for number, pane in enumerate(self.panes):
            pane.heard.setText("sound" if len(self.panes) > 1 and number == self.deck.heard else "")

    def _say_note(self, words: str) -> None:
        self.note.setText(words)
        self.note.setVisible(bool(words))

    def _full(self) -> None:
        full = not self.isFullScreen()
        self.controls.setVisible(not full)
        for pane in self.panes:
            pane.foot.setVisible(not full)
        if full:
            self.showFullScreen()
        else:
            self.showNormal()
        self._size()

    def _size(self) -> None:
        """Pictures are made no larger than they are seen."""
        if self.deck is None:
            return
        ratio = self.devicePixelRatioF()
        if (layout := self.layout()) is not None:
            layout.activate()
        seen = next(pane for pane in self.panes if pane.isVisibleTo(self)).view  # one that is hidden takes its place
        for player in self.deck.players:
            lines, shape = player.source.lines, player.source.shape
            fitting = (max(160, round(seen.width() * ratio)), max(120, round(seen.height() * ratio)))
            player.size = (round(lines * shape), lines) if self._exact else fitting

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._size()

    def hideEvent(self, event: QHideEvent) -> None:
        if self.deck is not None:
            self.deck.hold()
        super().hideEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._timer.stop()
        self._closed.set()
        self._calls.wait()
        if self.deck is not None:
            self.deck.close()
            self.deck = None
        super().closeEvent(event)


def _opened(maker: Callable[[tuple[Named, ...]], Deck], played: tuple[Named, ...], closed: threading.Event) -> Deck:
    """In the background: the heads of files are read, the sound output is opened. Where the window was closed meanwhile nobody takes what
    was made, and it is closed here."""
    for one in played:
        _ = one.source.seconds, one.source.shape
    deck = maker(played)
    if closed.is_set():
        deck.close()
    return deck
