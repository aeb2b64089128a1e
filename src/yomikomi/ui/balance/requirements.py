"""What a person asks of a copy: where it has to play, how large it may be, what may be seen of the loss, effort and format."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from yomikomi.core.balance.offer import Wanted
from yomikomi.core.balance.viewing import STEPS, VIEWINGS, FidelityStep, Viewing
from yomikomi.core.errors import YomikomiError
from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.core.recipes.codecs import EFFORTS
from yomikomi.core.video.units import parse_size, size_text
from yomikomi.core.work.notices import Weight
from yomikomi.core.work.text import capital
from yomikomi.ui.balance.eyes import own_threshold
from yomikomi.ui.balance.outlet_form import OutletForm
from yomikomi.ui.balance.outlets_button import OutletsButton
from yomikomi.ui.kept import keep, read_kept
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, label, row

# Asked for by name; “annoying” is nobody's wish.
_OFFERED = STEPS[:4]


class Requirements(QWidget):
    """``changed`` when something else is asked for; ``outlets_chosen`` besides, when it was other outlets; ``eyes_wanted`` when a person
    wants to find their own threshold. Outlets, fidelity and the way of watching are kept for the next time."""

    changed = Signal()
    eyes_wanted = Signal()
    outlets_chosen = Signal()

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self._limit: float | None = None
        self.limit_line = QLineEdit()
        self.limit_line.setPlaceholderText("no limit")
        self.limit_line.setToolTip("The most that the copy may take: 4.7GB, 700 MB; empty for no limit. The line can be dragged too.")
        self.limit_line.setAccessibleName("Size limit")
        self.limit_line.editingFinished.connect(self._on_limit_typed)
        kept = read_kept("balance")
        self.outlets_button = OutletsButton(kept.get("outlets"), self.ask_own)
        self.outlets_button.chosen.connect(self._on_outlets_chosen)
        steps = [*((step.key, capital(step.words)) for step in _OFFERED), ("any", "No wish: good, better, best")]
        self.wanted_box = _choices(steps, "Difference that may be seen", kept.get("wanted"))
        self.wanted_box.setToolTip("The most that may be seen of what the copy loses; noise is counted apart")
        self._put_own(kept.get("wanted"))
        self.eyes_button = button("Find what you see…", self.eyes_wanted.emit, link=True)
        self.eyes_button.setToolTip("Blind comparisons on this footage find where you stop seeing a difference")
        self.viewing_box = _choices([(one, capital(one)) for one in VIEWINGS], "Watched on", kept.get("viewing"))
        self.viewing_box.setToolTip("Seen from near, more is seen: four picture heights away, 2.2 at a desk, 5 on a phone")
        self.effort = _choices([(key, capital(words)) for key, words in EFFORTS.items()], "Effort of the encoders", "medium")
        self.effort.setToolTip("How much time the encoders take: more effort makes smaller files")
        self.container = QComboBox()
        self.container.addItem("MP4, AAC sound", ("mp4", "aac"))
        self.container.addItem("Matroska, Opus sound", ("mkv", "opus"))
        self.container.setToolTip("MP4 plays nearly everywhere; outlets that take only one of them get that one")
        self.container.setAccessibleName("Container and sound")
        self.container.currentIndexChanged.connect(self.changed)
        for box in (self.wanted_box, self.viewing_box):
            box.currentIndexChanged.connect(self._on_judged_otherwise)
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        for words, field in (
            ("Outlets", self.outlets_button), ("Size limit", self.limit_line), ("Difference", self.wanted_box),
            ("Watched on", self.viewing_box), ("Effort", self.effort), ("Format", self.container),
        ):  # fmt: skip
            caption = label(words)
            caption.setFixedWidth(76)
            lines.addLayout(row(caption, field))
            if field is self.wanted_box:
                lines.addLayout(row(84, self.eyes_button, 1))

    @property
    def wanted(self) -> Wanted:
        container, sound = self.container.currentData()
        key = self.wanted_box.currentData()
        fidelity = self._own if key == "own" else next((step for step in _OFFERED if step.key == key), None)
        return Wanted(self.outlets, self._limit, fidelity, self.viewing, container, sound)

    def ask_own(self) -> None:
        """An outlet of a person's own: made, changed or removed; a new one is chosen at once."""
        chosen = self.outlets
        self.form = OutletForm(self._state, chosen[0] if chosen else next(iter(outlets().values())), self)
        self.form.kept.connect(lambda made: self._take_outlets([*(one.key for one in chosen if one.key != made.key), made.key]))
        self.form.forgotten.connect(lambda key: self._take_outlets([one.key for one in chosen if one.key != key]))
        self.form.open()

    def _take_outlets(self, wanted: list[str]) -> None:
        self.outlets_button.fill(wanted)
        self.outlets_button.choose(wanted)

    @property
    def own(self) -> FidelityStep | None:
        """From which on this person sees no difference, where they found it."""
        return self._own

    def take_own(self) -> None:
        """There is a new threshold of this person: it is what they want from now on."""
        self._put_own("own")
        self._on_judged_otherwise()

    def _put_own(self, chosen: object) -> None:
        self._own = own_threshold()
        self.wanted_box.blockSignals(True)
        at = self.wanted_box.findData("own")
        if at >= 0:
            self.wanted_box.removeItem(at)
        if self._own is not None:
            self.wanted_box.insertItem(0, f"None that you see ({self._own.least:.1f} dB)", "own")
        self.wanted_box.setCurrentIndex(max(0, self.wanted_box.findData(chosen if chosen is not None else _OFFERED[0].key)))
        self.wanted_box.blockSignals(False)

    @property
    def outlets(self) -> list[Outlet]:
        """Where the copy has to play."""
        return self.outlets_button.outlets

    @property
    def viewing(self) -> Viewing:
        return next(one for one in VIEWINGS if one == self.viewing_box.currentData())

    def put_limit(self, limit_bytes: float | None) -> None:
        self._limit = limit_bytes
        self.limit_line.setText(size_text(limit_bytes) if limit_bytes else "")

    def _on_limit_typed(self) -> None:
        words = self.limit_line.text().strip()
        typed = parse_size(words) if words else None
        if words and typed is None:
            self._state.tell(Weight.LOOK, f"{words!r} is no size.", "Write it as 4.7GB or 700 MB; empty for no limit.")
            return
        if words and self._limit and size_text(self._limit) == words:
            return
        self.put_limit(float(typed) if typed else None)
        self.changed.emit()

    def _on_judged_otherwise(self) -> None:
        self._keep()
        self.changed.emit()

    def _on_outlets_chosen(self) -> None:
        self._on_judged_otherwise()
        self.outlets_chosen.emit()

    def _keep(self) -> None:
        document: dict[str, object] = {
            "wanted": self.wanted_box.currentData(), "viewing": self.viewing, "outlets": [one.key for one in self.outlets],
        }  # fmt: skip
        try:
            keep("balance", document)
        except YomikomiError as error:
            self._state.tell_error(error)


def _choices(words: Iterable[tuple[str, str]], name: str, chosen: object) -> QComboBox:
    box = QComboBox()
    for key, one in words:
        box.addItem(one, key)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    box.setAccessibleName(name)
    return box
