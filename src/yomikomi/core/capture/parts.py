"""A take in one file or several: a new one every so many minutes or when its drive is full, without losing a frame."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Sequence
from pathlib import Path

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import DriveAwayError, DriveFullError, UnfinishedError, YomikomiError
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.work.new_file import is_taken


class Segments:
    """One recorder after another. An ended file is closed beside the recording, so that nothing waits for its index."""

    def __init__(self, source: SourceFormat, record_as: RecordAs) -> None:
        self.source, self.record_as = source, record_as
        self.current: Recorder | None = None
        self.paths: list[Path] = []
        self._closing: list[threading.Thread] = []
        self._troubles: list[YomikomiError] = []
        self._done_frames = self._done_bytes = 0
        self._lock = threading.Lock()
        self.unwritten = 0  # frames that were encoded and that a drive then did not take
        self._done_encode = self._done_write = 0.0

    def begin(self, path: Path, first: int) -> None:
        """End the current file, if there is one, and go on in another from frame ``first``."""
        fresh = Recorder(path, self.source, self.record_as, first=first)
        self.end_current()
        self.current = fresh
        self.paths.append(path)

    def end_current(self) -> None:
        ended, self.current = self.current, None
        if ended is None:
            return
        self._done_frames += ended.frames
        self._done_bytes += ended.bytes_written
        self._done_encode += ended.encode_seconds
        self._done_write += ended.write_seconds
        thread = threading.Thread(target=self._close, args=(ended,), name="closing a part", daemon=True)
        thread.start()
        self._closing = [one for one in self._closing if one.is_alive()] + [thread]

    def close(self) -> None:
        """End everything and wait for it. Raises the first trouble there was in finishing a file."""
        self.end_current()
        self.wait()
        if self._troubles:
            raise self._troubles[0]

    def wait(self) -> None:
        """Until every ended file is closed."""
        for thread in self._closing:
            thread.join()

    @property
    def frames(self) -> int:
        return self._done_frames - self.unwritten + (self.current.frames if self.current else 0)

    @property
    def bytes_written(self) -> int:
        return self._done_bytes + (self.current.bytes_written if self.current else 0)

    @property
    def encode_seconds(self) -> float:
        return self._done_encode + (self.current.encode_seconds if self.current else 0.0)

    @property
    def write_seconds(self) -> float:
        return self._done_write + (self.current.write_seconds if self.current else 0.0)

    def take_slowest_write(self) -> float:
        """Longest single write since last asked, seconds."""
        if self.current is None:
            return 0.0
        slowest, self.current.slowest_write = self.current.slowest_write, 0.0
        return slowest

    def _close(self, recorder: Recorder) -> None:
        counted = recorder.frames
        try:
            recorder.close()
        except YomikomiError as error:
            self._troubles.append(error)
        with self._lock:
            self.unwritten += counted - recorder.frames


class TakeRecorder:
    """Records a take into ``path``, then ``…-part2``, ``…-part3`` beside it or in the next of the ``spill`` folders.

    Raises DriveFullError or DriveAwayError when the last folder is full or gone as well; everything up to there is kept.
    """

    def __init__(self, path: Path, source: SourceFormat, record_as: RecordAs, spill: Sequence[Path] = ()) -> None:
        self.segments = Segments(source, record_as)
        self._path, self._spill = path, list(spill)
        self._folder = path.parent
        minutes = record_as.part_minutes
        self._part_frames = None if minutes is None else max(1, round(minutes * 60 * source.standard.rate))
        self._first: int | None = None
        self.segments.begin(path, 0)

    @property
    def folder(self) -> Path:
        """Where it is being written now."""
        return self._folder

    @property
    def paths(self) -> list[Path]:
        return self.segments.paths

    def write(self, picture: Picture, sound: SoundBlock) -> None:
        self._first = 0 if self._first is None else self._first
        if self._part_frames and picture.number - self._first >= self._part_frames:
            self._next_part(picture.number)
        current = self.segments.current
        try:
            self._write(picture, sound)
        except (DriveFullError, DriveAwayError):
            if current is not None:
                current.leave_to_next(picture.number)  # written whole to the next file, also where only its sound failed here
            if not self.move_on(picture.number):
                raise
            self._write(picture, sound)

    def check_there(self, number: int) -> None:
        """Go on in the next folder from frame ``number`` when the current file is not where it was begun any more: its drive was pulled,
        or its folder renamed. Raises DriveAwayError when there is no next folder."""
        if self.segments.current is None or self.segments.current.there() or self.move_on(number):
            return
        raise DriveAwayError(
            f"The folder {self._folder.name}/ is gone: its drive was unplugged or renamed. The take ends here.",
            remedy="What was recorded is on that drive. Connect it again; the take is found then.", path=self._path,
        )  # fmt: skip

    def move_on(self, number: int) -> bool:
        """Go on in the next folder from frame ``number``; False when there is none."""
        while self._spill:
            self._folder = self._spill.pop(0)
            with contextlib.suppress(YomikomiError):
                self._next_part(number)
                return True
        return False

    def close(self) -> None:
        self.segments.close()

    def _write(self, picture: Picture, sound: SoundBlock) -> None:
        assert self.segments.current is not None
        self.segments.current.write_picture(picture)
        self.segments.current.write_sound(sound)

    def _next_part(self, number: int) -> None:
        name = f"{self._path.stem}-part{len(self.paths) + 1}{self._path.suffix}"
        self.segments.begin(free_path(self._folder / name), number)
        self._first = number


def free_path(path: Path) -> Path:
    """The path itself, or with a letter behind it where something has that name."""
    for letter in ("", *"bcdefghijklmnopqrstuvwxyz"):
        free = path.with_name(f"{path.stem}{letter}{path.suffix}")
        if not is_taken(free):
            return free
    raise UnfinishedError(f"There are too many files named like {path.name}.", remedy="Move some of them away.", path=path)
