"""Three-dimensional colour tables: read and written as ``.cube`` text, and made for conversions."""

from __future__ import annotations

import math
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import UnreadableError

_LARGEST_FILE, _LARGEST_SIDE = 64_000_000, 129


@dataclass(frozen=True)
class CubeTable:
    """``values``: ndarray [shape=(blue, green, red, 3), float64, output R′G′B′ 0…1]; input from 0 to 1 along each side."""

    values: NDArray[np.float64]
    title: str = ""

    @property
    def side(self) -> int:
        return int(self.values.shape[0])


def write_cube(path: Path, table: CubeTable) -> None:
    """As text, red running fastest. Raises OSError."""
    head = f'TITLE "{table.title}"\nLUT_3D_SIZE {table.side}\n'
    # All in one: a line at a time takes three times as long, and somebody waits for it.
    rows = "%.7f %.7f %.7f\n" * table.side**3 % tuple(table.values.ravel().tolist())
    path.write_text(head + rows, encoding="utf-8")


def read_cube(path: Path) -> CubeTable:
    """Raises UnreadableError, which says in which line what is wrong."""
    return parse_cube(_bytes_of(path), path)


def checked_hash(path: Path) -> str:
    """What a table is known by that can be applied. Raises as :func:`read_cube`."""
    content = _bytes_of(path)
    parse_cube(content, path)
    return sha256(content).hexdigest()


def table_hash(path: Path) -> str:
    """What a table is known by. Raises UnreadableError."""
    return sha256(_bytes_of(path)).hexdigest()


def _bytes_of(path: Path) -> bytes:
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise _wrong(path, f"it is larger than {_LARGEST_FILE // 1_000_000} MB")
        return path.read_bytes()
    except OSError as error:
        raise UnreadableError(
            f"The table {path.name} cannot be read: {error.strerror}.", remedy="Choose the table again.", path=path
        ) from error


def parse_cube(content: bytes, path: Path) -> CubeTable:
    """``path``: for what is said of it."""
    side, title, rows = 0, "", []
    for number, line in enumerate(content.decode("utf-8", errors="replace").splitlines(), 1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        if words[0] == "TITLE":
            title = line.partition("TITLE")[2].strip().strip('"')
        elif words[0] == "LUT_3D_SIZE":
            side = _side(words, number, path)
        elif words[0] == "LUT_1D_SIZE":
            raise _wrong(path, "it is a table of one dimension; only those of three are applied")
        elif words[0] in {"DOMAIN_MIN", "DOMAIN_MAX"}:
            wanted = [0.0] * 3 if words[0] == "DOMAIN_MIN" else [1.0] * 3
            if _numbers(words[1:], number, path) != wanted:
                raise _wrong(path, f"line {number}: only inputs from 0 to 1 are taken")
        else:
            rows.append(_numbers(words, number, path))
            if len(rows) > _LARGEST_SIDE**3:
                raise _wrong(path, "it has too many rows")
    if not side:
        raise _wrong(path, "it does not say its size (LUT_3D_SIZE)")
    if len(rows) != side**3:
        raise _wrong(path, f"it has {len(rows)} of {side**3} rows")
    return CubeTable(np.array(rows).reshape(side, side, side, 3), title)


def _side(words: list[str], number: int, path: Path) -> int:
    if len(words) == 2 and words[1].isdecimal() and 2 <= int(words[1]) <= _LARGEST_SIDE:
        return int(words[1])
    raise _wrong(path, f"line {number}: a size between 2 and {_LARGEST_SIDE} is needed")


def _numbers(words: list[str], number: int, path: Path) -> list[float]:
    try:
        found = [float(word) for word in words]
    except ValueError:
        found = []
    if len(found) != 3 or not all(math.isfinite(one) for one in found):
        raise _wrong(path, f"line {number}: three numbers are needed")
    return found


def _wrong(path: Path, what: str) -> UnreadableError:
    return UnreadableError(f"{path.name} is not a colour table that can be applied: {what}.", remedy="Choose another table.", path=path)


def grid(side: int) -> NDArray[Any]:
    """ndarray [shape=(side, side, side, 3), float64]: the inputs of a table's rows, R′G′B′ 0…1, red running fastest."""
    steps = np.linspace(0, 1, side)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    return np.stack([red, green, blue], axis=-1)
