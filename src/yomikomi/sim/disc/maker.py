"""Makes a simulated disc: MPEG-2 pictures in a film's cadence, AC-3 in several languages, bitmap subtitles, tables."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.video.standards import STANDARDS, Standard
from yomikomi.sim.canvas import Raster
from yomikomi.sim.disc.spec import DiscSpec, DiscTitle, MadeTitle
from yomikomi.sim.disc.subpicture import PALETTE, encode_subpicture, text_picture
from yomikomi.sim.disc.tables import SECTOR, CellPlace, ChainPlan, SetPlan, manager_table, set_table
from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound
from yomikomi.sim.textures import Image

# A closed group of pictures with two B pictures between the others has 1 + 3n pictures: 13, under the format's limit of 15
# and 18 (from memory). A reel is whole groups.
_GROUP = 13
_VIDEO_BITS, _VIDEO_PEAK, _BUFFER_BITS = 4_500_000, 8_000_000, 1_835_008  # the buffer is the standard's (from memory)
_SOUND_BITS = 192_000
_SOUND_BLOCK = 1536  # samples in an AC-3 frame (ATSC A/52)
_WIDE_WIDTH = 854
_SUBTITLES = ("Untie the bow line first.", "Slack water at ten.", "Hold the lamp low.", "Ferry two is late.", "Mind the step.")

Told = Callable[[float], None]


def make_disc(spec: DiscSpec, folder: Path, told: Told = lambda part: None) -> list[MadeTitle]:
    """Write ``folder``/VIDEO_TS and return what is true of each title.

    Parameters
    ----------
    told : is called with the part done, 0…1; what it raises stops the work.
    """
    target = folder / "VIDEO_TS"
    target.mkdir(parents=True)
    standard = STANDARDS[spec.standard]
    lines = standard.height
    total = sum(title.seconds for title in spec.titles) or 1.0
    done = 0.0
    made: dict[int, MadeTitle] = {}
    chains: dict[int, ChainPlan] = {}
    data = _Parts(target, spec.part_bytes)
    for place, title in enumerate(spec.titles):
        if title.joins:
            continue
        reels = []
        for reel in range(title.reels):
            share = title.seconds / title.reels

            def tell(part: float, begun: float = done, share: float = share) -> None:
                told(min(1.0, (begun + part * share) / total))

            path = target / f".reel-{place}-{reel}.vob"
            reels.append(Reel(spec, title, place, reel, share, path).make(tell))
            done += share
        chains[place], made[place] = _chain(spec, place, title, reels, data, standard)
    for place, title in enumerate(spec.titles):
        if title.joins:
            chains[place], made[place] = _joined(place, title, chains, made)
    sounds = max((title.sounds for title in spec.titles), key=len)
    subtitles = max((title.subtitles for title in spec.titles), key=len)
    plan = SetPlan(tuple(chains[place] for place in range(len(spec.titles))), lines, spec.wide, spec.sound, sounds, subtitles, PALETTE)
    data.close()
    for suffix in ("IFO", "BUP"):
        (target / f"VTS_01_0.{suffix}").write_bytes(set_table(plan, data.sectors))
        (target / f"VIDEO_TS.{suffix}").write_bytes(manager_table([plan], [(1, place + 1) for place in range(len(spec.titles))]))
    told(1.0)
    return [made[place] for place in range(len(spec.titles))]


def make_image(folder: Path, path: Path, label: str = "DISC") -> None:
    """An image (ISO 9660 with UDF) of the VIDEO_TS folder in ``folder``."""
    import pycdlib

    image = pycdlib.PyCdlib()
    image.new(interchange_level=1, udf="2.60", vol_ident=label[:32].upper().replace(" ", "_"))
    image.add_directory("/VIDEO_TS", udf_path="/VIDEO_TS")
    for file in sorted((folder / "VIDEO_TS").iterdir()):
        image.add_file(str(file), iso_path=f"/VIDEO_TS/{file.name};1", udf_path=f"/VIDEO_TS/{file.name}")
    image.write(str(path))
    image.close()


class _Parts:
    """The data of a title set, split into files of at most ``limit`` bytes; sectors count through all of them."""

    def __init__(self, folder: Path, limit: int) -> None:
        self._folder, self._limit = folder, max(1, limit // SECTOR) * SECTOR
        self.sectors = 0
        self._number = 0
        self._file: Any = None
        self._room = 0

    def add(self, path: Path) -> int:
        """Move a file's bytes here; returns the sector where they begin."""
        first = self.sectors
        with path.open("rb") as source:
            while block := source.read(256 * SECTOR):
                self._write(block)
        path.unlink()
        return first

    def close(self) -> None:
        if self._file:
            self._file.close()

    def _write(self, block: bytes) -> None:
        while block:
            if not self._room:
                self.close()
                self._number += 1
                self._file = (self._folder / f"VTS_01_{self._number}.VOB").open("wb")
                self._room = self._limit
            now, block = block[: self._room], block[self._room :]
            self._file.write(now)
            self._room -= len(now)
            self.sectors += len(now) // SECTOR


