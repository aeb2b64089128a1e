"""The strip along the top: the current carrier, how far it has come, room on the drive, what is running."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.data_rates import DEFAULT_CAPTURE_CODEC, capture_bits_per_second
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import bit_rate_text, size_text
from yomikomi.core.work import Job
from yomikomi.ui import theme
from yomikomi.ui.icons import icon, pixmap
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import ElidedLabel, label, plain_tip
from yomikomi.ui.widgets.track import ProgressTrack

if TYPE_CHECKING:
    from yomikomi.core.reading.models import Reading

_USUAL_FORMAT = "525i"  # for the room left, where the current carrier names none
_FREE_PERIOD_MS = 5000


def carrier_line(one: Spine, reading: Reading | None) -> str:
    """``VHS · 525i 29.97 · 4:3 · 1:58:00``; less before the take is read, or its reading is loaded."""
    parts = [kind_of(one.kind).words]
    if reading is not None:
        rate = rate_text(Fraction(reading.rate.nominal))
        parts += [f"{one.standard or reading.geometry.height} {rate}", reading.geometry.shape, clock(reading.duration_seconds)]
    else:
        seconds = one.take.seconds if one.take and one.take.seconds else one.nominal_seconds
        parts += [one.standard or "", clock(seconds) if seconds else ""]
    return " · ".join(part for part in parts if part)


class CarrierStrip(QWidget):
    def __init__(self, state: AppState) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(60)
        self._state = state
        self._edge = theme.LINE
        self._icon = QLabel()
        self._icon.setFixedSize(30, 30)
        self._name, self._line = ElidedLabel(), ElidedLabel()
        self._name.setObjectName("section")
        self._line.setProperty("quiet", True)
        self._track = ProgressTrack()
        self._free, self._fits = label(), label(quiet=True)
        self._doing = _Doing(state)
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self._name)
        names.addWidget(self._line)
        room = QVBoxLayout()
        room.setSpacing(0)
        room.addWidget(self._free)
        room.addWidget(self._fits)
        drive = QLabel()
        drive.setPixmap(pixmap("hard-drive", theme.MUTED, 20))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 4, 14, 4)
        layout.setSpacing(12)
        layout.addWidget(self._icon)
        layout.addLayout(names, 1)
        layout.addWidget(self._track)
        layout.addSpacing(12)
        layout.addWidget(drive)
        layout.addLayout(room)
        layout.addSpacing(6)
        layout.addWidget(self._doing)
        state.carrier_changed.connect(self.show_carrier)
        self._timer = QTimer(self)
        self._timer.setInterval(_FREE_PERIOD_MS)
        self._timer.timeout.connect(self._show_free)
        self._timer.start()
        self.show_carrier()
        self._show_free()

    def show_carrier(self) -> None:
        view = self._state.chosen
        if view is None:
            self._edge = theme.LINE
            self._icon.clear()
            self._name.say("No carrier yet")
            self._line.say("add one on the Shelf")
            self._track.show_progress(0)
        else:
            kind = kind_of(view.kind)
            self._edge = kind.edge
            self._icon.setPixmap(pixmap(kind.icon, theme.INK, 28))
            self._icon.setToolTip(plain_tip(kind.words))
            self._name.say(f"{view.label}  {view.title}")
            self._line.say(carrier_line(view, self._state.reading))
            self._track.show_progress(view.progress)
        self._show_free()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        QPainter(self).fillRect(0, 0, 6, self.height(), QColor(self._edge))

    def _show_free(self) -> None:
        try:
            free = self._state.free_bytes()
        except OSError:
            self._free.setText("drive not found")
            self._fits.setText("check its connection")
            return
        view = self._state.chosen
        format_key = view.standard if view and view.standard in FORMATS else _USUAL_FORMAT
        one = FORMATS[format_key or _USUAL_FORMAT]
        known = self._state.codec_bits(view).get(DEFAULT_CAPTURE_CODEC) if view else None
        _, rate, _ = capture_bits_per_second(DEFAULT_CAPTURE_CODEC, width=one.width, height=one.height, rate=one.rate, measured=known)
        hours = free * 8 / rate / 3600
        self._free.setText(f"{size_text(free)} free")
        self._fits.setText(f"{hours:.0f} h of capture" if hours >= 10 else f"{hours:.1f} h of capture")
        by = "such takes took" if known else f"{one.words} usually takes"
        self._fits.setToolTip(f"at {bit_rate_text(rate)}, what {by} in FFV1")


class _Doing(QWidget):
    """What is running, how far, and a way to stop it."""

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self._job: Job | None = None
        self._words = label()
        self._stop = QToolButton()
        self._stop.setIcon(icon("square", theme.INK))
        self._stop.setIconSize(QSize(16, 16))
        self._stop.setToolTip("Stop what is running")
        self._stop.setAccessibleName("Stop what is running")
        self._stop.clicked.connect(self._on_stop)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 6, 0)
        layout.setSpacing(6)
        layout.addWidget(self._words, 1)
        layout.addWidget(self._stop)
        self.setFixedSize(206, 36)
        state.jobs.changed.connect(self._refresh)
        state.jobs.progressed.connect(lambda _job: self._refresh())
        self._refresh()

    def _refresh(self) -> None:
        jobs = self._state.jobs.jobs
        self._job = jobs[0] if jobs else None
        self._stop.setVisible(self._job is not None)
        if self._job is None:
            self._words.setText("read-only" if self._state.workspace.read_only else "idle")
            self._words.setProperty("quiet", True)
        else:
            progress = self._job.progress
            part, left = getattr(progress, "part", None), getattr(progress, "seconds_left", 0.0)
            words = self._job.name
            if part is not None:
                words += f" {part * 100:.0f} %" + (f" · {clock(left)} left" if left else "")
            if len(jobs) > 1:
                words += f" · +{len(jobs) - 1}"
            metrics = self._words.fontMetrics()
            self._words.setText(metrics.elidedText(words, Qt.TextElideMode.ElideRight, 146))
            self._words.setToolTip("\n".join(job.name for job in jobs))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(theme.LINE))
        painter.setBrush(QColor(theme.PAPER))
        box = self.rect().adjusted(0, 0, -1, -1)
        painter.drawRoundedRect(box, 17, 17)
        part = getattr(self._job.progress, "part", None) if self._job else None
        if part:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.ACCENT_SOFT))
            painter.drawRoundedRect(box.adjusted(2, 2, -2 - round((1 - part) * (box.width() - 36)), -2), 15, 15)

    def _on_stop(self) -> None:
        if self._job is not None:
            self._state.jobs.cancel(self._job)
