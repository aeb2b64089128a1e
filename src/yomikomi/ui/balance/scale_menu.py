"""What the axis of sizes says, chosen in a menu at its foot and kept for the next time."""

from __future__ import annotations

import contextlib
from dataclasses import asdict, replace

from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QInputDialog, QLineEdit, QMenu

from yomikomi.core.balance.scales import Scale
from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.units import parse_bit_rate, parse_size
from yomikomi.core.work.notices import Weight
from yomikomi.ui.balance.plane import BalancePlane
from yomikomi.ui.kept import keep, read_kept
from yomikomi.ui.state import AppState

_SUBJECT = "balance-axis"
# Asked for first: a slow but usable uplink, and a disc with one layer (common practice, no source).
_UPLINK, _DISC = "4 Mb/s", "4.7 GB"


class ScaleMenu:
    """``entries``: the menu, words and what they do."""

    def __init__(self, state: AppState, plane: BalancePlane) -> None:
        self._state, self._plane = state, plane
        self.menu = QMenu(plane)
        for words, does in (
            ("Size", lambda: self.show(Scale())), ("Average rate", lambda: self.show(Scale("rate"))),
            ("Time of an upload…", self.ask_uplink), ("Share of a disc or stick…", self.ask_share),
        ):  # fmt: skip
            self.menu.addAction(words, does)
        plane.scale_wanted.connect(lambda: self.menu.popup(QCursor.pos()))
        plane.show_scale(_kept())

    def show(self, scale: Scale) -> None:
        """Another one, from now on."""
        self._plane.show_scale(scale)
        with contextlib.suppress(YomikomiError):  # the axis is there all the same
            keep(_SUBJECT, asdict(scale))

    def ask_uplink(self) -> None:
        self._ask("upload", "Uplink:", _UPLINK)

    def ask_share(self) -> None:
        self._ask("share", "Room on it:", _DISC)

    def _ask(self, kind: str, words: str, usual: str) -> None:
        typed, wanted = QInputDialog.getText(self._plane, "Axis", words, QLineEdit.EchoMode.Normal, usual)
        if not wanted:
            return
        found = parse_bit_rate(typed, bare="M") if kind == "upload" else parse_size(typed)
        if found is None:
            self._state.tell(Weight.LOOK, f"{typed!r} cannot be read.", f"Write it as {usual}.")
            return
        self.show(Scale("upload" if kind == "upload" else "share", float(found)))


def _kept() -> Scale:
    known = read_kept(_SUBJECT)
    kind, of = known.get("kind"), known.get("of")
    if kind == "rate":
        return Scale("rate")
    if kind in {"upload", "share"} and isinstance(of, int | float) and of > 0:
        return replace(Scale("upload" if kind == "upload" else "share"), of=float(of))
    return Scale()
