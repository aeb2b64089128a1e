"""Choosing titles of a disc: which are programme, episodes, extras and menus, with reason and certainty."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from yomikomi.core.disc.finding import DiscFound
from yomikomi.core.disc.titles import Judged
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, size_text
from yomikomi.ui.widgets.basics import MarkShape, Sentence, button, label, row, scrolled_widget

_WANTED = ("programme", "episode")


@dataclass(frozen=True)
class TitlesChosen:
    path: Path
    label: str
    titles: tuple[Judged, ...]


def tracks_words(judged: Judged) -> str:
    """``en AC-3 2.0, ja AC-3 2.0 · subtitles en``"""
    sounds = ", ".join(
        f"{s.language or 'sound'} {s.kind} {_channels(s.channels)}" + (f" ({s.purpose})" if s.purpose == "commentary" else "")
        for s in judged.title.sounds
    )
    texts = ", ".join(s.language or "?" for s in judged.title.subtitles)
    return (sounds or "no sound") + (f" · subtitles {texts}" if texts else "")


def _channels(count: int) -> str:
    return {1: "1.0", 6: "5.1"}.get(count, f"{count}.0")


class DiscBox(QDialog):
    """Lists the titles with the programme and the episodes ticked. Emits ``chosen`` with TitlesChosen."""

    chosen = Signal(object)

    def __init__(self, found: DiscFound, free_label: str, parent: QWidget) -> None:
        super().__init__(parent)
        self._found = found
        self.setWindowTitle(f"Disc {found.path.name}")
        self.resize(900, 560)
        self.sentence = Sentence()
        self.label_line = QLineEdit(free_label)
        self.label_line.setMaximumWidth(160)
        self.label_line.setAccessibleName("Label of the disc")
        self.boxes: dict[int, QCheckBox] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(4, 1)
        for number, one in enumerate(found.judged):
            self._add(grid, 2 * number, one)
        grid.setRowStretch(2 * len(found.judged), 1)
        holder = QWidget()
        holder.setLayout(grid)
        self.take = button("Take in", self._take, primary=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(12)
        layout.addWidget(self.sentence)
        layout.addWidget(scrolled_widget(holder), 1)
        for words in (*found.contents.trouble, kind_of("disc").caution_words("copy")[0]):
            layout.addWidget(label(words, quiet=True, wrap=True))
        layout.addLayout(row(label("Disc label"), self.label_line, 1, button("Leave it", self.reject), self.take))
        self._say()

    def _add(self, grid: QGridLayout, line: int, one: Judged) -> None:
        title = one.title
        box = QCheckBox(f"Title {title.entry.index}")
        usable = not title.missing and not any(cell.interleaved for cell in title.cells)
        box.setEnabled(usable)
        box.setChecked(usable and one.kind in _WANTED and one.same_as is None and not one.joins)
        box.toggled.connect(self._say)
        self.boxes[title.entry.index] = box
        certain = "fine" if one.confidence >= 0.8 else "undetermined"
        kind = label(f"{one.kind}, {100 * one.confidence:.0f} %")
        chapters = counted(len(title.chapter_starts), "chapter", "chapters")
        facts = f"{chapters} · {title.shape_words} · {tracks_words(one)} · {size_text(title.size_bytes)}"
        grid.addWidget(box, line, 0)
        grid.addWidget(label(clock(float(title.seconds)), figure=True), line, 1)
        grid.addWidget(MarkShape(certain), line, 2)
        grid.addWidget(kind, line, 3)
        grid.addWidget(label(facts), line, 4)
        why = f"missing: {', '.join(title.missing)}" if title.missing else "several angles of view: not yet" if not usable else one.reason
        grid.addWidget(label(why, quiet=True, wrap=True), line + 1, 3, 1, 2)

    def picked(self) -> tuple[Judged, ...]:
        return tuple(one for one in self._found.judged if self.boxes[one.title.entry.index].isChecked())

    def _say(self) -> None:
        judged = self._found.judged
        counts = {kind: sum(one.kind == kind for one in judged) for kind in ("programme", "episode", "extra", "menu")}
        parts = [counted(count, kind, f"{kind}s") for kind, count in counts.items() if count]
        picked = self.picked()
        size = sum(one.title.size_bytes for one in picked)
        self.sentence.say(
            f"{len(judged)} titles: {', '.join(parts)}.",
            f"{len(picked)} ticked, {size_text(size)}, are copied as they are: nothing is encoded again",
        )
        self.take.setText(f"Take in {counted(len(picked), 'title', 'titles')}")
        self.take.setEnabled(bool(picked))

    def _take(self) -> None:
        self.accept()
        self.chosen.emit(TitlesChosen(self._found.path, self.label_line.text().strip(), self.picked()))
