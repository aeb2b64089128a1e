"""What a treatment takes from files: tables, a separately recorded sound, and which tracks of the take go on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.treatment.aligning import Alignment, align_sound
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import BurnIn, Table
from yomikomi.core.treatment.steps.burn_in import drawable
from yomikomi.core.treatment.tracks import TrackInfo, has_line21, tracks_of
from yomikomi.core.work import SilentReporter
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState
from yomikomi.ui.treatment.burn_form import BurnForm
from yomikomi.ui.treatment.tracks_form import TracksForm

_SOUNDS = "Sound (*.wav *.flac *.mp3 *.m4a *.aac *.w64 *.aiff *.ogg *.mkv *.mp4 *.mov);;All files (*)"


class FromFiles(QObject):
    """Parameters
    ----------
    now : the carrier and the treatment that stand in the station; None where there is nothing to treat.
    choose : takes another treatment.
    """

    def __init__(
        self, state: AppState, parent: QWidget, now: Callable[[], tuple[CarrierView, Treatment] | None],
        choose: Callable[[Treatment], None],
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._state, self._parent, self._now, self._choose = state, parent, now, choose
        self.tracks_form: TracksForm | None = None
        self.burn_form: BurnForm | None = None

    def ask_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._parent, "Colour table", "", "Colour tables (*.cube)")
        if name:
            self.use_table(Path(name))

    def use_table(self, path: Path) -> None:
        now = self._now()
        if now is None:
            return
        try:
            self._choose(now[1].having(Table.of(path)))
        except YomikomiError as error:
            self._state.tell_error(error)

    def ask_tracks(self) -> None:
        """What there is stands in the file, which may lie on a slow drive."""
        now = self._now()
        if now is not None and now[0].take is not None:
            path = now[0].take.path
            self._state.calls.call("tracks", lambda: tracks_of(path), self._offer_tracks, self._state.tell_error)

    def _offer_tracks(self, found: list[TrackInfo]) -> None:
        now = self._now()
        if now is None:
            return
        if now[0].judged is not None and has_line21(now[0].judged):
            found = [*found, TrackInfo("captions", 0, "Captions of line 21, as text")]
        self.tracks_form = form = TracksForm(found, now[1].tracks, self._parent)
        form.accepted.connect(lambda: self._put({"tracks": form.tracks}))
        form.open()

    def ask_burn_in(self) -> None:
        now = self._now()
        if now is not None and now[0].take is not None:
            path = now[0].take.path
            self._state.calls.call("tracks", lambda: tracks_of(path), self._offer_burn_in, self._state.tell_error)

    def _offer_burn_in(self, found: list[TrackInfo]) -> None:
        now, texts = self._now(), [one for one in found if one.kind == "subtitles"]
        if now is None:
            return
        if not texts:
            self._state.tell(Weight.LOOK, "This take has no subtitles to burn in.")
            return
        self.burn_form = form = BurnForm(texts, now[1].get(BurnIn) or BurnIn(), self._parent)
        form.accepted.connect(lambda: self._burn_in(form.step))
        form.open()

    def _burn_in(self, step: BurnIn) -> None:
        """Taken if it can be drawn: that shows only in the file itself."""
        now = self._now()
        if now is None or now[0].take is None:
            return
        path = now[0].take.path
        self._state.calls.call("subtitles", lambda: drawable(path, step), partial(self._take_burn_in, step), self._state.tell_error)

    def _take_burn_in(self, step: BurnIn, missing: str) -> None:
        now = self._now()
        if now is None:
            return
        if missing:
            words = f"The type has no letters for {' '.join(missing[:12])}{' …' if len(missing) > 12 else ''}: nothing is set."
            self._state.tell(Weight.WRONG, words, "Choose a font file that has them.")
            return
        self._choose(now[1].having(step))

    def ask_sound(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._parent, "Separately recorded sound", "", _SOUNDS)
        if name:
            self.join_sound(Path(name))

    def join_sound(self, path: Path) -> None:
        """Aligned in the background: decoding both takes a while."""
        now = self._now()
        if now is None or now[0].take is None or now[0].judged is None:
            return
        take, reading = now[0].take.path, now[0].judged
        self._state.tell(Weight.FINE, f"Aligning {path.name} with the take's own sound …")
        self._state.calls.call(
            "aligning", lambda: align_sound(take, reading, path, SilentReporter()), self._take_alignment, self._state.tell_error
        )  # fmt: skip

    def _take_alignment(self, found: Alignment) -> None:
        now = self._now()
        if found.joined is None or now is None:
            self._state.tell(Weight.WRONG, found.words, "Choose the file of this recording, or a take whose own sound is audible.")
            return
        others = tuple(one for one in now[1].joined if one.file != found.joined.file)
        self._put({"joined": (*others, found.joined)})
        self._state.tell(Weight.FINE, found.words)

    def remove_sounds(self) -> None:
        self._put({"joined": ()})

    def _put(self, parts: dict[str, object]) -> None:
        now = self._now()
        if now is not None:
            self._choose(now[1].model_copy(update=parts))
