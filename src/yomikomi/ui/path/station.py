"""The Path station: the paths there are, the chosen one drawn, its settings sheet, and proving it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from PySide6.QtCore import QModelIndex, QTimer
from PySide6.QtWidgets import QPlainTextEdit, QStackedWidget, QVBoxLayout

from yomikomi.core.capture.look import LookRequest, LookResult, look_at
from yomikomi.core.capture.proof import Proof, prove
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.findings import Finding, SetOption
from yomikomi.core.path.searching import PathRequest, PathsFound, search
from yomikomi.core.path.structure import Knob, Task
from yomikomi.core.path.telling import told
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.core.work.text import capital
from yomikomi.ui.path.boxes import PathBoxes
from yomikomi.ui.path.drawing import StrandDrawing, in_scroll
from yomikomi.ui.path.findings_strip import FindingsStrip
from yomikomi.ui.path.path_list import PathList
from yomikomi.ui.path.planner import Planner
from yomikomi.ui.path.sentences import station_sentence
from yomikomi.ui.path.sheet_panel import SheetPanel
from yomikomi.ui.path.strand_layout import Site
from yomikomi.ui.shell.station import Station
from yomikomi.ui.source_of import device_of, source_of
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, button, label, menu_button, row, side_panel

_PROOF_S = 2.0
_SEARCH_AFTER_MS = 120
_SIDE_PX = 320
_DRAWING_MOST_PX = 416  # of a drawing with every lane; the list keeps its place under it


class PathStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.planner = Planner()
        self._soon = QTimer(self, singleShot=True, interval=_SEARCH_AFTER_MS)  # a search would take turns with the painting
        self._soon.timeout.connect(self._search_now)
        self.equipment: Equipment = state.record.settings.equipment()
        self._asked: PathRequest | None = None
        self.proof: Proof | None = None
        self.boxes = PathBoxes(self)

    def build(self) -> Iterator[None]:
        left, (side, right) = QVBoxLayout(), side_panel(_SIDE_PX)
        self.lay_out(left, side)
        self.drawing = StrandDrawing()
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName("Path in words")
        self.stack = QStackedWidget()
        self.stack.addWidget(in_scroll(self.drawing))
        self.stack.addWidget(self.text)
        self.notes = FindingsStrip()
        self.list = PathList()
        self.head, self.could_be = label("Paths with your equipment", name="section"), label(quiet=True, wrap=True)
        self.text_button = button("In words", lambda: None, tip="The same as text (Ctrl+D)")
        self.text_button.setCheckable(True)
        self.text_button.toggled.connect(lambda on: self.stack.setCurrentIndex(int(on)))
        self._fill_left(left)
        yield
        self.sheet_panel = SheetPanel()
        self._fill_side(right)
        self.drawing.looked_at.connect(self._tell_site)
        self.notes.mend.connect(self._mend)
        self.list.activated.connect(self._choose_row)
        self.list.clicked.connect(self._choose_row)
        self.sheet_panel.ticked.connect(self.tick)
        self.sheet_panel.turned.connect(self._turn)
        self.state.machine_changed.connect(self.search)

    def _fill_left(self, left: QVBoxLayout) -> None:
        drawn = Card(choosable=False)
        drawn.body.setContentsMargins(2, 2, 2, 2)
        drawn.body.setSpacing(0)
        drawn.body.addWidget(self.stack, 1)
        drawn.body.addWidget(self.notes)
        self.equipment_button = button("Equipment…", self.boxes.open_equipment, tip="What there is (Ctrl+M)")
        line = row(
            self.head, 1, self.text_button, button("Ways of working…", self.boxes.open_schools, tip="Alternatives side by side (Ctrl+H)"),
            button("Requirements…", self.boxes.open_wishes, tip="What the path is for, and what matters (Ctrl+J)"), self.equipment_button,
        )  # fmt: skip
        left.setSpacing(8)
        left.addWidget(drawn, 5)
        left.addLayout(line)
        self.list.setMinimumHeight(88)
        left.addWidget(self.list, 3)
        left.addWidget(self.could_be)

    def _fill_side(self, layout: QVBoxLayout) -> None:
        more = menu_button("More", (("As last time", self.boxes.as_last_time), ("Save the sheet (PDF or Markdown)…", self.boxes.ask_save)))
        self.where_button = button("Trace a fault…", self.boxes.open_diagnosis, tip="From symptoms to the cause (F4)")
        self.prove_button = button(
            "Prove the path", self.primary, primary=True, tip="Check picture and sound for two seconds, and tick the settings they prove"
        )
        self.prove_button.setMinimumHeight(34)
        layout.addWidget(self.sheet_panel, 1)
        layout.addLayout(row(more, 1))
        layout.addLayout(row(self.where_button, 1, self.prove_button))

    # -- what the window asks

    def show_carrier(self, view: CarrierView | None) -> None:
        before = self.planner.view
        if view is None:
            self.planner.view = None
            self.show_all()
            return
        if before is None or before.id != view.id:
            self.planner.begin(view)
            self.proof = None
            self.show_all()
        else:
            self.planner.view = view
        self.search()

    def left(self) -> None:
        self._soon.stop()

    def primary(self) -> None:
        """Prove the path; where it breaks, or the data are copied, go where the work goes on."""
        view, planner = self.planner.view, self.planner
        if view is None:
            return
        if planner.sheet is None or planner.traced is None:
            self.boxes.open_equipment()
        elif kind_of(view.kind).way == "copy":
            self.save()
            self.state.go.emit(view.next_station if view.take else "shelf")
        elif self._proven:
            self.state.go.emit("capture" if view.has_player and not view.unfit else "shelf")
        else:
            self._prove(view)

    def act(self, key: str) -> None:
        boxes = self.boxes
        {
            "equipment": boxes.open_equipment, "wishes": boxes.open_wishes, "schools": boxes.open_schools, "diagnose": boxes.open_diagnosis,
            "sheet": boxes.ask_save, "last_time": boxes.as_last_time, "as_text": self.text_button.toggle,
        }[key]()  # fmt: skip

    # -- searching

    def search(self) -> None:
        self._soon.start()

    def _search_now(self) -> None:
        """Find paths anew where something they follow from has changed; it may take a third of a second."""
        view = self.planner.view
        if view is None:
            return
        request = self.planner.request(self.equipment, self._task_of(view))
        if self._asked == request:
            return
        self._asked = request
        known = replace(request, before=self.planner.found)
        self.state.calls.compute("paths", search, known, self._on_found, self.state.tell_error)

    def _task_of(self, view: CarrierView) -> Task:
        """What is to be recorded, with what this machine and this workspace know of it."""
        state = self.state
        return Task.of(view.intake, state.machine, free_bytes=state.free_bytes(), codec_bits=state.codec_bits(view.spine))

    def _on_found(self, found: PathsFound) -> None:
        if self.planner.apply(found):
            if self.planner.lost_path:
                self.state.tell(Weight.LOOK, f"The path chosen before is not possible now: {self.planner.lost_path}.")
            self.show_all()

    def _choose_row(self, index: QModelIndex) -> None:
        one = self.list.ranked_at(index)
        if one is None or (self.planner.ranked is not None and one.path.key == self.planner.ranked.path.key):
            return
        self.planner.choose(one)
        self.proof = None
        self.save()
        self.show_all()
        self.search()

    # -- settings

    def _turn(self, knob: Knob, option: str) -> None:
        self.planner.set_option(knob, option)
        self.proof = None
        self._changed()

    def tick(self, knob: Knob, state: str) -> None:
        if self.planner.tick(knob, state):  # type: ignore[arg-type]
            self.proof = None
        self._changed()

    def _mend(self, finding: Finding) -> None:
        for change in finding.changes:
            if isinstance(change, SetOption):
                self.planner.set_option(change.knob, change.option)
        self.proof = None
        self._changed()

    def _changed(self) -> None:
        self.save()
        self.show_all()

    def save(self) -> None:
        view, sheet = self.planner.view, self.planner.sheet
        if view is None or sheet is None:
            return
        try:
            self.state.record.paths.save(view.id, sheet)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.refresh(view.id, tell=view.path is None)

    # -- proving

    @property
    def _proven(self) -> bool:
        return self.proof is not None and self.proof.holds and not (self.planner.traced and self.planner.traced.breaks)

    def _prove(self, view: CarrierView) -> None:
        self.save()
        source = source_of(view, self.planner.sheet, real_time=False)
        if source is None:
            self.state.tell(Weight.LOOK, "Nothing stands in for this kind of carrier yet: prove it by hand, and tick what you see.")
            return
        if view.unfit:
            self.state.tell(Weight.WRONG, f"{view.label} must not be played: {view.details.condition.words}.")
            return
        self.prove_button.setEnabled(False)
        self.state.jobs.start(
            look_at, LookRequest(source, _PROOF_S), name=f"proving the path of {view.label}", urgent=True,
            on_end=lambda job: self._on_look(job, view.id), resource=device_of(source),
        )  # fmt: skip

    def _on_look(self, job: Job, carrier_id: int) -> None:
        self.prove_button.setEnabled(True)
        view, sheet = self.planner.view, self.planner.sheet
        if job.state is not JobState.DONE:
            self.state.tell_end(job)
        elif view is not None and view.id == carrier_id and sheet is not None:
            look: LookResult = job.result
            self.proof = prove(sheet, look, silent="silent" in view.details.sound)
            ticked = self.planner.tick_all(self.proof.proven)
            weight = Weight.FINE if self.proof.holds else Weight.WRONG
            self.state.tell(weight, self.proof.sentence, f"{ticked} settings are ticked by it." if ticked else "")
            self._changed()

    # -- what is shown

    def show_all(self) -> None:
        planner = self.planner
        traced, found = planner.traced, planner.found
        self.drawing.show_trace(traced)
        self.stack.setMinimumHeight(min(_DRAWING_MOST_PX, self.drawing.wanted_height))
        self.text.setPlainText("\n".join(told(traced)) if traced else "")
        self.sheet_panel.show_sheet(planner.sheet if traced else None, traced.setup if traced else None)
        rows = found.ranked if found else ()
        key = planner.ranked.path.key if planner.ranked else ""
        self.list.paths.chosen_mark = traced.mark if traced else ""
        self.list.viewport().update()
        if rows is not self.list.paths.rows or key != self.list.paths.chosen_key:
            self.list.paths.show_paths(rows, key)
        self.head.setText(f"Paths with your equipment: {len(rows)}" if rows else "Paths with your equipment")
        more = [one.words for one in found.could_be] if found else []
        self.could_be.setText("  ".join(more[:2]))
        self.could_be.setVisible(bool(more))
        self.sentence.say(*station_sentence(planner, self.proof if traced else None, has_equipment=bool(self.equipment.pieces)))
        self.notes.show_trace(traced)
        self._buttons()

    def _tell_site(self, site: Site) -> None:
        self.sentence.say(f"{capital(site.name)}.", site.state)

    def _buttons(self) -> None:
        view, traced = self.planner.view, self.planner.traced
        self.where_button.setEnabled(traced is not None)
        copied = view is not None and kind_of(view.kind).way == "copy"
        if view is None or traced is None:
            words = "Say what you have"
        elif copied:
            words = "Go on"
        elif self._proven:
            words = "Go on to Capture" if view.has_player and not view.unfit else "Done"
        else:
            words = "Prove the path"
        self.prove_button.setText(words)
        self.prove_button.setEnabled(view is not None)
