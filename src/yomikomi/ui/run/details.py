"""One copy of the run: how it stands now, what can be done about it, what happened to it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.ledger.jobs import JobView
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.run.night import Bar
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import counted, size_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import ElidedLabel, button, label, row
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb

# Pixels.
PICTURE_BOX = (160, 120)
_STEPS = {"encode": "encode", "verify": "check"}


class CopyDetails(QWidget):
    """``does``: receives what a person wants of the copy: stop, hold, release, retry, keep, sooner, later."""

    def __init__(self, does: Callable[[str], None]) -> None:
        super().__init__()
        self.head, self.now, self.trouble = ElidedLabel(middle=True), label(quiet=True, wrap=True), label(wrap=True)
        self.head.setObjectName("section")
        self.buttons = {
            "sooner": button("Sooner", lambda: does("sooner"), tip="Alt+Up"),
            "later": button("Later", lambda: does("later"), tip="Alt+Down"),
            "hold": button("Pause", lambda: does("hold"), tip="Its process stands still until it is resumed; others go on"),
            "release": button("Resume", lambda: does("release")),
            "stop": button("Stop", lambda: does("stop"), tip="The unfinished copy is removed; the take is untouched"),
            "retry": button("Try again", lambda: does("retry"), tip="What was finished of it is not made twice"),
            "keep": button("Keep anyway", lambda: does("keep"), tip="It gets the name that was asked for; it stays marked as not verified"),
        }
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setFont(theme.mono(theme.SMALL_PX))
        self.log.setAccessibleName("What happened to this copy")
        self.log.setMinimumHeight(64)
        left = QVBoxLayout()
        left.setSpacing(6)
        for widget in (self.head, self.now, self.trouble):
            left.addWidget(widget)
        left.addLayout(row(*self.buttons.values(), 1))
        left.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(20)
        self.picture = PictureView()
        self.picture.setFixedSize(*PICTURE_BOX)
        self.picture.setAccessibleName("About what is encoded now")
        self.picture.setToolTip("About what is encoded now: the key picture of the take before it")
        self.picture.hide()
        layout.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(left, 5)
        layout.addWidget(self.log, 4)
        self._offer(set())

    def show_copy(self, one: RunRow | None, copy: CopyView | None, jobs: list[JobView]) -> None:
        if one is None:
            self.head.say("Choose a copy to see what happened to it")
            self.now.setText("")
            self.trouble.setText("")
            self.log.setPlainText("")
            self._offer(set())
            return
        self.head.say(f"{one.carrier}: {one.name}")
        self.trouble.setText(_trouble(one, copy))
        self.trouble.setVisible(bool(self.trouble.text()))
        lines = sorted((line, _STEPS.get(job.kind, job.kind)) for job in jobs for line in job.log)
        words = "\n".join(f"{_local(line[:25])}  {kind:<6} {line[26:]}" for line, kind in lines)
        if words != self.log.toPlainText():
            self.log.setPlainText(words)
        self._offer(_possible(one))

    def show_end(self, one: RunRow, bar: Bar | None) -> None:
        """When it is done, or what it is."""
        if one.live and bar is not None and bar.known:
            self.now.setText(f"Done about {bar.end:%H:%M}, between {bar.earliest:%H:%M} and {bar.latest:%H:%M} (90 % interval)")
        else:
            self.now.setText("Paused" if one.held else "Its length is not predicted" if one.live else f"{one.recipe}")

    def show_progress(
        self, one: RunRow, progress: CopyProgress, bar: Bar | None, *, speed: float | None, stopped: bool, worker: str = ""
    ) -> None:
        """``speed``: frames a second since it was last looked at; ``worker``: other machines that make it."""
        rate = f" · {speed:.0f} fps" if speed else ""
        told = ""
        if one.sizes is not None and progress.part > 0.02 and progress.step.startswith("encoding"):
            told = f" of {size_text(one.sizes.expected * progress.part)} predicted so far"
        left = f" · {clock(progress.seconds_left)} left" if progress.seconds_left and not stopped else ""
        frames = counted(progress.frames, "frame", "frames")
        ends = f" · done about {bar.end:%H:%M}" if bar is not None and not stopped else ""
        state = "paused, " if stopped else ""
        on = f" on {worker}" if worker else ""
        done = f"{100 * progress.part:.0f} % · {frames}{rate} · {size_text(progress.bytes_written)}"
        self.now.setText(f"{state}{progress.step}{on} {done}{told}{left}{ends}")

    def show_picture(self, picture: NDArray[np.uint8] | None) -> None:
        """Shape (lines, columns, 3), RGB; None: there is none."""
        self.picture.setVisible(picture is not None)
        self.picture.show_image(image_from_rgb(picture) if picture is not None else None)

    def _offer(self, wanted: set[str]) -> None:
        for key, one in self.buttons.items():
            one.setVisible(key in wanted)


def _possible(one: RunRow) -> set[str]:
    if one.live:
        moves = {"sooner", "later"} if one.state == "waiting" else set()
        return {"stop", "release" if one.held else "hold", *moves}
    return {"failed": {"retry"}, "cancelled": {"retry"}, "doubtful": {"keep"}}.get(one.state, set())


def _trouble(one: RunRow, copy: CopyView | None) -> str:
    if copy is not None and copy.result is not None and not copy.result.verified:
        return "; ".join(f"{check.name}: {check.found}" for check in copy.result.checks if not check.passed)
    took = f"{size_text(one.size)} in {spoken(one.took)}" if one.size and one.took else ""
    return " · ".join(part for part in (took, one.trouble) if part)


def _local(at: str) -> str:
    """A time as the log has it, on this machine's clock."""
    try:
        return f"{datetime.fromisoformat(at).astimezone():%H:%M:%S}"
    except ValueError:
        return at
