"""The player without the rest of the program."""

from __future__ import annotations

from yomikomi.ui.app import application
from yomikomi.ui.playing.deck import Named
from yomikomi.ui.playing.window import PlayerWindow


def play_alone(sources: tuple[Named, ...], title: str) -> int:
    """Until its window is closed; the exit code of the program."""
    app = application()
    window = PlayerWindow(sources, title)
    window.show()
    return int(app.exec())
