"""Digests of a file, both in one pass: one for exchange with others, a fast one for routine."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

import blake3
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.video.identity import pieces_of


class Digests(BaseModel):
    """Of all bytes of a file."""

    model_config = ConfigDict(frozen=True)

    size: int = Field(ge=0, description="bytes")
    content: str = Field(pattern=r"^[0-9a-f]{64}$", description="BLAKE3, hexadecimal: fast, for routine checks")
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$", description="SHA-256, hexadecimal: for exchange with others")


def digests_of(path: Path, check: Callable[[int], None] = lambda _done: None, *, from_drive: bool = False) -> Digests:
    """``check`` is told the bytes done and may raise to stop. ``from_drive``: see :func:`pieces_of`.

    Source: FIPS 180-4 (SHA-256), the BLAKE3 specification; as the libraries of those names implement them. Raises OSError.
    """
    fast, exchange, size = blake3.blake3(), hashlib.sha256(), 0
    for piece in pieces_of(path, from_drive=from_drive):
        fast.update(piece)
        exchange.update(piece)
        size += len(piece)
        check(size)
    return Digests(size=size, content=str(fast.hexdigest()), sha256=exchange.hexdigest())


def content_of(path: Path, check: Callable[[int], None] = lambda _done: None, *, from_drive: bool = False) -> tuple[int, str]:
    """Bytes and BLAKE3 alone: about ten times as fast as both. Raises OSError, and what ``check`` raises."""
    fast, size = blake3.blake3(), 0
    for piece in pieces_of(path, from_drive=from_drive):
        fast.update(piece)
        size += len(piece)
        check(size)
    return size, str(fast.hexdigest())
