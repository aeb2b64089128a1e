"""Coded pictures of a long copy in chunks that outlive the program: an encode that is cut off goes on behind the last whole one.

Each chunk is encoded by an encoder of its own and begins with a key picture, at a cut where one is near. Its packets lie in a file, what
they are in a document beside it, written last: a chunk without that, or whose bytes are not what it says, was never made. Only constant
quality is made so: where an encoder steers by what came before, a chunk would begin with another state.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import secrets
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import av
import blake3
from pydantic import BaseModel, ConfigDict, ValidationError

from yomikomi.core.recipes.plan import EncoderPlan
from yomikomi.core.recipes.rates import ConstantQuality
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.work.new_file import write_over

# So long a chunk is, and so far from that a cut is taken, seconds. (Chunks of 5 s cost up to 2.5 % of bytes; docs/science.md.)
CHUNK_S, _NEAR_S = 60, 12
_PIECE = 1 << 20
_LARGEST = 50_000_000  # of a document, bytes


class Packed(BaseModel):
    """A packet: bytes, stamps in frames, and whether it is a key picture."""

    model_config = ConfigDict(frozen=True)

    size: int
    pts: int
    dts: int
    key: bool


class Chunk(BaseModel):
    """``signature``: of what made it; ``thumbs``, ``cuttings``: of its pictures, as they went into the encoder; ``filled``: pictures
    that stood in for missing ones, since the beginning of the copy."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    signature: str
    first: int
    frames: int
    packets: list[Packed]
    content: str
    thumbs: str
    cuttings: str
    filled: int = 0


class ChunkStore:
    """Parameters
    ----------
    folder : is made when the first chunk is begun.
    edges : numbers of frames at which chunks begin, the first 0, and the number of all frames.
    signature : of all that has a say in the coded bytes; chunks of another are not taken.
    """

    def __init__(self, folder: Path, edges: Sequence[int], signature: str) -> None:
        self.folder, self.edges, self.signature = folder, list(edges), signature
        self._packets: list[Packed] = []
        self._file: int | None = None
        self._growing: Path | None = None
        self._digest = blake3.blake3()

    def whole(self, check: Callable[[], None]) -> list[Chunk]:
        """Those from the beginning on that are whole, to the last byte. ``check`` may raise to stop."""
        found: list[Chunk] = []
        while len(found) + 1 < len(self.edges) and (chunk := self.known(len(found), check)) is not None:
            found.append(chunk)
        return found

    def known(self, number: int, check: Callable[[], None]) -> Chunk | None:
        """One of them, if it is whole."""
        chunk, (first, end) = self._read(number), self.edges[number : number + 2]
        if chunk is None or (chunk.signature, chunk.first, chunk.frames) != (self.signature, first, end - first):
            return None
        return chunk if not chunk.filled and self._is_whole(number, chunk, check) else None

    def packets(self, number: int, chunk: Chunk) -> Iterator[av.Packet]:
        with self._path(number, "bin").open("rb") as file:
            for one in chunk.packets:
                packet = av.Packet(file.read(one.size))
                packet.pts, packet.dts, packet.is_keyframe = one.pts, one.dts, one.key
                yield packet

    def add(self, number: int, packets: Sequence[av.Packet]) -> None:
        """Raises OSError."""
        if self._file is None:
            self.folder.mkdir(parents=True, exist_ok=True)
            self._growing = self._path(number, secrets.token_hex(4))  # whoever else makes the same chunk does not write into it
            self._file = os.open(self._growing, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
        for packet in packets:
            content = bytes(packet)
            os.write(self._file, content)
            self._digest.update(content)
            assert packet.pts is not None
            assert packet.dts is not None
            self._packets.append(Packed(size=len(content), pts=packet.pts, dts=packet.dts, key=packet.is_keyframe))

    def end(self, number: int, *, thumbs: str, cuttings: str, filled: int) -> None:
        """All of a chunk was added: to the drive, then written down. Raises OSError."""
        if self._file is None or self._growing is None:
            return
        os.fsync(self._file)
        self._growing.replace(self._path(number, "bin"))
        chunk = Chunk(
            signature=self.signature, first=self.edges[number], frames=self.edges[number + 1] - self.edges[number], packets=self._packets,
            content=self._digest.hexdigest(), thumbs=thumbs, cuttings=cuttings, filled=filled,
        )  # fmt: skip
        self.close()
        write_over(self._path(number, "json"), chunk.model_dump_json().encode())

    def close(self) -> None:
        if self._file is not None:
            os.close(self._file)
        if self._growing is not None:
            self._growing.unlink(missing_ok=True)
        self._growing = None
        self._file, self._packets, self._digest = None, [], blake3.blake3()

    def _path(self, number: int, kind: str) -> Path:
        return self.folder / f"{number:05d}.{kind}"

    def _read(self, number: int) -> Chunk | None:
        path = self._path(number, "json")
        with contextlib.suppress(OSError, ValidationError):
            if not path.is_symlink() and path.stat().st_size <= _LARGEST:
                return Chunk.model_validate_json(path.read_bytes())
        return None

    def _is_whole(self, number: int, chunk: Chunk, check: Callable[[], None]) -> bool:
        path, digest = self._path(number, "bin"), blake3.blake3()
        with contextlib.suppress(OSError):
            if path.stat().st_size != sum(packet.size for packet in chunk.packets):
                return False
            with path.open("rb") as file:
                while piece := file.read(_PIECE):
                    check()
                    digest.update(piece)
            return bool(digest.hexdigest() == chunk.content)
        return False


def can_be_chunked(recipe: Recipe, plan: EncoderPlan) -> bool:
    """Constant quality that nothing caps: a buffer's state would not go over from one chunk to the next."""
    told = " ".join((*plan.options, *plan.options.values(), *plan.params))
    return isinstance(recipe.rate, ConstantQuality) and plan.passes == 1 and not any(word in told for word in ("maxrate", "vbv", "bufsize"))


def edges_of(frames: int, rate: Fraction, cuts: Sequence[int]) -> list[int]:
    """Where chunks begin: each minute, or at the cut that is nearest to that; a short rest belongs to the last. ``cuts``: in frames of the
    copy."""
    length, near = round(CHUNK_S * rate), round(_NEAR_S * rate)
    edges = [0]
    while frames - edges[-1] >= 2 * length:
        wanted = edges[-1] + length
        close = [cut for cut in cuts if abs(cut - wanted) <= near]
        edges.append(min(close, key=lambda cut: abs(cut - wanted), default=wanted))
    return [*edges, frames]


def signature_of(*parts: object) -> str:
    """``parts``: whatever has a say; the libraries that encode are added."""
    words = [*map(repr, parts), repr(sorted(av.library_versions.items()))]
    return hashlib.blake2b("\0".join(words).encode(errors="surrogateescape"), digest_size=16).hexdigest()
