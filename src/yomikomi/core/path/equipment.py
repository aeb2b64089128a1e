"""My equipment: the pieces somebody has, and kinds of their own. Kept in the workspace, exchanged as a file."""

from __future__ import annotations

import re
from collections import Counter
from functools import cached_property
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from yomikomi.core.errors import UnreadableError
from yomikomi.core.path.catalogue import CATALOGUE, DeviceKind
from yomikomi.core.video.media import is_regular
from yomikomi.core.work.new_file import write_small

PIECE_LIMIT = 500  # pieces of equipment; more is more likely a broken file
_FILE_LIMIT = 2_000_000  # bytes of an equipment file


class Piece(BaseModel):
    """One thing on the table. ``id`` never changes; ``words`` is how people call it, empty: as its kind is called."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str = Field(pattern=r"^[\w.-]{1,60}$")
    kind: str
    words: str = Field(default="", max_length=80)
    where: str = Field(default="", max_length=120)


class Equipment(BaseModel):
    """Raises ValidationError for a piece of an unknown kind or an id that is there twice."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = 1
    kinds: tuple[DeviceKind, ...] = ()
    pieces: tuple[Piece, ...] = Field(default=(), max_length=PIECE_LIMIT)

    def model_post_init(self, _context: Any) -> None:
        unknown = sorted({piece.kind for piece in self.pieces} - set(self.known))
        if unknown:
            raise ValueError(f"no such kind of equipment: {', '.join(unknown)}")
        twice = [key for key, count in Counter(piece.id for piece in self.pieces).items() if count > 1]
        if twice:
            raise ValueError(f"used for two pieces: {', '.join(twice)}")

    @cached_property
    def known(self) -> dict[str, DeviceKind]:
        """All kinds that pieces can be of; one's own go before the catalogue's of the same key."""
        return {**CATALOGUE, **{kind.key: kind for kind in self.kinds}}

    @cached_property
    def by_id(self) -> dict[str, Piece]:
        return {piece.id: piece for piece in self.pieces}

    @cached_property
    def kind_by_id(self) -> dict[str, DeviceKind]:
        return {piece.id: self.known[piece.kind] for piece in self.pieces}

    def kind_of(self, piece_id: str) -> DeviceKind:
        return self.kind_by_id[piece_id]

    def words_of(self, piece_id: str) -> str:
        piece = self.by_id[piece_id]
        return piece.words or self.known[piece.kind].words

    def with_piece(self, kind: str, *, words: str = "", piece_id: str = "", where: str = "") -> Equipment:
        """One piece more; without an id it gets a free one."""
        piece = Piece(id=piece_id or self.free_id(kind), kind=kind, words=words, where=where)
        return self._with(pieces=(*self.pieces, piece))

    def without_piece(self, piece_id: str) -> Equipment:
        return self._with(pieces=tuple(piece for piece in self.pieces if piece.id != piece_id))

    def with_changed(self, piece: Piece) -> Equipment:
        return self._with(pieces=tuple(piece if one.id == piece.id else one for one in self.pieces))

    def with_kind(self, kind: DeviceKind) -> Equipment:
        """A kind of one's own, new or changed."""
        return self._with(kinds=(*(one for one in self.kinds if one.key != kind.key), kind))

    def without_kind(self, key: str) -> Equipment:
        """Pieces of that kind go with it, unless the catalogue has a kind of the same key."""
        kept = self.pieces if key in CATALOGUE else tuple(piece for piece in self.pieces if piece.kind != key)
        return self._with(pieces=kept, kinds=tuple(one for one in self.kinds if one.key != key))

    def free_id(self, kind: str) -> str:
        number = 1
        while f"{kind}-{number}" in self.by_id:
            number += 1
        return f"{kind}-{number}"

    def free_kind_key(self, words: str) -> str:
        stem = re.sub(r"[^a-z0-9]+", "_", words.lower()).strip("_")[:32] or "kind"
        key, number = stem, 2
        while key in self.known:
            key, number = f"{stem}_{number}", number + 1
        return key

    def _with(self, *, pieces: tuple[Piece, ...] | None = None, kinds: tuple[DeviceKind, ...] | None = None) -> Equipment:
        return Equipment(pieces=self.pieces if pieces is None else pieces, kinds=self.kinds if kinds is None else kinds)


def equipment_of(*kinds: str) -> Equipment:
    """A piece of each kind named; a kind may be named several times."""
    counts: Counter[str] = Counter()
    pieces = []
    for kind in kinds:
        counts[kind] += 1
        pieces.append(Piece(id=f"{kind}-{counts[kind]}", kind=kind))
    return Equipment(pieces=tuple(pieces))


def read_equipment(path: Path) -> Equipment:
    """An equipment file: the JSON this program writes, or a list of kinds by hand: ``{"pieces": [{"kind": "usb_grabber"}]}``.

    Raises UnreadableError, saying what is wrong with it.
    """
    remedy = "Use a file exported from Path, or one with pieces named by the kinds that `yomikomi equipment` lists."
    try:
        if path.exists() and not is_regular(path):
            raise UnreadableError(f"{path.name} is no ordinary file.", remedy=remedy, path=path)
        if path.stat().st_size > _FILE_LIMIT:
            raise UnreadableError(f"{path.name} is far too large for a list of equipment.", remedy=remedy, path=path)
        document = _with_ids(path.read_text("utf-8"))
        return Equipment.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise UnreadableError(f"{path.name} is no list of equipment: {where} {first['msg']}.", remedy=remedy, path=path) from error
    except OSError as error:
        raise UnreadableError(f"{path.name} cannot be read: {error.strerror}.", remedy="Check the name.", path=path) from error
    except (ValueError, RecursionError) as error:
        raise UnreadableError(f"{path.name} is no list of equipment: it is not JSON.", remedy=remedy, path=path) from error


def write_equipment(equipment: Equipment, path: Path, *, over: bool = False) -> None:
    """``over`` and errors: see :func:`write_small`."""
    write_small(path, equipment.model_dump_json(indent=1, exclude_defaults=True).encode(), over=over)


def _with_ids(text: str) -> Any:
    """Give pieces that were written by hand an id each."""
    import json

    document = json.loads(text)
    pieces = document.get("pieces") if isinstance(document, dict) else None
    if not isinstance(pieces, list):
        return document
    taken = {piece["id"] for piece in pieces if isinstance(piece, dict) and isinstance(piece.get("id"), str)}
    for piece in pieces:
        if isinstance(piece, dict) and isinstance(piece.get("kind"), str) and "id" not in piece:
            number = 1
            while f"{piece['kind']}-{number}" in taken:
                number += 1
            piece["id"] = f"{piece['kind']}-{number}"
            taken.add(piece["id"])
    return document
