"""Which tracks go into the copy: a tick each."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QDialog, QWidget

from yomikomi.core.treatment.tracks import TrackInfo, Tracks
from yomikomi.ui.widgets.basics import button, form_body, label, row


class TracksForm(QDialog):
    """``tracks``: what is set, once it was accepted."""

    def __init__(self, found: list[TrackInfo], now: Tracks, parent: QWidget) -> None:
        super().__init__(parent)
        self.tracks = now
        self._found = found
        layout = form_body(self, "Tracks", width=380)
        layout.addWidget(label("What is ticked goes into the copy. What its container cannot hold is said before.", quiet=True, wrap=True))
        self.ticks: list[QCheckBox] = []
        for one in found:
            tick = QCheckBox(one.words)
            tick.setChecked(_kept(one, now))
            layout.addWidget(tick)
            self.ticks.append(tick)
        self.accept_button = button("Set", self._accept, primary=True)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))

    def _accept(self) -> None:
        gone = [one for one, tick in zip(self._found, self.ticks, strict=True) if not tick.isChecked()]
        self.tracks = Tracks(
            without_sound=tuple(one.number for one in gone if one.kind == "sound"),
            without_subtitles=tuple(one.number for one in gone if one.kind == "subtitles"),
            chapters=not any(one.kind == "chapters" for one in gone),
            captions=not any(one.kind == "captions" for one in gone),
        )
        self.accept()


def _kept(one: TrackInfo, now: Tracks) -> bool:
    if one.kind in {"chapters", "captions"}:
        return now.chapters if one.kind == "chapters" else now.captions
    return one.number not in (now.without_sound if one.kind == "sound" else now.without_subtitles)
