"""Marks and clips of a take: kept in the record, cut, named, exported."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog

from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces
from yomikomi.core.capture.marks import EXPORTS, Clip, Mark, MarkKind, clips_of, marks_document, name_clips
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.naming import safe_name
from yomikomi.core.ledger.views import CarrierView, TakeView
from yomikomi.core.video.picture_at import frame_at
from yomikomi.core.video.planes import rgb
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import free_name, write_over
from yomikomi.core.work.notices import Weight
from yomikomi.ui.capture.marks_page import MarksPage
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.pictures import image_from_rgb

_THUMB_HEIGHT = 60


class Clips(QObject):
    """The part of the station that deals with marks. ``where`` gives the take's id, the frame a mark goes to and whether the
    take is being recorded; None without a take."""

    def __init__(self, state: AppState, page: MarksPage, where: Callable[[], tuple[int, int, bool] | None]) -> None:
        super().__init__(page)
        self._state, self._page, self._where = state, page, where
        self._view: CarrierView | None = None
        self._take: TakeView | None = None
        self.rate = Fraction(25)
        self.marks: tuple[Mark, ...] = ()
        self.names: tuple[str, ...] = ()
        self._given: set[str] = set()
        self._shown_clips: tuple[tuple[int, int], ...] = ()
        page.mark_asked.connect(self.mark)
        page.removed.connect(self._remove)
        page.named.connect(self.name_all)
        page.renamed.connect(self._rename)
        page.cut_asked.connect(self.cut)
        page.exported.connect(self._choose_export)

    @property
    def frames(self) -> int:
        where = self._where()
        live = where is not None and where[2]
        return max((mark.frame for mark in self.marks), default=0) + 1 if live else (self._take.frames or 0 if self._take else 0)

    @property
    def clips(self) -> list[Clip]:
        return clips_of(self.marks, self.frames, names=self.names)

    def show(self, view: CarrierView | None, take: TakeView | None, rate: Fraction) -> None:
        """The take that marks belong to now."""
        if (take.id if take else None) != (self._take.id if self._take else None) or take is None or self._where() is None:
            self.marks, self.names = (take.details.marks, take.details.names) if take else ((), ())
        self._view, self._take, self.rate = view, take, rate
        self.refresh()

    def begin(self, view: CarrierView) -> None:
        """A new take is being recorded: it has no marks yet."""
        self._view, self._take, self.marks, self.names = view, None, (), ()
        self.refresh()

    def mark(self, kind: MarkKind) -> None:
        where = self._where()
        if where is None:
            return
        take_id, frame, _live = where
        words = self._page.label_typed if kind in {"mark", "in", "split"} else ""
        self.marks = tuple(sorted((*self.marks, Mark(frame=frame, kind=kind, label=words)), key=lambda mark: mark.frame))
        self._save(take_id)

    def refresh(self) -> None:
        where = self._where()
        live = where is not None and where[2]
        self._page.show_marks(self.marks, self.clips, self.rate, live=live, there=where is not None, frame=where[1] if where else None)
        self._ask_thumbnails(live=live)

    def name_all(self, pattern: str) -> None:
        where = self._where()
        if where is None or self._view is None:
            return
        try:
            named = name_clips(
                self.clips, pattern, label=self._view.label, title=self._view.title, rate=self.rate, day=datetime.now(UTC).astimezone()
            )
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self.names = tuple(clip.name for clip in named)
        settings = self._state.record.settings.capture()
        self._state.record.settings.save_capture(settings.model_copy(update={"pattern": pattern}))
        self._save(where[0])

    def cut(self, chosen: Clip | None) -> None:
        """One clip, or all of them, each into a take of its own."""
        if self._take is None or self._view is None or not self._state.may_write():
            return
        for clip in [chosen] if chosen is not None else self.clips:
            self._cut_one(self._view, self._take, clip)

    def export_to(self, path: Path) -> None:
        """Raises UnfinishedError when it cannot be written."""
        if self._view is None:
            return
        take = self._take
        start = take.details.record_as.timecode if take else "00:00:00:00"
        document = marks_document(take.path.name if take else "", self.rate, self.frames, start, self.marks, self.clips)
        write_over(path, EXPORTS[path.suffix](document).encode())
        self._state.tell(Weight.FINE, f"{path.name} written: {len(self.marks)} marks, {len(self.clips)} clips.")

    def _save(self, take_id: int) -> None:
        self._state.record.takes.save_marks(take_id, self.marks, self.names)
        self.refresh()

    def _remove(self, place: int) -> None:
        where = self._where()
        if where is not None and 0 <= place < len(self.marks):
            self.marks = self.marks[:place] + self.marks[place + 1 :]
            self._save(where[0])

    def _rename(self, place: int, name: str) -> None:
        where, clips = self._where(), self.clips
        if where is None or not 0 <= place < len(clips) or not name.strip():
            return
        names = [clip.name for clip in clips]
        names[place] = name.strip()
        self.names = tuple(names)
        self._save(where[0])

    def _cut_one(self, view: CarrierView, take: TakeView, clip: Clip) -> None:
        # A name is given away before its file is there: two clips may be called alike.
        target = free_name(take.path.parent, safe_name(f"{view.label} {clip.name}"), take.path.suffix, taken=self._given)
        self._given.add(target.name)
        request = JoinPiecesRequest((Piece(take.path, clip.first, clip.end),), target)

        def ended(job: Job) -> None:
            if job.state is not JobState.DONE:
                self._state.tell_end(job)
                return
            done = job.result
            self._state.record.takes.add_clip(view.id, target, seconds=done.seconds, frames=done.frames, name=clip.name)
            moved = f"; it begins {done.moved[0]} frames earlier, where it could be cut" if done.moved[0] else ""
            self._state.tell(Weight.LOOK if moved else Weight.FINE, f"{target.name}: {done.frames} frames cut, nothing encoded{moved}.")
            self._state.reload()

        self._state.jobs.start(join_pieces, request, name=f"cutting {clip.name}", resource="take drive", on_end=ended)

    def _choose_export(self, suffix: str) -> None:
        if self._view is None:
            return
        name = f"{safe_name(f'{self._view.label} {self._view.title}')}-marks{suffix}"
        path, _ = QFileDialog.getSaveFileName(
            self._page, "Export marks and clips", str(self._state.workspace.folder / "reports" / name)
        )
        if path:
            try:
                self.export_to(Path(path).with_suffix(suffix))
            except YomikomiError as error:
                self._state.tell_error(error)

    def _ask_thumbnails(self, *, live: bool) -> None:
        spans = tuple((clip.first, clip.end) for clip in self.clips)
        if live or self._take is None or spans == self._shown_clips:
            return
        self._shown_clips = spans
        path, rate = self._take.path, self.rate
        for number, clip in enumerate(self.clips):
            at = clip.first + min(clip.frames // 2, 5)

            def show(samples: NDArray[np.uint8], n: int = number) -> None:
                self._page.show_thumbnail(n, QPixmap.fromImage(image_from_rgb(samples)))

            self._state.calls.call(f"thumbnail {number}", partial(_thumbnail, path, at, rate), show)


def _thumbnail(path: Path, frame: int, rate: Fraction) -> NDArray[np.uint8]:
    picture = frame_at(path, frame=frame, rate=rate)
    aspect = picture.width / picture.height
    return rgb(picture, width=round(_THUMB_HEIGHT * min(aspect, 1.8)), height=_THUMB_HEIGHT)