class Reel:
    """Pictures, sound and subtitles over which the clock runs on, as one program stream."""

    def __init__(self, spec: DiscSpec, title: DiscTitle, place: int, reel: int, seconds: float, path: Path) -> None:
        self.path, self._title, self._spec = path, title, spec
        self.standard = STANDARDS[spec.standard]
        self.group = _GROUP
        groups = max(1, round(seconds * float(self.standard.rate) / self.group))
        self.frames = groups * self.group
        self._seed = spec.seed * 1000 + place * 10 + reel
        self._words = _SUBTITLES[(place + reel) % len(_SUBTITLES)]
        self.events: list[dict[str, Any]] = []

    def make(self, told: Told) -> Reel:
        with av.open(str(self.path), "w", format="dvd") as sink:
            video = self._add_video(sink)
            voices = [(self._add_sound(sink), ProgrammeSound(self._seed + 100 * number)) for number, _ in enumerate(self._title.sounds)]
            subtitles = [self._add_subtitles(sink, number) for number, _ in enumerate(self._title.subtitles)]
            line: FilterLine | None = None
            sound_at = 0
            for number, frame in enumerate(self.pictures()):
                if number % 5 == 0:
                    told(number / self.frames)
                frame.pts, frame.time_base = number, 1 / self.standard.rate
                if line is None:
                    line = FilterLine([("setfield", "tff")], template=frame, time_base=1 / self.standard.rate, rate=self.standard.rate)
                for marked in line.push(frame):
                    sink.mux(video.encode(marked))
                until = int((number + 1) / self.standard.rate * SAMPLE_RATE)
                # Sound comes in whole blocks; the last one reaches past the last picture, so that reels join without a hole.
                while sound_at + (_SOUND_BLOCK if number + 1 < self.frames else 0) <= until:
                    for stream, voice in voices:
                        sink.mux(stream.encode(_sound_block(voice, sound_at)))
                    sound_at += _SOUND_BLOCK
                if number == self.group // 2:
                    for stream, language in zip(subtitles, self._title.subtitles, strict=True):
                        self._show(sink, stream, language, number)
            sink.mux(video.encode(None))
            for stream, _ in voices:
                sink.mux(stream.encode(None))
        return self

    def cells(self, base: int, count: int) -> list[CellPlace]:
        """``count`` cells of whole groups; ``base`` is the sector where this reel begins in its title set."""
        raw = np.fromfile(self.path, np.uint8).reshape(-1, SECTOR)
        navigation = np.flatnonzero((raw[:, 14:18] == (0, 0, 1, 0xBB)).all(axis=1) & (raw[:, 38:42] == (0, 0, 1, 0xBF)).all(axis=1))
        groups = self.frames // self.group
        if len(navigation) != groups:
            raise AssertionError(f"{groups} groups of pictures, {len(navigation)} navigation packs")
        count = min(count, groups)
        edges = [round(groups * place / count) for place in range(count + 1)]
        starts = [int(navigation[edge]) for edge in edges[:-1]]
        starts[0] = 0
        ends = [*starts[1:], len(raw)]
        told = Fraction(1) if self._title.still else self._spec.told_times
        length = [told * (after - before) * self.group / self.standard.rate for before, after in itertools.pairwise(edges)]
        return [
            CellPlace(base + start, base + end - 1, seconds, number == 0)
            for number, (start, end, seconds) in enumerate(zip(starts, ends, length, strict=True))
        ]

    def _add_video(self, sink: av.container.OutputContainer) -> av.VideoStream:
        options = {
            "g": str(self.group), "bf": "2", "flags": "+ildct+ilme+cgop", "sc_threshold": "1000000000", "b": str(_VIDEO_BITS),
            "maxrate": str(_VIDEO_PEAK), "bufsize": str(_BUFFER_BITS), "threads": "1",
        }  # fmt: skip
        video = sink.add_stream("mpeg2video", rate=self.standard.rate, options=options)
        video.width, video.height, video.pix_fmt = self.standard.width, self.standard.height, "yuv420p"
        context = video.codec_context
        context.bit_rate = _VIDEO_BITS
        context.sample_aspect_ratio = self.standard.file_aspect_16_9 if self._spec.wide else self.standard.file_aspect_4_3
        self.standard.colour.put_on(context)
        return video

    def _add_sound(self, sink: av.container.OutputContainer) -> av.AudioStream:
        name = {"AC-3": "ac3", "PCM": "pcm_dvd"}[self._spec.sound]
        stream: Any = sink.add_stream(name, rate=SAMPLE_RATE, layout="stereo")
        if name == "ac3":
            stream.codec_context.bit_rate = _SOUND_BITS
        return stream

    def _add_subtitles(self, sink: av.container.OutputContainer, number: int) -> Any:
        words = ", ".join(f"{y:02x}{y:02x}{y:02x}" for y, _, _ in PALETTE)
        return sink.add_stream("dvd_subtitle", options={"palette": words})

    def _show(self, sink: av.container.OutputContainer, stream: Any, language: str, number: int) -> None:
        words = self._words if language == "en" else f"[{language}] {self._words}"
        picture = text_picture(words, self.standard.width - 40)
        seconds = min(2.0, float(self.group / self.standard.rate))
        unit = encode_subpicture(picture, x=20, y=(self.standard.height - picture.shape[0] - 30) // 2 * 2, seconds=seconds)
        packet = av.Packet(unit)
        at = number / self.standard.rate
        packet.pts = packet.dts = round(at * 90_000)
        packet.duration = round(seconds * 90_000)
        packet.time_base = Fraction(1, 90_000)
        packet.stream = stream
        sink.mux(packet)
        self.events.append({"language": language, "seconds": float(at), "words": words})

    def pictures(self) -> Iterator[av.VideoFrame]:
        """``frames`` frames; film of 24000/1001 is spread over fields 2:3, beginning with A A, A B, …"""
        if not self._spec.film or self.standard.height != 480:
            rate = self.standard.rate
            for number, image in enumerate(self._drawn(rate)):
                if number == self.frames:
                    return
                yield _frame(image)
            return
        film = self._drawn(Fraction(24000, 1001))
        fields = itertools.chain.from_iterable((image,) * (2 if number % 2 == 0 else 3) for number, image in enumerate(film))
        for _ in range(self.frames):
            first, second = next(fields), next(fields)
            if first is second:
                yield _frame(first)
            else:
                woven = first.copy()
                woven[1::2] = second[1::2]
                yield _frame(woven)

    def _drawn(self, rate: Fraction) -> Iterator[Image]:
        """Progressive pictures of the programme at a rate, without end; a wide one is drawn wide and squeezed."""
        programme = Programme(self._seed, mixture=self._title.scenes, rate=rate)
        height, width = self.standard.height, self.standard.width
        raster = Raster(_WIDE_WIDTH if self._spec.wide else width, height)
        for number in itertools.count():
            image = programme.draw(number, number / rate, raster)
            yield cv2.resize(image, (width, height), interpolation=cv2.INTER_AREA) if self._spec.wide else image


def _chain(
    spec: DiscSpec, place: int, title: DiscTitle, reels: list[Reel], data: _Parts, standard: Standard
) -> tuple[ChainPlan, MadeTitle]:
    """Chapters are shared out over the reels; every cell begins a chapter, except where there are more reels than chapters."""
    cells: list[CellPlace] = []
    events: list[dict[str, Any]] = []
    at = Fraction(0)
    for number, reel in enumerate(reels):
        share = len(range(number, max(title.chapters, len(reels)), len(reels)))
        found = reel.cells(data.sectors, share)
        data.add(reel.path)
        events += [{**event, "seconds": round(event["seconds"] + float(at), 6)} for event in reel.events]
        at += reel.frames / standard.rate
        cells += found
    programs = tuple(range(1, min(title.chapters, len(cells)) + 1))
    starts = [float(sum((cell.seconds for cell in cells[: program - 1]), Fraction(0))) for program in programs]
    frames = sum(reel.frames for reel in reels)
    plan = ChainPlan(tuple(cells), programs, len(title.sounds), len(title.subtitles), title.still)
    return plan, MadeTitle(place + 1, title, frames, float(frames / standard.rate), tuple(starts), tuple(events))


def _joined(place: int, title: DiscTitle, chains: dict[int, ChainPlan], made: dict[int, MadeTitle]) -> tuple[ChainPlan, MadeTitle]:
    cells: list[CellPlace] = []
    programs: list[int] = []
    starts: list[float] = []
    at = 0.0
    for member in title.joins:
        programs += [len(cells) + program for program in chains[member].programs]
        starts += [at + start for start in made[member].chapter_seconds]
        cells += chains[member].cells
        at += made[member].seconds
    first = chains[title.joins[0]]
    plan = ChainPlan(tuple(cells), tuple(programs), first.sounds, first.subtitles)
    frames = sum(made[member].frames for member in title.joins)
    return plan, MadeTitle(place + 1, title, frames, at, tuple(starts))


def _frame(image: Image) -> av.VideoFrame:
    y, u, v = (np.ascontiguousarray(image[..., plane]) for plane in range(3))
    # Chroma of 4:2:0 as the mean of four; field by field would matter on moving colour only, and film is whole pictures.
    return frame_from_planes(y, _quarter(u), _quarter(v), pixel_format="yuv420p")


def _quarter(plane: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.asarray(cv2.resize(plane, (plane.shape[1] // 2, plane.shape[0] // 2), interpolation=cv2.INTER_AREA), np.uint8)


def _sound_block(voice: ProgrammeSound, start: int) -> av.AudioFrame:
    wave = voice.samples(start, _SOUND_BLOCK).reshape(1, -1).astype(np.float32) / np.float32(32768)
    block = av.AudioFrame.from_ndarray(np.repeat(wave, 2, axis=0), format="fltp", layout="stereo")
    block.sample_rate, block.pts, block.time_base = SAMPLE_RATE, start, Fraction(1, SAMPLE_RATE)
    return block
