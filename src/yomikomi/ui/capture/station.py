"""Recording a take: what is seen and heard, whether anything is lost, looking back, marks, and proving the path before."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TypeVar

from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.ledger.views import CarrierView, TakeView
from yomikomi.core.playing.sources import FileSource
from yomikomi.ui.capture.clips import Clips
from yomikomi.ui.capture.described import caution_words, idle_words, source_words
from yomikomi.ui.capture.health_strip import HealthStrip
from yomikomi.ui.capture.how_page import HowPage
from yomikomi.ui.capture.joining import Joining
from yomikomi.ui.capture.list_page import ListPage
from yomikomi.ui.capture.marks_page import MarksPage
from yomikomi.ui.capture.monitor import Monitor
from yomikomi.ui.capture.passes import CapturePass
from yomikomi.ui.capture.prove_page import ProvePage
from yomikomi.ui.capture.proving import Proving
from yomikomi.ui.capture.session_runner import SessionRunner
from yomikomi.ui.capture.setup import CaptureSetup
from yomikomi.ui.capture.state_bar import StateBar
from yomikomi.ui.capture.watch_page import WatchPage
from yomikomi.ui.playing.deck import Named
from yomikomi.ui.shell.station import Played, Station
from yomikomi.ui.source_of import is_simulated
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, restyle, row

# A recording ends in order: it may take the encoder a moment to write what it holds.
_END_GRACE_S = 6.0
_SIDE = 376
PAGES = (("watch", "Watch"), ("marks", "Marks"), ("prove", "Prove"), ("how", "How"), ("list", "List"))


Page = TypeVar("Page", bound=QWidget)


class CaptureStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setup = CaptureSetup()
        self._frame = 0

    def build(self) -> Iterator[None]:
        self.bar = StateBar()
        self.page.insertWidget(1, self.bar)
        self.page.setSpacing(10)
        self.bar.hide()
        left, side = QVBoxLayout(), QWidget()
        left.setSpacing(8)
        side.setFixedWidth(_SIDE)
        self.lay_out(left, side)
        self.monitor, self.strip = Monitor(), HealthStrip()
        self.picture = self.monitor.picture
        left.addWidget(self.monitor, 1)
        left.addWidget(self.strip)
        yield
        self.passing = CapturePass(self.state, self, lambda: self.clips.marks)
        self.joining = Joining(self.state, self, lambda: None if self.passing.mode else self.setup.view)
        self._make_side(side)
        yield
        self.watch = self._add_page(WatchPage())
        yield
        self.marks = self._add_page(MarksPage())
        yield
        self.prove = self._add_page(ProvePage())
        yield
        self.how = self._add_page(HowPage())
        yield
        self.list = self._add_page(ListPage())
        yield
        self.clips = Clips(self.state, self.marks, self._where_marks_go)
        self.proving = Proving(self.state, self.prove, lambda: self.setup.subject)
        self.session = SessionRunner(self.state, self.list, self)
        self.show_page("watch")
        self._connect()

    def _add_page(self, page: Page) -> Page:
        self.pages.addWidget(page)
        return page

    def _make_side(self, side: QWidget) -> None:
        layout = QVBoxLayout(side)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        tabs = QHBoxLayout()
        tabs.setSpacing(2)
        layout.addLayout(tabs)
        self.pages = QStackedWidget()
        layout.addWidget(self.pages, 1)
        self.page_buttons: dict[str, QToolButton] = {}
        for key, words in PAGES:
            made = QToolButton()
            made.setText(words)
            made.setCheckable(True)
            made.setProperty("pin", True)
            made.setMinimumWidth(66)
            made.clicked.connect(partial(self.show_page, key))
            self.page_buttons[key] = made
            tabs.addWidget(made, 1)
        self.look_button = button("Preview", self.look, tip="F3: show the picture without recording")
        self.join_button = button("Join the parts", self.joining.join_parts, tip="One file of all parts, without encoding")
        self.start_button = button("Start the take", self.toggle, primary=True, tip="F9")
        self.next_button = button("Read this take", self.primary, tip="Ctrl+Return: what was recorded is measured")
        layout.addLayout(row(self.look_button, self.join_button, 1, self.start_button, self.next_button))

    def _connect(self) -> None:
        self.monitor.look_changed.connect(lambda *_: self.passing.tell(self.monitor.look))
        self.how.changed.connect(self._on_settings)
        self.how.source_asked.connect(self.choose_source)
        self.watch.armed.connect(self.arm)
        self.watch.sound.hear_asked.connect(lambda on: self.passing.hear(on=on))
        self.watch.kept.connect(self.passing.keep)
        self.passing.changed.connect(self._on_pass_changed)
        self.proving.changed.connect(self._buttons)
        self.passing.status.connect(self._on_status)
        self.passing.second.connect(self.strip.add)
        self.passing.ended.connect(self.session.ended)
        self.prove.asked.connect(self._on_proof_asked)
        self.strip.seconds_picked.connect(self._pick)
        self.marks.picked.connect(lambda frame: self._pick(float(frame / self.clips.rate)))

    @property
    def recording(self) -> bool:
        return self.passing.recording

    @property
    def take(self) -> TakeView | None:
        return self.setup.take

    def show_page(self, key: str, _on: bool = False) -> None:
        for other, made in self.page_buttons.items():
            made.setChecked(other == key)
        self.pages.setCurrentIndex([one for one, _ in PAGES].index(key))

    def show_carrier(self, view: CarrierView | None) -> None:
        changed = (view.id if view else None) != (self.setup.view.id if self.setup.view else None)
        fresh_take = (view.take.id if view and view.take else None) != (self.take.id if self.take else None)
        self.setup.view = view
        self.setup.settings = self.state.record.settings.capture()
        if changed and not self.recording:
            self.passing.stop_looking()
            self._clear()
        self._describe(view)
        if not self.recording:
            self.clips.show(view, self.take, self.setup.rate)
            if changed or fresh_take:
                self._frame = 0
                self.strip.show_log(self.state.calls, self.take, self.setup.rate, still=lambda: self.passing.mode in {"", "looking"})
            self.sentence.say(*idle_words(view))
        self.session.show()
        self._buttons()

    def left(self) -> None:
        self.passing.stop_looking()

    def primary(self) -> None:
        """The next step: a take that is there is read, else one is recorded."""
        if self.recording or not self.setup.has_take:
            self.toggle()
        else:
            self.state.go.emit("reading")
            if self.take is not None and self.setup.view is not None and self.setup.view.reading is None:
                self.state.takes_ready.emit([self.setup.view.id])

    def toggle(self) -> None:
        """Start a take, or end the one that is recorded."""
        if self.recording:
            self.end()
        else:
            self.begin()

    def act(self, key: str) -> None:
        pages = [one for one, _ in PAGES]
        does = {
            "record": self.toggle, "look": self.look, "arm": self.arm, "keep": lambda: self.passing.keep(30.0, 0.0),
            "mark": lambda: self.clips.mark("mark"), "mark_in": lambda: self.clips.mark("in"), "mark_out": lambda: self.clips.mark("out"),
            "split": lambda: self.clips.mark("split"), "looks": self.monitor.toggle_looks, "view": self.monitor.next_size,
            "guides": self.monitor.next_guide, "page": lambda: self.show_page(pages[(self.pages.currentIndex() + 1) % len(pages)]),
            "inserted": self.session.confirm, "merge": self.joining.choose_halves,
        }  # fmt: skip
        if key in does:
            does[key]()
        elif key in {"rehearse", "sync", "apply_sync", "trial"}:
            self.show_page("prove")
            self._on_proof_asked("apply" if key == "apply_sync" else key)

    def look(self) -> None:
        """Show the source without recording, or stop showing it."""
        if self.passing.mode == "looking":
            self.passing.stop_looking()
        elif not self.passing.mode and (spec := self.setup.spec) is not None:
            self.passing.look(spec, self.monitor.look)

    def begin(self) -> None:
        spec, view = self.setup.spec, self.setup.view
        if spec is None or view is None or self.recording:
            return
        self.passing.stop_looking()
        self.clips.begin(view)
        self.strip.show_rows([], expected=view.nominal_seconds)
        self.passing.record(view, spec, self.setup.record_as, self.setup.settings, self.monitor.look)

    def end(self) -> None:
        self.passing.end()
        self.start_button.setEnabled(False)

    def arm(self) -> None:
        """Keep the last minutes ready, or stop doing so."""
        spec, view = self.setup.spec, self.setup.view
        if self.passing.mode == "armed":
            self.passing.end()
        elif spec is not None and view is not None and not self.recording and not view.unfit:
            self.passing.stop_looking()
            self.strip.clear()
            self.passing.arm(view, spec, self.setup.record_as, self.setup.settings, self.monitor.look)

    def choose_source(self) -> None:
        from yomikomi.core.capture.devices.linux import LinuxLayer
        from yomikomi.ui.capture.source_box import SourceBox

        view = self.setup.view
        if view is None or self.passing.mode:
            return
        box = SourceBox(LinuxLayer(), view.source or {}, self.state.calls, self)
        box.accepted.connect(lambda: self.session.use_source(view, box.chosen))
        box.open()

    def _on_pass_changed(self) -> None:
        mode = self.passing.mode
        shown = mode in {"recording", "armed"}
        if shown and not self.bar.isVisibleTo(self):
            self.bar.begin("RECORDING" if mode == "recording" else "BUFFERING")
        self.bar.setVisible(shown)
        self.sentence.setVisible(not shown)
        if mode:
            self.picture.empty = "The source is starting …"
            self.picture.update()
        self._buttons()

    def _on_status(self, status: CaptureStatus) -> None:
        if status.preview is not None:
            self.monitor.show_preview(status.preview)
        self.watch.show_status(status)
        if self.passing.mode != "looking":
            self.bar.show_status(status)
            self.session.tick(status.seconds)
        if self.passing.mode == "armed":
            self.watch.show_ring(status, self.setup.settings.ring, possible=True)

    def _where_marks_go(self) -> tuple[int, int, bool] | None:
        if self.passing.take_id is not None:
            return self.passing.take_id, self.passing.frame, True
        return (self.take.id, self._frame, False) if self.take is not None else None

    def _pick(self, seconds: float) -> None:
        take = self.take
        if not self.recording and take is not None:
            self._frame = max(0, min((take.frames or 1) - 1, round(seconds * self.setup.rate)))
            self.clips.refresh()

    def _on_settings(self, settings: CaptureSettings) -> None:
        self.setup.use(settings, later_ms=self.how.later.value())
        self.state.record.settings.save_capture(self.setup.settings)
        self.how.show_settings(self.setup.settings, self.setup.later_ms)
        self.watch.show_rules(self.setup.settings.rules)
        self.passing.tell(self.setup.settings.rules)

    def _on_proof_asked(self, key: str) -> None:
        if key == "apply":
            self._apply_sync()
        elif key == "play":
            self.open_player()
        elif key == "use" and self.proving.trial is not None and self.proving.trial.record_as is not None:
            best = self.proving.trial.record_as
            how = self.setup.settings.record_as.model_copy(update={"codec": best.codec, "speed": best.speed, "threads": best.threads})
            self._on_settings(self.setup.settings.model_copy(update={"record_as": how}))
            self.prove.use_button.hide()
        elif not self.recording:
            self.passing.stop_looking()
            self.proving.start(key)

    def played(self) -> Played | None:
        """The rehearsal, as long as it is there; else the take."""
        rehearsed = self.proving.rehearsed
        if rehearsed is None:
            return super().played()
        return Played((Named("the rehearsal", FileSource(rehearsed)),), "Rehearsal")

    def _apply_sync(self) -> None:
        """Move the sound by what was measured, and measure again: only the second test says that it was right."""
        found = self.proving.sync
        if found is None or found.offset_ms is None or self.setup.view is None or self.proving.doing:
            return
        self.setup.move_sound(round(self.setup.later_ms - found.offset_ms, 1))
        self.state.record.settings.save_capture(self.setup.settings)
        self.how.show_settings(self.setup.settings, self.setup.later_ms)
        self.proving.start("clap" if found.kind == "clap" else "sync")

    def _describe(self, view: CarrierView | None) -> None:
        source = self.setup.source
        self.how.show_settings(self.setup.settings, self.setup.later_ms)
        can_change = view is not None and view.has_player
        self.how.show_source(*source_words(view, source, self.setup.settings), caution_words(view), source, can_change=can_change)
        self.watch.show_rules(self.setup.settings.rules)
        self.marks.show_settings(self.setup.settings)
        self.prove.set_possible(source is not None and not (view and view.unfit), simulated=view is None or is_simulated(view))
        if source is not None:
            self.monitor.shape = source.geometry.display_aspect
            self.watch.scopes.vector.hd = source.standard.height > 576
            if not self.passing.mode:
                self.watch.sound.show_format(source)
        if self.passing.job is None:
            self.picture.empty = (
                "Preview shows the picture; Start the take records from the source's current position."
                if source is not None
                else "Nothing to capture here. Choose a tape on the Shelf."
            )

    def _buttons(self) -> None:
        unfit = self.setup.unfit
        has_source = self.setup.view is not None and self.setup.view.has_player and (self.recording or not unfit)
        read_next = self.setup.has_take and not self.recording
        failed = self.proving.failed and not self.recording and not read_next
        self.next_button.setVisible(read_next)
        restyle(self.next_button, primary=read_next)
        self.next_button.setText("Read this take" if self.setup.view and self.setup.view.reading is None else "Go on to Reading")
        self.start_button.setText("End the take" if self.recording else "New take" if read_next else "Start the take")
        self.start_button.setEnabled(has_source and not self.proving.doing)
        restyle(self.start_button, danger=self.recording, primary=not (self.recording or read_next or failed))
        restyle(self.prove.rehearse_button, primary=failed)
        self.look_button.setText("Stop preview" if self.passing.mode == "looking" else "Preview")
        self.look_button.setEnabled(has_source and self.passing.mode in {"", "looking"})
        self.join_button.setVisible(not self.passing.mode and self.take is not None and bool(self.take.details.parts))
        self.how.set_locked(bool(self.passing.mode))
        if self.passing.mode != "armed":
            self.watch.show_ring(None, self.setup.settings.ring, possible=has_source and not self.recording)
        self.clips.refresh()

    def _clear(self) -> None:
        self.proving.forget()
        self.monitor.clear()
        self.watch.clear()
        self.strip.clear()
