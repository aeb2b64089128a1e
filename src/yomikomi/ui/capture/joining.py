"""Further takes made of recordings that are there, without encoding: the parts of one take, the halves of two drives."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QWidget

from yomikomi.core.capture.alternates import MergeRequest, merge_alternates
from yomikomi.core.capture.cutting import JoinedPieces, JoinPiecesRequest, Piece, join_pieces
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.capture.passes import parts_of
from yomikomi.ui.state import AppState


class Joining:
    """``view``: asks for the current carrier, None while nothing may be joined."""

    def __init__(self, state: AppState, page: QWidget, view: Callable[[], CarrierView | None]) -> None:
        self._state, self._page, self._view = state, page, view

    def join_parts(self) -> None:
        """All parts of the take in one file, as a further take."""
        view = self._view()
        if view is None or view.take is None or not view.take.details.parts or not self._state.may_write():
            return
        parts = tuple(Piece(one) for one in parts_of(self._state, view))
        target = self._state.record.takes.name(view.id, view.take.path.suffix)
        self._make(view, join_pieces, JoinPiecesRequest(parts, target), target, f"{len(parts)} parts joined")

    def choose_halves(self) -> None:
        """Two files that hold every other frame each, as two links write them to two drives."""
        if self._view() is None:
            return
        files, _ = QFileDialog.getOpenFileNames(self._page, "The two recordings, the one with the first frame first")
        if len(files) == 2:
            self.merge_halves(Path(files[0]), Path(files[1]))
        elif files:
            self._state.tell(Weight.LOOK, "Two recordings are needed: one of each drive.")

    def merge_halves(self, first: Path, second: Path) -> None:
        """They become one take of the current carrier."""
        view = self._view()
        if view is not None and self._state.may_write():
            target = self._state.record.takes.name(view.id, first.suffix)
            self._make(view, merge_alternates, MergeRequest(first, second, target), target, "alternate frames merged")

    def _make(
        self, view: CarrierView, function: Callable[[Any, Reporter], JoinedPieces], request: object, target: Path, words: str
    ) -> None:
        def ended(job: Job) -> None:
            if job.state is not JobState.DONE:
                self._state.tell_end(job)
                return
            done: JoinedPieces = job.result
            self._state.record.takes.add_copied(view.id, target, seconds=done.seconds, frames=done.frames, words=words)
            self._state.tell(Weight.FINE, f"{words}: {done.frames} frames, nothing encoded.")
            self._state.reload()

        self._state.jobs.start(function, request, name=f"{words}, {view.label}", resource="take drive", on_end=ended)
