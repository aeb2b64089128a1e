"""The same drives under other names: each machine says where it sees a storage, and files travel as names inside one."""

from __future__ import annotations

import contextlib
import os
import secrets
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

import blake3

from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import WrongUseError
from yomikomi.core.work.new_file import write_once

_PIECE = 1 << 20


@dataclass(frozen=True)
class Place:
    """``path``: inside the storage, without ".."."""

    storage: str
    path: PurePosixPath

    def on(self, storages: Mapping[str, Path]) -> Path:
        return storages[self.storage] / self.path


@dataclass(frozen=True)
class Mark:
    """Put into the target's folder on one machine, it must be seen on the other. ``name``, ``words``: of a small file."""

    name: str
    words: str


@dataclass(frozen=True)
class PlacedWork:
    """What a task needs, as any machine can find it. ``sample``: see :func:`sample_of`. The request's own paths hold nowhere."""

    source: Place
    target: Place
    sample: str
    request: CopyRequest

    def on(self, storages: Mapping[str, Path]) -> CopyRequest:
        return replace(self.request, path=self.source.on(storages), target=self.target.on(storages))


def storages_of(words: list[str]) -> dict[str, Path]:
    """Of ``NAME=PATH``. Raises WrongUseError."""
    found: dict[str, Path] = {}
    for word in words:
        name, equals, path = word.partition("=")
        if not name or not equals or not path or "/" in name:
            raise WrongUseError(f"{word!r} names no storage.", remedy="Write it as NAME=PATH, as in tapes=/mnt/tapes.")
        if not Path(path).is_dir():
            raise WrongUseError(f"Storage {name}: {path} is no folder on this machine.", remedy="Connect the drive, or correct the path.")
        found[name] = Path(path).resolve()
    return found


def placed(request: CopyRequest, storages: Mapping[str, Path]) -> PlacedWork:
    """Raises WrongUseError with the reason where a copy can be made on this machine only; OSError where its take cannot be reached."""
    if request.reading.content is None:
        raise WrongUseError(f"{request.path.name} was read quickly only: other machines could not tell whether they see the same file.")
    if request.treatment.joined:
        raise WrongUseError(f"A sound file is joined to {request.path.name}; such copies are made on this machine.")
    source, target = (_place(path, storages) for path in (request.path, request.target))
    bare = replace(request, path=Path(request.path.name), target=Path(request.target.name))
    return PlacedWork(source, target, sample_of(request.path), bare)


def sample_of(path: Path) -> str:
    """Size and BLAKE3 of the first, the middle and the last MiB, in a moment; whether every byte is the same is asked by the task."""
    with path.open("rb") as file:
        size = os.fstat(file.fileno()).st_size
        digest = blake3.blake3(str(size).encode())
        for at in sorted({0, max(0, size // 2 - _PIECE // 2), max(0, size - _PIECE)}):
            file.seek(at)
            digest.update(file.read(_PIECE))
    return str(digest.hexdigest())


@contextlib.contextmanager
def marked(folder: Path) -> Iterator[Mark]:
    """Raises OSError."""
    mark = Mark(f".yomikomi-{secrets.token_hex(8)}.mark", secrets.token_hex(16))
    path = folder / mark.name
    try:
        write_once(path, mark.words.encode(), mode=0o666)
        yield mark
    finally:
        path.unlink(missing_ok=True)


def sees(work: PlacedWork, mark: Mark, storages: Mapping[str, Path]) -> str:
    """What hinders a machine with these storages; empty: nothing."""
    for place in (work.source, work.target):
        if place.storage not in storages:
            return f"has no storage {place.storage}"
    source, folder = work.source.on(storages), work.target.on(storages).parent
    try:
        if sample_of(source) != work.sample:
            return f"sees another {work.source.path} in storage {work.source.storage}"
    except OSError as error:
        return f"cannot read {work.source.path} in storage {work.source.storage}: {error.strerror}"
    try:
        if (folder / mark.name).read_text(errors="replace") != mark.words:
            return f"sees another folder as storage {work.target.storage}"
    except OSError:
        return f"sees another folder as storage {work.target.storage}"
    return "" if os.access(folder, os.W_OK | os.X_OK) else f"may not write in storage {work.target.storage}"


def _place(path: Path, storages: Mapping[str, Path]) -> Place:
    """In the innermost storage that holds it."""
    real = path.parent.resolve() / path.name
    holding = [(name, root) for name, root in storages.items() if real.is_relative_to(root)]
    if not holding:
        raise WrongUseError(f"{path.name} lies in no storage that other machines are told of; it is made on this machine.", path=path)
    name, root = max(holding, key=lambda pair: len(pair[1].parts))
    return Place(name, PurePosixPath(real.relative_to(root)))
