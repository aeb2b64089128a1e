"""An encode that is cut off goes on behind its last whole chunk, and comes out as if nothing had been."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from tests.conftest import Shared
from tests.making import packets_in, programme_frames, write_clip
from yomikomi.core.copying.chunks import ChunkStore, can_be_chunked, edges_of
from yomikomi.core.copying.coded_pictures import chunk_count
from yomikomi.core.copying.encode import Encoded, encode, make_chunk
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.copying.verify import Expected, verify
from yomikomi.core.errors import CancelledError
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.plan import plan_for
from yomikomi.core.recipes.rates import CappedQuality, Lossless
from yomikomi.core.recipes.recipe import Recipe, recipe_for, recipe_with
from yomikomi.core.run.tasks import encode_task, verify_task
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Trim
from yomikomi.core.treatment.timing import length_of
from yomikomi.core.work import SilentReporter

QUICK = {"h264": ("h264", 30, "ultrafast"), "hevc": ("hevc", 34, "ultrafast"), "av1": ("av1", 50, "12")}


@pytest.fixture(autouse=True)
def _short_chunks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yomikomi.core.copying.chunks.CHUNK_S", 2)
    monkeypatch.setattr("yomikomi.core.copying.chunks._NEAR_S", Fraction(1, 2))


@pytest.fixture(scope="module")
def take(shared: Shared) -> tuple[Path, Reading]:
    path = shared.file("chunked.mkv", lambda part: write_clip(part, programme_frames(260, width=192, height=144), sound_seconds=10.4))
    return path, shared.reading(path)


class StopsAt(SilentReporter):
    """Stops the work when so many pictures are done."""

    def __init__(self, frames: int) -> None:
        super().__init__()
        self._frames = frames

    def report(self, progress: Any) -> None:
        super().report(progress)
        if progress.frames >= self._frames:
            self.stop.set()


@dataclass
class World:
    request: CopyRequest
    chunks: Path

    def made(self, name: str, *, chunks: bool = True, reporter: SilentReporter | None = None) -> Encoded:
        target = self.request.target.with_name(name)
        return encode(replace(self.request, target=target), target, reporter or SilentReporter(), self.chunks if chunks else None)

    def checks(self, made: Encoded) -> set[str]:
        request, treated = self.request, chain_for(self.request.reading, self.request.treatment).format
        meant = Expected(made, treated, length_of(request.reading, request.treatment), request.recipe.container)
        return {check.name for check in verify(meant, SilentReporter()) if not check.passed}


def _world(take: tuple[Path, Reading], folder: Path, recipe: Recipe, treatment: Treatment | None = None) -> World:
    return World(CopyRequest(take[0], folder / f"copy.{recipe.container}", take[1], treatment or Treatment(), recipe), folder / "chunks")


def _content(path: Path) -> tuple[list[int | None], list[int], list[bytes]]:
    """Stamps of pictures, samples of sound, and the packets of pictures."""
    with av.open(str(path)) as container:
        stamps = [frame.pts for frame in container.decode(video=0)]
    with av.open(str(path)) as container:
        samples = [frame.samples for frame in container.decode(audio=0)]
    with av.open(str(path)) as container:
        packets = [bytes(packet) for packet in container.demux(video=0) if packet.size]
    return stamps, samples, packets


@pytest.fixture(autouse=True)
def _telling(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yomikomi.core.copying.encode._REPORT_PERIOD_S", -1.0)


@pytest.mark.parametrize("codec", ["h264", "av1"])
def test_cut_off_twice_it_comes_out_as_undisturbed(take: tuple[Path, Reading], tmp_path: Path, codec: str) -> None:
    name, quality, speed = QUICK[codec]
    world = _world(take, tmp_path, recipe_for(name, quality, speed=speed))
    whole = world.made("whole.mp4", chunks=False)
    undisturbed = World(world.request, tmp_path / "others").made("undisturbed.mp4")
    for frames in (70, 190):
        with pytest.raises(CancelledError):
            world.made("cut-off.mp4", reporter=StopsAt(frames))
    assert len(list(world.chunks.glob("*.json"))) >= 2
    before = {path.name: path.stat().st_mtime_ns for path in world.chunks.glob("*.json")}
    made = world.made("taken-up.mp4")
    assert before.items() <= {
        path.name: path.stat().st_mtime_ns for path in world.chunks.glob("*.json")
    }.items()  # nothing that was whole was made twice
    assert world.checks(made) == set()
    assert made.witness == undisturbed.witness == whole.witness
    (stamps, samples, packets), one, other = (_content(encoded.path) for encoded in (made, undisturbed, whole))
    assert stamps == one[0] == other[0]
    assert len(stamps) == 260
    assert samples == one[1] == other[1]
    if codec == "h264":  # its encoder is not the same twice on small pictures (docs/science.md)
        assert abs(sum(map(len, packets)) / sum(map(len, one[2])) - 1) < 0.01
    else:
        assert packets == one[2]  # the same coded pictures, byte for byte
    assert abs(sum(map(len, packets)) / sum(map(len, other[2])) - 1) < 0.35  # chunks of two seconds; of a minute it is hardly anything


def test_a_damaged_chunk_and_all_behind_it_are_made_anew(take: tuple[Path, Reading], tmp_path: Path) -> None:
    world = _world(take, tmp_path, recipe_for("h264", 30, speed="ultrafast"))
    first = world.made("first.mp4")
    spoilt = world.chunks / "00001.bin"
    raw = bytearray(spoilt.read_bytes())
    raw[len(raw) // 2] ^= 8
    spoilt.write_bytes(raw)
    (world.chunks / "00003.json").write_text("{}")
    again = world.made("again.mp4")
    assert world.checks(again) == set()
    assert _content(again.path) == _content(first.path)
    assert bytes(raw) != spoilt.read_bytes()


def test_of_another_recipe_or_take_nothing_is_taken(take: tuple[Path, Reading], tmp_path: Path) -> None:
    world = _world(take, tmp_path, recipe_for("h264", 30, speed="ultrafast"))
    world.made("first.mp4")
    other = replace(world, request=replace(world.request, recipe=recipe_for("h264", 20, speed="ultrafast")))
    made = other.made("other.mp4")
    assert other.checks(made) == set()
    assert made.size_bytes > 1.2 * (tmp_path / "first.mp4").stat().st_size


def test_trimmed_cut_and_taken_up(take: tuple[Path, Reading], tmp_path: Path) -> None:
    """The rest is treated from its middle on: a stretch comes out as the same part of the whole does."""
    treatment = Treatment().having(Trim(start=0.6, end=10.0)).having(CutOut.model_validate({"parts": [{"start": 3.0, "end": 4.0}]}))
    world = _world(take, tmp_path, recipe_for("h264", 28, speed="ultrafast"), treatment)
    whole = world.made("whole.mp4", chunks=False)
    with pytest.raises(CancelledError):
        world.made("cut-off.mp4", reporter=StopsAt(120))
    made = world.made("taken-up.mp4")
    assert world.checks(made) == set()
    assert made.witness == whole.witness
    assert made.frames == whole.frames


def test_what_is_made_in_chunks_and_where_they_begin(take: tuple[Path, Reading], monkeypatch: pytest.MonkeyPatch) -> None:
    treated = source_format(take[1])
    for recipe, wanted in (
        (recipe_for("h264", 20), True), (recipe_for("av1", 30), True),
        (recipe_with(CODECS["h264"], Lossless(), container="mkv"), False),
        (recipe_with(CODECS["h264"], CappedQuality(quality=20, cap_kbps=2000)), False),
    ):  # fmt: skip
        assert can_be_chunked(recipe, plan_for(recipe, treated)) is wanted
    monkeypatch.setattr("yomikomi.core.copying.chunks.CHUNK_S", 60)
    monkeypatch.setattr("yomikomi.core.copying.chunks._NEAR_S", 12)
    assert edges_of(2999, Fraction(25), []) == [0, 2999]  # not worth it
    assert edges_of(9000, Fraction(25), [10, 1300, 1650, 2900, 4500]) == [0, 1650, 2900, 4500, 6000, 7500, 9000]
    rng = np.random.default_rng(1)
    for _ in range(200):
        frames, cuts = int(rng.integers(1, 40_000)), sorted(rng.integers(1, 40_000, 50).tolist())
        edges = edges_of(frames, Fraction(30000, 1001), cuts)
        assert edges[0] == 0
        assert edges[-1] == frames
        assert all(round(5 * 29.97) <= end - first for first, end in pairwise(edges)) or len(edges) == 2


def test_a_chunk_without_its_document_was_never_made(tmp_path: Path) -> None:
    store = ChunkStore(tmp_path / "c", [0, 2, 4], "x")
    packet = av.Packet(b"abc")
    packet.pts, packet.dts = 0, 0
    store.add(0, [packet])
    store.close()
    assert ChunkStore(tmp_path / "c", [0, 2, 4], "x").whole(lambda: None) == []
    store.add(0, [packet])
    store.end(0, thumbs="", cuttings="", filled=0)
    assert [chunk.first for chunk in ChunkStore(tmp_path / "c", [0, 2, 4], "x").whole(lambda: None)] == [0]
    assert ChunkStore(tmp_path / "c", [0, 2, 4], "another").whole(lambda: None) == []
    assert ChunkStore(tmp_path / "c", [0, 3, 4], "x").whole(lambda: None) == []


def test_a_task_of_the_run_takes_up_what_it_left(take: tuple[Path, Reading], tmp_path: Path) -> None:
    request = _world(take, tmp_path, recipe_for("h264", 30, speed="ultrafast")).request
    with pytest.raises(CancelledError):
        encode_task(request, StopsAt(150))
    (folder,) = tmp_path.iterdir()
    assert sorted(path.name for path in folder.iterdir()) == ["chunks", "lock"]
    kept = {path.name: path.stat().st_ino for path in (folder / "chunks").glob("*.json")}
    assert kept
    stops = StopsAt(151)
    with pytest.raises(CancelledError):
        encode_task(request, stops)
    assert stops.last.frames >= 151
    assert kept.items() <= {path.name: path.stat().st_ino for path in (folder / "chunks").glob("*.json")}.items()
    made = encode_task(request, SilentReporter())
    assert not (folder / "chunks").exists()
    assert encode_task(request, SilentReporter()).content == made.content  # adopted
    result = verify_task(request, SilentReporter())
    assert result.verified
    assert verify_task(request, SilentReporter()) == result  # its row was not written: proven once all the same
    assert request.target.stat().st_size == made.size_bytes


@pytest.mark.parametrize("codec", ["hevc"])
def test_chunks_made_alone_in_any_order_are_those_of_the_whole(codec: str, take: tuple[Path, Reading], tmp_path: Path) -> None:
    """Other machines make them so."""
    name, quality, speed = QUICK[codec]
    recipe = recipe_for(name, quality, speed=speed)
    alone, whole = (_world(take, tmp_path / place, recipe) for place in ("alone", "whole"))
    for world in (alone, whole):
        world.request.target.parent.mkdir()
    made = whole.made("whole.mp4")
    count = chunk_count(alone.request)
    assert count == 5
    for number in (3, 0, 4, 2, 1, 3):
        make_chunk(alone.request, number, alone.chunks, SilentReporter())
    assert sorted(path.name for path in alone.chunks.iterdir()) == sorted(path.name for path in whole.chunks.iterdir())
    for number in range(count):
        assert (alone.chunks / f"{number:05d}.bin").read_bytes() == (whole.chunks / f"{number:05d}.bin").read_bytes()
    joined = alone.made("joined.mp4")
    assert packets_in(joined.path) == packets_in(made.path)
    assert alone.checks(joined) == set()
