"""A file taken in and read, as what a window shows."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.reading.models import Reading
from yomikomi.ui.shell.window import MainWindow


def arrive(window: MainWindow, path: Path, reading: Reading) -> None:
    """Taken in with its reading, and chosen; in Treatment."""
    carrier, _ = window.state.record.takes.import_file(path)
    take = window.state.record.carrier(carrier).take
    assert take is not None
    window.state.record.readings.save(take.id, reading)
    window.state.reload()
    window.state.choose(carrier)
    window.show_station("treatment")
