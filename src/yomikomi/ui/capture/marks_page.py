"""Marks and clips of the take: set by one key, named at once, cut, exported."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QComboBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.capture.marks import Clip, Mark
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.video.timecode import frame_clock
from yomikomi.ui.widgets.basics import button, label, menu_button, row

_KIND_WORDS = {"mark": "mark", "in": "in", "out": "out", "split": "split"}
_CLIP_ROLE = Qt.ItemDataRole.UserRole + 1


class MarksPage(QWidget):
    """Signals say what is wanted; the station does it."""

    mark_asked = Signal(str)  # mark, in, out, split
    removed = Signal(int)  # number of the mark
    named = Signal(str)  # the pattern
    cut_asked = Signal(object)  # the chosen Clip, or None for all
    exported = Signal(str)  # .csv, .json, .otio
    picked = Signal(int)  # frame
    renamed = Signal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.marks: tuple[Mark, ...] = ()
        self.clips: list[Clip] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.line = QComboBox()
        self.line.setEditable(True)
        self.line.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.line.setAccessibleName("Label of the next mark")
        self.line.setPlaceholderText("label of the next mark")
        layout.addWidget(self.line)
        self.mark_button = button("Mark", lambda: self.mark_asked.emit("mark"), tip="F10")
        self.in_button = button("In", lambda: self.mark_asked.emit("in"), tip="Ctrl+[")
        self.out_button = button("Out", lambda: self.mark_asked.emit("out"), tip="Ctrl+]")
        self.split_button = button("Split", lambda: self.mark_asked.emit("split"), tip="Ctrl+\\")
        layout.addLayout(row(self.mark_button, self.in_button, self.out_button, self.split_button, 1))
        self.place = label(quiet=True, wrap=True)
        layout.addWidget(self.place)
        self.list = QListWidget()
        self.list.setAccessibleName("Marks")
        self.list.setMaximumHeight(150)
        self.list.itemActivated.connect(lambda item: self.picked.emit(item.data(Qt.ItemDataRole.UserRole)))
        layout.addWidget(self.list)
        self.remove_button = button("Remove the mark", self._remove, link=True)
        layout.addLayout(row(self.remove_button, 1))
        layout.addWidget(label("Clips", name="section"))
        self.clip_list = QListWidget()
        self.clip_list.setAccessibleName("Clips")
        self.clip_list.setIconSize(QSize(80, 60))
        self.clip_list.itemChanged.connect(self._on_renamed)
        layout.addWidget(self.clip_list, 1)
        self.pattern = QLineEdit()
        self.pattern.setAccessibleName("Pattern of clip names")
        self.pattern.setToolTip("{label} and {title} of the carrier, {number:03}, {mark}, {start}, {day}")
        self.pattern.returnPressed.connect(lambda: self.named.emit(self.pattern.text()))
        self.name_button = button("Name all", lambda: self.named.emit(self.pattern.text()))
        names = row(self.name_button)
        names.insertWidget(0, self.pattern, 1)
        layout.addLayout(names)
        self.cut_button = button(
            "Cut the clip", lambda: self.cut_asked.emit(self.chosen_clip()), tip="Into a file of its own, without encoding"
        )
        self.cut_all_button = button("Cut all", lambda: self.cut_asked.emit(None))
        self.export_menu = menu_button(
            "Export",
            [
                (f"as {words}", partial(self.exported.emit, suffix))
                for suffix, words in ((".csv", "CSV"), (".json", "JSON"), (".otio", "OpenTimelineIO"))
            ],
        )
        layout.addLayout(row(self.cut_button, self.cut_all_button, 1, self.export_menu))

    @property
    def label_typed(self) -> str:
        return self.line.currentText().strip()

    def show_settings(self, settings: CaptureSettings) -> None:
        typed = self.line.currentText()
        self.line.clear()
        self.line.addItems(list(settings.labels))
        self.line.setEditText(typed if typed else settings.labels[0] if settings.labels else "")
        if not self.pattern.hasFocus():
            self.pattern.setText(settings.pattern)

    def show_marks(
        self, marks: Sequence[Mark], clips: Sequence[Clip], rate: Fraction, *, live: bool, there: bool, frame: int | None
    ) -> None:
        """``there``: there is a take to mark; ``frame``: where the next mark goes when nothing is recorded."""
        self.marks, self.clips = tuple(marks), list(clips)
        self.list.clear()
        for mark in marks:
            item = QListWidgetItem(f"{frame_clock(mark.frame, rate)}   {_KIND_WORDS[mark.kind]}   {mark.label}")
            item.setData(Qt.ItemDataRole.UserRole, mark.frame)
            self.list.addItem(item)
        self._fill_clips(rate)
        for one in (self.mark_button, self.in_button, self.out_button, self.split_button):
            one.setEnabled(there)
        self.remove_button.setEnabled(bool(marks))
        self.cut_button.setEnabled(bool(clips) and not live)
        self.cut_all_button.setEnabled(bool(clips) and not live)
        self.name_button.setEnabled(bool(clips))
        self.export_menu.setEnabled(there)
        if live:
            self.place.setText("Marks are set at the picture that is being recorded.")
        elif there and frame is not None:
            self.place.setText(f"Marks are set at {frame_clock(frame, rate)}; click the strip below the picture for another place.")
        else:
            self.place.setText("There is no take yet to be marked.")

    def show_thumbnail(self, number: int, picture: QPixmap) -> None:
        item = self.clip_list.item(number)
        if item is not None:
            self.clip_list.blockSignals(True)
            item.setIcon(QIcon(picture))
            self.clip_list.blockSignals(False)

    def chosen_clip(self) -> Clip | None:
        place = max(0, self.clip_list.currentRow())
        return self.clips[place] if self.clips else None

    def _fill_clips(self, rate: Fraction) -> None:
        self.clip_list.blockSignals(True)
        icons = {item.data(_CLIP_ROLE): item.icon() for item in (self.clip_list.item(n) for n in range(self.clip_list.count()))}
        chosen = self.clip_list.currentRow()
        self.clip_list.clear()
        for clip in self.clips:
            item = QListWidgetItem(clip.name)
            item.setToolTip(f"{frame_clock(clip.first, rate)} to {frame_clock(clip.end, rate)}, {clip.frames} frames")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setData(_CLIP_ROLE, clip.first)
            item.setSizeHint(QSize(200, 66))
            if clip.first in icons:
                item.setIcon(icons[clip.first])
            self.clip_list.addItem(item)
        self.clip_list.setCurrentRow(min(chosen, len(self.clips) - 1))
        self.clip_list.blockSignals(False)

    def _on_renamed(self, item: QListWidgetItem) -> None:
        self.renamed.emit(self.clip_list.row(item), item.text())

    def _remove(self) -> None:
        place = self.list.currentRow()
        if self.marks:
            self.removed.emit(place if place >= 0 else len(self.marks) - 1)
