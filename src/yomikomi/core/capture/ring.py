"""Looking back: the last minutes are always on the drive while armed, and a clip can be kept after the event."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections import deque
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture.cutting import Piece
from yomikomi.core.capture.health import KeptClip
from yomikomi.core.capture.parts import Segments
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import DriveAwayError, DriveFullError, UnfinishedError
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.work.drive import drive_error

_PIECE_S = 4.0


class RingRules(BaseModel):
    """Parameters
    ----------
    minutes : how much is kept ready.
    most_bytes : the ring never takes more than this.
    floor_bytes : free room on the drive that the ring never touches; it shortens itself instead.
    """

    model_config = ConfigDict(frozen=True)

    minutes: float = Field(default=5.0, gt=0, le=240)
    most_bytes: int = Field(default=20_000_000_000, gt=0)
    floor_bytes: int = Field(default=2_000_000_000, ge=0)


@dataclass(frozen=True)
class Keep:
    """Told to an armed recording: keep from ``before_s`` ago to ``after_s`` from now."""

    before_s: float
    after_s: float = 0.0


@dataclass(frozen=True)
class _Piece:
    path: Path
    first: int
    frames: int
    size: int


@dataclass
class _Wish:
    first: int
    last: int


class RingRecorder:
    """Writes short files one after another and throws the oldest away.

    Parameters
    ----------
    folder : must not exist; it is removed at the end. Clips that were kept lie in folders of their own beside it.
    record_as : with a codec whose every picture stands for itself.
    """

    def __init__(self, folder: Path, source: SourceFormat, record_as: RecordAs, rules: RingRules) -> None:
        if not record_as.row.whole:
            raise UnfinishedError(
                f"{record_as.row.words} cannot be cut at any picture.", remedy="Use FFV1 or an intra codec for the look-back buffer."
            )
        folder.mkdir(parents=True)
        self.segments = Segments(source, record_as)
        self.kept: list[KeptClip] = []
        self.shortened = False
        self._folder, self._rules, self._source = folder, rules, source
        self._pieces: deque[_Piece] = deque()
        self._rate = source.standard.rate
        self._piece_frames = max(1, round(_PIECE_S * self._rate))
        self._began: int | None = None
        self._count = 0
        self._wishes: list[_Wish] = []

    @property
    def folder(self) -> Path:
        return self._folder

    @property
    def paths(self) -> list[Path]:
        return []

    @property
    def seconds(self) -> float:
        """How much it holds."""
        frames = sum(piece.frames for piece in self._pieces) + (self.segments.current.frames if self.segments.current else 0)
        return float(frames / self._rate)

    def write(self, picture: Picture, sound: SoundBlock) -> None:
        if self._began is None or picture.number - self._began >= self._piece_frames:
            self._turn(picture.number)
        assert self.segments.current is not None
        self.segments.current.write_picture(picture)
        self.segments.current.write_sound(sound)
        due = [wish for wish in self._wishes if picture.number >= wish.last]
        if due:
            self._turn(picture.number + 1)
            self.segments.wait()  # a quarter of a second of file at most
            for wish in due:
                self._wishes.remove(wish)
                self._keep(wish)

    def keep(self, wish: Keep, number: int) -> None:
        """Ask for a clip around frame ``number``, which was written last; it is there when its end has come."""
        before, after = (round(seconds * self._rate) for seconds in (wish.before_s, wish.after_s))
        self._wishes.append(_Wish(max(0, number - before + 1), number + max(1, after)))

    def check_there(self, _number: int) -> None:
        """Raises DriveAwayError when the ring's folder is gone: its drive was pulled, or it was renamed."""
        if self.segments.current is not None and not self.segments.current.there():
            raise DriveAwayError("The folder of the look-back buffer is gone.", remedy="Connect its drive again.", path=self._folder)

    def move_on(self, _number: int) -> bool:
        """A full drive ends a ring: there is nowhere else to go."""
        return False

    def close(self) -> None:
        """What was still being waited for is kept up to here; the rest is thrown away."""
        last = self._began + self.segments.current.frames - 1 if self._began is not None and self.segments.current else None
        self._end_piece()
        self.segments.wait()
        for wish in self._wishes:
            if last is not None:
                self._keep(_Wish(wish.first, last))
        shutil.rmtree(self._folder, ignore_errors=True)

    def _turn(self, number: int) -> None:
        self._end_piece()
        self._make_room()
        self._count += 1
        self.segments.begin(self._folder / f"{self._count:06d}{self.segments.record_as.suffix(self._source.bits)}", number)
        self._began = number

    def _end_piece(self) -> None:
        recorder = self.segments.current
        if recorder is None or self._began is None:
            return
        self._pieces.append(_Piece(recorder.path, self._began, recorder.frames, recorder.bytes_written))
        self.segments.end_current()

    def _make_room(self) -> None:
        most = round(self._rules.minutes * 60 * self._rate)
        while self._pieces and sum(piece.frames for piece in self._pieces) - self._pieces[0].frames >= most:
            self._drop_oldest()
        while self._pieces and sum(piece.size for piece in self._pieces) > self._rules.most_bytes:
            self.shortened = True
            self._drop_oldest()
        while self._free() < self._rules.floor_bytes:
            self.shortened = True
            if not self._pieces:
                raise DriveFullError("The drive has no room for looking back.", remedy="Make room on the take drive.")
            self._drop_oldest()

    def _drop_oldest(self) -> None:
        piece = self._pieces.popleft()
        with contextlib.suppress(OSError):
            piece.path.unlink()

    def _free(self) -> int:
        try:
            return shutil.disk_usage(self._folder).free
        except OSError as error:
            raise drive_error(error, self._folder) from error

    def _keep(self, wish: _Wish) -> None:
        """Second names for the pieces, so that the ring can go on and throw them away."""
        pieces = [piece for piece in self._pieces if piece.first + piece.frames > wish.first and piece.first <= wish.last]
        if not pieces:
            return
        try:
            names = self._second_names(pieces)
        except OSError as error:
            raise drive_error(error, self._folder, safe="What was kept before is safe.") from error
        folder = names[0].parent
        skip = max(0, wish.first - pieces[0].first)
        last = min(wish.last, pieces[-1].first + pieces[-1].frames - 1)
        self.kept.append(KeptClip(folder, tuple(names), tuple(piece.frames for piece in pieces), skip, last - pieces[0].first - skip + 1))

    def _second_names(self, pieces: list[_Piece]) -> list[Path]:
        """In a fresh folder. Raises OSError."""
        number = len(self.kept) + 1
        while True:
            folder = self._folder.with_name(f"{self._folder.name}-clip{number}")
            with contextlib.suppress(FileExistsError):
                folder.mkdir()
                break
            number += 1
        names = []
        for piece in pieces:
            names.append(folder / piece.path.name)
            try:
                os.link(piece.path, names[-1])
            except OSError:  # a file system without second names
                with piece.path.open("rb") as source, names[-1].open("xb") as copy:
                    shutil.copyfileobj(source, copy)
        return names


def pieces_of(clip: KeptClip) -> tuple[Piece, ...]:
    """A kept clip as pieces to be joined: the first without what lies before it, the last without what lies after."""
    beyond = sum(clip.counts) - clip.skip_frames - clip.frames
    last = len(clip.pieces) - 1
    return tuple(
        Piece(path, clip.skip_frames if number == 0 else 0, count - beyond if number == last and beyond > 0 else None)
        for number, (path, count) in enumerate(zip(clip.pieces, clip.counts, strict=True))
    )
