"""The boxes of the Path station, and what their answers do to the path."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from yomikomi.core.errors import YomikomiError
from yomikomi.core.path.diagnosis import Cause
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.schools import SchoolOption, schools_of
from yomikomi.core.path.sheet import differences
from yomikomi.core.path.sheet_export import write_sheet
from yomikomi.core.path.structure import Wishes
from yomikomi.core.work.notices import Weight
from yomikomi.ui.path.diagnosis_box import DiagnosisBox
from yomikomi.ui.path.equipment_box import EquipmentBox
from yomikomi.ui.path.schools_box import SchoolsBox
from yomikomi.ui.path.wishes import WishesBox

if TYPE_CHECKING:
    from yomikomi.ui.path.station import PathStation


class PathBoxes:
    """``equipment``, ``wishes``, ``schools``, ``diagnosis``: the box that was opened last, for whoever drives the window."""

    def __init__(self, station: PathStation) -> None:
        self._station = station
        self.equipment: EquipmentBox | None = None
        self.wishes: WishesBox | None = None
        self.schools: SchoolsBox | None = None
        self.diagnosis: DiagnosisBox | None = None

    def open_equipment(self) -> None:
        box = EquipmentBox(self._station.equipment, self._station)
        box.changed.connect(self.take_equipment)
        box.open()
        self.equipment = box

    def take_equipment(self, equipment: Equipment) -> None:
        self._station.equipment = equipment
        self._station.state.record.settings.save_equipment(equipment)
        self._station.search()

    def open_wishes(self) -> None:
        box = WishesBox(self._station.planner.wishes, self._station)
        box.changed.connect(self._take_wishes)
        box.open()
        self.wishes = box

    def _take_wishes(self, wishes: Wishes) -> None:
        self._station.planner.wishes = wishes
        self._station.search()

    def open_schools(self) -> None:
        traced, found = self._station.planner.traced, self._station.planner.found
        if traced is None or found is None or self._station.planner.ranked is None:
            return
        box = SchoolsBox(self._station.planner.sheet.route if self._station.planner.sheet else "", self._station)
        box.followed.connect(self._follow)
        box.show_schools(schools_of(traced.setup, found.ranked))
        box.open()
        self.schools = box

    def _follow(self, option: SchoolOption) -> None:
        found = self._station.planner.found
        other = next((one for one in found.ranked if one.path.key == option.path.key), None) if found else None
        if other is not None and other is not self._station.planner.ranked:
            self._station.planner.choose(other)
        self._station.planner.wishes = option.wishes
        self._station.planner.followed = option.path.key
        if self.schools is not None:
            self.schools.accept()
        self._station.search()
        if other is not None:
            self._station.save()
            self._station.show_all()

    def open_diagnosis(self) -> None:
        traced, sheet = self._station.planner.traced, self._station.planner.sheet
        if traced is None or sheet is None:
            return
        seen = self._station.proof.seen if self._station.proof else frozenset()
        box = DiagnosisBox(traced.setup, sheet, self._station, seen=seen)
        box.blamed.connect(self._on_blamed)
        box.open()
        self.diagnosis = box

    def _on_blamed(self, cause: Cause) -> None:
        """What was found is mended: the sheet's item is ticked."""
        view = self._station.planner.view
        if cause.knob is not None:
            self._station.tick(cause.knob, "done")
        if view is not None:
            self._station.state.record.history.note(view.id, f"found on the path: {cause.words}")
        self._station.state.tell(Weight.FINE, f"Written down: {cause.words}", cause.remedy)

    def as_last_time(self) -> None:
        view = self._station.planner.view
        last = self._station.state.record.paths.last(view.id) if view is not None else None
        if view is None or last is None:
            self._station.state.tell(Weight.LOOK, "No take of this kind of carrier was made with a sheet yet.")
            return
        whose, when, sheet = last
        lines = differences(self._station.planner.sheet, sheet) if self._station.planner.sheet else []
        if not self._station.planner.bring_back(sheet):
            words = f"The path of {whose} is not possible now: {sheet.route}."
            self._station.state.tell(Weight.LOOK, words, "See what is missing in Equipment.")
            return
        self._station.proof = None
        self._station.save()
        self._station.show_all()
        what = f"{len(lines)} things differed: {'; '.join(lines[:3])}" if lines else "Nothing differed"
        self._station.state.tell(Weight.FINE, f"As for {whose} on {when[:10]}. {what}.", "Tick it anew: devices forget.")
        self._station.search()

    def ask_save(self) -> None:
        if self._station.planner.sheet is None:
            return
        kinds = "PDF (*.pdf);;Markdown (*.md)"
        name, _ = QFileDialog.getSaveFileName(self._station, "Save the settings sheet", "settings-sheet.pdf", kinds)
        if name:
            self.save_to(Path(name))

    def save_to(self, path: Path) -> None:
        """A PDF, or Markdown where the name ends in .md."""
        sheet = self._station.planner.sheet
        if sheet is None:
            return
        try:
            write_sheet(sheet, path, over=True)
        except YomikomiError as error:
            self._station.state.tell_error(error)
            return
        self._station.state.tell(Weight.FINE, f"The settings sheet is in {path.name}.")
