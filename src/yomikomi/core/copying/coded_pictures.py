"""The coded pictures of a copy as its take is decoded: from an encoder, or from chunks that an earlier start left."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING

import av

from yomikomi.core.balance.spans import cuts_of
from yomikomi.core.copying.chunks import Chunk, ChunkStore, can_be_chunked, edges_of, signature_of
from yomikomi.core.copying.first_pass import kept_pictures
from yomikomi.core.copying.request import CopyRequest, chain_of
from yomikomi.core.recipes.plan import EncoderPlan, plan_for
from yomikomi.core.treatment.cadence import gaps_known, gaps_of
from yomikomi.core.treatment.steps import RateCap
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.work.priority import lower_all_threads

if TYPE_CHECKING:
    from yomikomi.core.copying.encode import _Encode

# Packets of a chunk that are handed on at once.
_AT_ONCE = 24


class CodedPictures:
    """Told of every decoded picture, it gives the packets that are due; one encoder for all, or for each chunk one."""

    def __init__(self, job: _Encode, chunks: Path | None) -> None:
        self._job, self.chain = job, job.chain
        self._store: ChunkStore | None = None
        self._folder = chunks
        self._coder: av.VideoCodecContext | None = None
        self._stream: av.VideoStream | None = None
        self._number = self._sent = self._seen = 0  # the chunk that is encoded, pictures encoded or taken up, pictures decoded
        self._taken: Iterator[tuple[list[av.Packet], int]] | None = None

    def begin(self, stream: av.VideoStream) -> None:
        """``stream``: of the copy; its own encoder gives the header, and encodes what is not in chunks."""
        job, self._stream = self._job, stream
        stream.codec_context.open(strict=False)
        lower_all_threads()
        self._coder = stream.codec_context
        edges = chunk_edges(job.request, job.plan) if self._folder is not None else []
        if self._folder is None or not edges:
            return
        treated, request = self.chain.format, job.request
        signature = signature_of(
            request.reading.content or str(request.path), request.treatment.digest, request.recipe.model_dump_json(), treated, edges,
            job.plan, bytes(stream.codec_context.extradata or b""), request.fill_gaps,
        )  # fmt: skip
        self._store = ChunkStore(self._folder, edges, signature)

    def take_up(self) -> None:
        """What an earlier start, or other machines, left whole is not encoded again."""
        if self._store is not None and (whole := self._store.whole(self._job.reporter.check)):
            self._taken = self._taken_up(self._store, whole)

    def of(self, frame: av.VideoFrame | None) -> Iterator[tuple[list[av.Packet], int]]:
        """Packets that are due once a picture was decoded (None: no more come), and how many pictures they are for."""
        if self._taken is None:
            for treated in kept_pictures(self.chain.push(frame), self._job.timing):
                yield self._encoded(treated), 1
            return
        # The take is decoded for its sound and its faults all the same; pictures keep step with it.
        self._seen += 1
        total = self._job.timing.frames
        due = total if frame is None else total * self._seen // max(1, self._job.request.reading.frames)
        while self._job.frames < due:
            step = next(self._taken, None)
            if step is None:
                return
            yield step

    def finish(self) -> list[av.Packet]:
        packets = self._flushed()
        self._end_chunk()
        return packets

    def close(self) -> None:
        if self._store is not None:
            self._store.close()

    def make_chunk(self, number: int) -> None:
        """Encode one chunk alone, wherever its turn would be; one that is whole is left as it is. Raises OSError."""
        store, job = self._store, self._job
        assert store is not None
        if store.known(number, job.reporter.check) is not None:
            return
        self._number, self._sent, end = number, *store.edges[number : number + 2]
        self._coder = self._fresh()
        first = self._sent
        for frame in self._treated(first, end):
            self._encoded(frame)
            job.frames = self._sent - first
            job.tell(lambda: job.frames / (end - first))
        self.finish()

    def _taken_up(self, store: ChunkStore, whole: list[Chunk]) -> Iterator[tuple[list[av.Packet], int]]:
        """What lies in chunks, then the rest of the treated take, encoded."""
        pictures = self._job.witnesses.pictures
        for number, chunk in enumerate(whole):
            pictures.take_up(chunk.thumbs, chunk.cuttings, range(chunk.first, chunk.first + chunk.frames))
            found = store.packets(number, chunk)
            while some := list(islice(found, _AT_ONCE)):
                yield [self._placed(packet) for packet in some], len(some)
            self._sent = chunk.first + chunk.frames
        self._number = len(whole)
        if self._sent >= self._job.timing.frames:
            self._coder = None
            return
        self._coder = self._fresh()
        for frame in self._treated(self._sent, self._job.timing.frames):
            yield self._encoded(frame), 1

    def _treated(self, first: int, end: int) -> Iterator[av.VideoFrame]:
        """Pictures of the copy, numbered in it."""
        request = self._job.request
        for frame in TreatedFrames(
            request.path, request.reading, request.treatment, range(first, end), self.chain.format.pixel_format,
            self._job.reporter.check, request.most_filled_s,
        ):  # fmt: skip
            frame.pts = first + (frame.pts or 0)
            yield frame

    def _encoded(self, frame: av.VideoFrame) -> list[av.Packet]:
        assert self._coder is not None
        packets: list[av.Packet] = []
        if self._store is not None and self._sent and self._sent == self._store.edges[self._number + 1]:
            packets = self._flushed()
            self._end_chunk()
            self._number += 1
            self._coder = self._fresh()
        self._job.witnesses.pictures.see(self._sent, frame)
        self._sent += 1
        return [*packets, *self._kept(self._coder.encode(frame))]

    def _flushed(self) -> list[av.Packet]:
        return self._kept(self._coder.encode(None)) if self._coder is not None else []

    def _kept(self, packets: list[av.Packet]) -> list[av.Packet]:
        """They are written down before they are handed on."""
        if self._store is not None and packets:
            self._store.add(self._number, packets)
        return [self._placed(packet) for packet in packets]

    def _placed(self, packet: av.Packet) -> av.Packet:
        assert self._stream is not None
        packet.stream, packet.time_base = self._stream, 1 / Fraction(self._job.timing.rate)
        return packet

    def _end_chunk(self) -> None:
        if self._store is None or self._coder is None:
            return
        within = range(self._store.edges[self._number], self._store.edges[self._number + 1])
        if self._sent != within.stop:
            return
        thumbs, cuttings = self._job.witnesses.pictures.kept(within)
        self._store.end(self._number, thumbs=thumbs, cuttings=cuttings, filled=self.chain.filled)

    def _fresh(self) -> av.VideoCodecContext:
        """Another encoder with the same settings."""
        made = av.CodecContext.create(self._job.plan.encoder, "w")
        assert isinstance(made, av.VideoCodecContext)
        self._job.set_up(made)
        assert self._stream is not None
        made.flags = self._stream.codec_context.flags
        made.open(strict=False)
        lower_all_threads()
        return made


def chunk_edges(request: CopyRequest, plan: EncoderPlan) -> list[int]:
    """Where the chunks of a copy begin, in its frames, and the number of them all; nothing where it is made in one piece.

    Every picture of the take must have its place and no place may be empty: nothing is left out or repeated, so that what was counted
    before the end of the program need not be known.
    """
    reading, timing = request.reading, Timing.of(request.reading, request.treatment)
    steady = (reading.rate.constant or reading.rate.retimed) and not gaps_of(reading) and gaps_known(reading)
    if not can_be_chunked(request.recipe, plan) or not steady or request.treatment.get(RateCap) is not None:
        return []
    cuts = [timing.outputs(cut, cut + 1).start for cut in cuts_of(reading)]
    edges = edges_of(timing.frames, timing.rate, cuts)
    return edges if len(edges) > 2 else []


def chunk_count(request: CopyRequest) -> int:
    """Of how many chunks a copy is made; 0: it is made in one piece."""
    request = request.sized
    if request.recipe.untouched:
        return 0
    return max(0, len(chunk_edges(request, plan_for(request.recipe, chain_of(request).format))) - 1)
