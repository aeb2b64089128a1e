"""Proving the path before the tape is committed: sync, levels, the machine, and a rehearsal."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from yomikomi.core.capture.levels import LevelsResult
from yomikomi.core.capture.sync import SyncResult
from yomikomi.core.capture.trial import TrialResult
from yomikomi.core.reading.rehearsal import Rehearsal
from yomikomi.core.video.units import signed_text, size_text
from yomikomi.ui.widgets.basics import Card, CardColumn, MarkShape, button, label, row, scrolled

Line = tuple[str, str]  # mark, words


class ProofCard(Card):
    """A test: what it is for, its buttons, and what it found."""

    def __init__(self, title: str, purpose: str) -> None:
        super().__init__(choosable=False)
        self.mark = MarkShape("undetermined")
        self.body.addLayout(row(self.mark, label(title, name="section"), 1))
        self.verdict = label(purpose, quiet=True, wrap=True)
        self.body.addWidget(self.verdict)
        self._lines = CardColumn()
        self._lines.setSpacing(2)
        self.body.addLayout(self._lines)
        self._buttons = row(1)
        self.body.addLayout(self._buttons)
        self.purpose = purpose

    def add_button(self, made: QPushButton) -> QPushButton:
        self._buttons.insertWidget(self._buttons.count() - 1, made)
        return made

    def say(self, mark: str, words: str, lines: Iterable[Line] = ()) -> None:
        self.mark.show_mark(mark)
        self.verdict.setText(words)
        self._lines.clear()
        for kind, line in lines:
            holder = QWidget()
            inner = row(MarkShape(kind))
            inner.addWidget(label(line, wrap=True), 1)
            holder.setLayout(inner)
            self._lines.addWidget(holder)


class ProvePage(QWidget):
    """Signals ask for the tests: ``sync``, ``clap``, ``levels``, ``trial``, ``rehearse``, ``play``, ``apply`` and ``use``."""

    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = CardColumn()
        self.rehearsal = ProofCard("Rehearsal", "Records and reads ten seconds, so that faults show before the tape is played.")
        self.rehearse_button = self._button(self.rehearsal, "Rehearse", "rehearse", "Ctrl+Shift+R")
        self.play_button = self._button(self.rehearsal, "Play it…", "play", "The ten seconds, with their sound")
        self.play_button.hide()
        self.sync = ProofCard("Sync", "Measures the offset of sound against picture from flashes with beeps, or claps.")
        self.sync_button = self._button(self.sync, "Flash and beep", "sync", "Ctrl+Y")
        self.clap_button = self._button(self.sync, "Claps", "clap", "")
        self.apply_button = self._button(self.sync, "Apply", "apply", "Ctrl+Shift+Y: correct the audio delay, then test again")
        self.levels = ProofCard(
            "Levels", "Measures bars and tone: black, white, colour, sound level, channel order. Loud: turn the volume down first."
        )
        self.levels_button = self._button(self.levels, "Bars and tone", "levels", "")
        self.trial = ProofCard("Machine", "Tests the capture codecs at this size and rate, on this machine and drive. Takes two minutes.")
        self.trial_button = self._button(self.trial, "Test the machine", "trial", "Ctrl+Shift+T")
        self.use_button = self._button(self.trial, "Use this codec", "use", "Set the codec that the test recommends")
        for card in (self.rehearsal, self.sync, self.levels, self.trial):
            column.addWidget(card)
        column.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(column))
        self.apply_button.hide()
        self.use_button.hide()

    def _button(self, card: ProofCard, words: str, key: str, tip: str) -> QPushButton:
        return card.add_button(button(words, lambda: self.asked.emit(key), tip=tip))

    def set_busy(self, doing: str) -> None:
        """While one test runs no other begins; ``doing``: its key, or nothing."""
        for key, made, words in (
            ("rehearse", self.rehearse_button, "Rehearse"), ("sync", self.sync_button, "Flash and beep"),
            ("clap", self.clap_button, "Claps"),
            ("levels", self.levels_button, "Bars and tone"), ("trial", self.trial_button, "Test the machine"),
        ):  # fmt: skip
            made.setText("Stop" if doing == key else words)
            made.setEnabled(not doing or doing == key)

    def set_possible(self, possible: bool, *, simulated: bool) -> None:
        """``simulated``: the source can play test signals by itself; else the person plays them."""
        for made in (self.rehearse_button, self.sync_button, self.clap_button, self.levels_button):
            made.setEnabled(possible)
        self.simulated = simulated

    def show_sync(self, result: SyncResult, applied_ms: float) -> None:
        if result.offset_ms is None:
            self.sync.say("undetermined", result.words)
            self.apply_button.hide()
            return
        error = max(2.0, result.bound_ms or 0.0)
        fine = abs(result.offset_ms) <= error
        lines = []
        if result.drift_ms_per_hour is not None and result.drift_error is not None:
            sure = abs(result.drift_ms_per_hour) > max(3 * result.drift_error, 15)
            lines.append(
                (
                    "check" if sure else "fine",
                    f"drift {signed_text(result.drift_ms_per_hour, plus=True)} ± {result.drift_error:.0f} ms per hour",
                )
            )
        if applied_ms:
            lines.append(("fine", f"audio delay of {signed_text(applied_ms, places=1, plus=True)} ms already applied"))
        self.sync.say("fine" if fine else "fault", result.words, lines)
        self.apply_button.setVisible(not fine)
        self.apply_button.setText(f"Apply {signed_text(-result.offset_ms, plus=True)} ms")

    def show_levels(self, result: LevelsResult) -> None:
        mark = "undetermined" if not result.bars else "fine" if result.holds else "fault"
        lines = [(line.mark, f"{line.name}: {line.words}" + (f". {line.correction}" if line.correction else "")) for line in result.lines]
        self.levels.say(
            mark, result.words if not result.bars else "Levels are right." if result.holds else "Levels are not right yet.", lines
        )

    def show_rehearsal(self, result: Rehearsal) -> None:
        mark = "fault" if result.wrong else "check" if any(line.mark == "check" for line in result.lines) else "fine"
        self.rehearsal.say(mark, result.sentence, [(line.mark, f"{line.name}: {line.found}") for line in result.lines])

    def show_trial(self, result: TrialResult, current: str) -> None:
        marks = {"holds": "fine", "barely": "check", "fails": "fault"}
        lines = []
        for one in result.rows:
            lost = f", {one.lost} lost" if one.lost else ""
            speed = f" {one.speed}" if one.speed else ""
            lines.append((marks[one.verdict], f"{one.words}{speed}: headroom {one.headroom:.1f}×, {size_text(one.bytes_per_hour)}/h{lost}"))
        self.trial.say("fine" if result.recommended else "fault", result.reason, lines)
        self.use_button.setVisible(bool(result.recommended) and result.recommended != current)
