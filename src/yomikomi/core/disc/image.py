"""The files of a video disc: in a folder, or inside an image of the disc (ISO 9660 or UDF, read by pycdlib)."""

from __future__ import annotations

import contextlib
import io
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any, Protocol

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.media import is_regular

SECTOR = 2048  # bytes (ECMA-267, ECMA-119)
_FOLDER = "VIDEO_TS"
_TABLE = "VIDEO_TS.IFO"
# Tables of contents are small; a longer one is not what it says it is.
_LARGEST_TABLE = 4_000_000


class DiscFiles(Protocol):
    """``sizes``: bytes of each file by its upper-case name."""

    sizes: dict[str, int]

    def open(self, name: str) -> IO[bytes]: ...


def looks_like_disc(path: Path) -> bool:
    """Whether a dropped path is a disc folder or an image file; quick, by name only."""
    if path.is_dir():
        return _inside(path) is not None
    return path.suffix.lower() in {".iso", ".img", ".udf"} and path.is_file()


@contextlib.contextmanager
def open_disc(path: Path) -> Iterator[DiscFiles]:
    """A VIDEO_TS folder, the folder it lies in, an image file, or a drive's device. Raises UnreadableError with what to do."""
    if not path.exists():
        raise UnreadableError(f"There is no {path.name}.", remedy="Check the name, or whether its drive is connected.", path=path)
    if path.is_dir():
        inside = _inside(path)
        if inside is None:
            raise UnreadableError(
                f"{path.name} holds no VIDEO_TS folder.", remedy="Give the folder of a video disc, or an image of one.", path=path
            )
        yield _Folder(inside)
        return
    if not is_regular(path) and not path.is_block_device():
        raise UnreadableError(f"{path.name} is no ordinary file.", remedy="Give the folder of a video disc, or an image of one.", path=path)
    with _image(path) as files:
        yield files


def read_table(files: DiscFiles, name: str) -> bytes:
    """A table file whole. Raises UnreadableError where it is missing, empty or far too large."""
    size = files.sizes.get(name, 0)
    if not 0 < size <= _LARGEST_TABLE:
        what = "missing" if name not in files.sizes else "empty" if size == 0 else "too large to be a table of contents"
        raise UnreadableError(f"{name} is {what}.", remedy="Copy the disc again.")
    try:
        with files.open(name) as file:
            return file.read(_LARGEST_TABLE)
    except OSError as error:
        raise UnreadableError(f"{name} cannot be read: {error.strerror or error}.", remedy="Clean the disc, or copy it again.") from error


class _Folder:
    def __init__(self, folder: Path) -> None:
        try:
            self._paths = {entry.name.upper(): entry for entry in folder.iterdir() if is_regular(entry)}
            self.sizes = {name: path.stat().st_size for name, path in self._paths.items()}
        except OSError as error:
            raise UnreadableError(
                f"{folder.name} cannot be read: {error.strerror}.", remedy="Ask its owner for the right to read it."
            ) from error

    def open(self, name: str) -> IO[bytes]:
        return self._paths[name].open("rb")


class _Image:
    """pycdlib answers with the place of a file; its bytes are read straight from the image, so several can be open."""

    def __init__(self, path: Path, places: dict[str, tuple[int, int]]) -> None:
        self._path, self._places = path, places
        self.sizes = {name: size for name, (_, size) in places.items()}

    def open(self, name: str) -> IO[bytes]:
        start, size = self._places[name]
        return io.BufferedReader(_Window(self._path, start, size), 64 * SECTOR)


class _Window(io.RawIOBase):
    """A stretch of a file as a file."""

    def __init__(self, path: Path, start: int, size: int) -> None:
        self._file = path.open("rb", buffering=0)
        self._start, self._size, self._at = start, size, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._at = max(0, {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence] + offset)
        return self._at

    def readinto(self, buffer: Any) -> int:
        want = max(0, min(len(buffer), self._size - self._at))
        self._file.seek(self._start + self._at)
        got = self._file.readinto(memoryview(buffer)[:want]) or 0
        self._at += got
        return got

    def close(self) -> None:
        self._file.close()
        super().close()


@contextlib.contextmanager
def _image(path: Path) -> Iterator[_Image]:
    import pycdlib
    from pycdlib.pycdlibexception import PyCdlibException

    unreadable = UnreadableError(
        f"{path.name} is not a readable image of a video disc.",
        remedy="Make the image again, or give the disc's VIDEO_TS folder.",
        path=path,
    )
    image = pycdlib.PyCdlib()
    try:
        image.open(str(path))
    except (PyCdlibException, OSError, ValueError, IndexError, KeyError, ArithmeticError, AttributeError, TypeError, struct.error) as error:
        # A damaged image may break the library in other ways than its own error.
        raise unreadable from error
    try:
        try:
            places = _places(image, _length(path))
        except (PyCdlibException, OSError, ValueError, AttributeError, TypeError, struct.error) as error:
            raise unreadable from error
        yield _Image(path, places)
    finally:
        with contextlib.suppress(PyCdlibException):
            image.close()


def _length(path: Path) -> int:
    """Bytes of an image, also of a disc drive's device, which a file's size does not tell."""
    with path.open("rb") as file:
        return file.seek(0, io.SEEK_END)


def _places(image: Any, image_bytes: int) -> dict[str, tuple[int, int]]:
    """Start and size in bytes of each file of the VIDEO_TS folder; files that lie beyond the image's end are cut there."""
    from pycdlib.pycdlibexception import PyCdlibException

    places: dict[str, tuple[int, int]] = {}
    try:
        for record in image.list_children(iso_path=f"/{_FOLDER}"):
            if record.is_file():
                name = record.file_identifier().decode("ascii", "replace").split(";")[0].upper()
                places[name] = (record.extent_location() * SECTOR, record.get_data_length())
    except PyCdlibException:
        for record in image.list_children(udf_path=f"/{_FOLDER}"):
            if record is not None and record.is_file():
                name = record.file_identifier().decode("utf-8", "replace").upper()
                places[name] = (record.extent_location() * SECTOR, record.get_data_length())
    return {name: (start, max(0, min(size, image_bytes - start))) for name, (start, size) in places.items()}


def _inside(path: Path) -> Path | None:
    """The VIDEO_TS folder that is meant by a folder: itself, or one in it."""
    try:
        for candidate in (path, *(entry for entry in path.iterdir() if entry.is_dir() and entry.name.upper() == _FOLDER)):
            if any(entry.name.upper() == _TABLE for entry in candidate.iterdir()):
                return candidate
    except OSError:
        return None
    return None
