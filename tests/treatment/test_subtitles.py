"""Subtitles burned in, written anew for another container, and line 21 as text: where and when they should be, and nowhere else."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from tests.conftest import Shared
from tests.making import Luma, interlace, sliding_frames, write_clip
from tests.reading.seeing import caption_line
from yomikomi.core.copying.encode import encode
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.verify import Expected, verify
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.lettering import unknown_letters
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import BurnIn, Crop, CutOut, Frame, Part, Size, Trim
from yomikomi.core.treatment.steps.burn_in import drawable
from yomikomi.core.treatment.tracks import Tracks
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.line21 import Line21
from yomikomi.core.video.planes import luma, plane_samples
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.subtitles import captions_of
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)
QUICK = recipe_for("h264", 18, speed="ultrafast")
LINES = [(0.5, 1.5, "First line"), (2.0, 2.8, "Zwölf Fähren\nund ein Kran"), (3.2, 3.6, "last")]
GREY = 90
_STYLE = b"""[Script Info]\r
ScriptType: v4.00+\r
\r
[V4+ Styles]\r
Format: Name, Fontname, Fontsize\r
Style: Default,Sans,16\r
\r
[Events]\r
Format: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\r
"""


def with_text(
    path: Path, lines: list[tuple[float, float, str]], *, seconds: float = 4.0, pixel_format: str = "yuv420p"
) -> tuple[Path, Reading]:
    """Grey pictures with a moving bar, and lines of text beside them."""
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=VIDEO)
        video.width, video.height, video.pix_fmt = 320, 240, pixel_format
        subtitles: Any = sink.add_stream("subrip")
        subtitles.codec_context.subtitle_header = _STYLE
        subtitles.codec_context.time_base = Fraction(1, 1000)
        subtitles.metadata["language"] = "deu"
        for number in range(round(seconds * VIDEO)):
            picture = np.full((240, 320), GREY, np.uint8)
            picture[20:40, 3 * number % 280 : 3 * number % 280 + 30] = 160
            frame = av.VideoFrame(320, 240, "yuv420p")
            for index, plane in enumerate(frame.planes):
                plane_samples(plane)[:] = picture if index == 0 else 128
            made = frame.reformat(format=pixel_format)
            made.pts, made.time_base = number, 1 / VIDEO
            sink.mux(video.encode(made))
        for begin, end, text in lines:
            packet = av.Packet(text.encode())
            packet.pts = packet.dts = round(begin * 1000)
            packet.duration, packet.time_base, packet.stream = round((end - begin) * 1000), Fraction(1, 1000), subtitles
            sink.mux(packet)
        sink.mux(video.encode(None))
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.fixture(scope="module")
def texts(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    return with_text(tmp_path_factory.mktemp("text") / "t.mkv", LINES)


def _lit(frames: Iterator[av.VideoFrame] | TreatedFrames) -> list[bool]:
    """Whether letters stand in the lower part."""
    return [bool((luma(frame)[150:] > 200).sum() > 30) for frame in frames]


def _meant(count: int, lines: list[tuple[float, float, str]]) -> list[bool]:
    return [any(begin <= Fraction(n) / VIDEO < end for begin, end, _ in lines) for n in range(count)]


def test_text_is_burned_in_when_it_should_be_and_where(texts: tuple[Path, Reading], tmp_path: Path) -> None:
    path, reading = texts
    treatment = Treatment(steps=(BurnIn(),))
    out = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment)]
    plain = [luma(frame).copy() for frame in TreatedFrames(path, reading, Treatment())]
    meant = _meant(len(out), LINES)
    assert [not np.array_equal(one, two) for one, two in zip(out, plain, strict=True)] == meant
    for number, (one, two) in enumerate(zip(out, plain, strict=True)):
        assert np.array_equal(one[:140], two[:140]), number
        if meant[number]:
            rows, columns = np.nonzero(one > 225)
            assert rows.max() < 240 * 0.95
            assert abs((columns.min() + columns.max()) / 2 - 160) < 6, "centred"
            assert one.max() <= 235
            assert one.min() >= 16
    two_lines = np.flatnonzero((out[round(2.4 * VIDEO)] > 225).any(axis=1))
    assert np.diff(two_lines).max() > 2, "two lines"
    # A stretch is the same part of the whole, also one that begins amid a caption; the preview asks for such.
    some = [luma(frame) for frame in TreatedFrames(path, reading, treatment, range(66, 90))]
    assert all(np.array_equal(one, two) for one, two in zip(some, out[66:90], strict=True))
    recipe = QUICK.model_copy(update={"container": "mkv"})
    made = make_copy(CopyRequest(path, tmp_path / "c.mkv", reading, treatment, recipe), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mkv")) as container:
        assert not container.streams.subtitles, "burned in, it is not carried besides"
        assert _lit(container.decode(video=0)) == meant


def test_what_is_cut_trimmed_and_sized_keeps_its_moments(texts: tuple[Path, Reading]) -> None:
    path, reading = texts
    cut = CutOut(parts=(Part(start=2.2, end=3.3),))
    steps = (Trim(start=1.0), cut, Crop(top=20), Size(height=480), BurnIn(), Frame(width=800, height=480))
    frames = list(TreatedFrames(path, reading, Treatment(steps=steps), pixel_format="yuv422p10le"))
    kept = [n for n in range(round(4 * VIDEO)) if n >= round(VIDEO) and not round(2.2 * VIDEO) <= n < round(3.3 * VIDEO)]
    whole = _meant(round(4 * VIDEO) + 1, LINES)
    assert [bool((luma(frame)[300:] > 4 * 220).sum() > 50) for frame in frames] == [whole[n] for n in kept][: len(frames)]
    assert abs(len(frames) - len(kept)) <= 1


@pytest.mark.parametrize("kind", ["gray", "bgr0", "yuv422p10le"])
def test_pictures_of_any_kind_take_letters(tmp_path: Path, kind: str) -> None:
    """Frames with letters and those without are of one format, whatever came in: what follows is told but once."""
    path, reading = with_text(tmp_path / "k.mkv", [(0.3, 0.7, "Ä line")], seconds=1.0, pixel_format=kind)
    steps = (Crop(top=10, left=6), Size(height=98), BurnIn(size=12), Frame(width=160, height=120))
    out = [luma(frame).copy() for frame in TreatedFrames(path, reading, Treatment(steps=steps))]
    lit = [bool((one[60:110] > 200).sum() > 5) for one in out]
    assert lit == _meant(len(out), [(0.3, 0.7, "")])
    some = [luma(frame) for frame in TreatedFrames(path, reading, Treatment(steps=steps), range(8, 20))]
    assert all(np.array_equal(one, two) for one, two in zip(some, out[8:20], strict=True))


def test_text_is_written_anew_for_a_container_that_takes_another_kind(texts: tuple[Path, Reading], tmp_path: Path) -> None:
    path, reading = texts
    cut = Treatment(steps=(CutOut(parts=(Part(start=1.0, end=2.0),)),))
    for treatment, moments in ((Treatment(), LINES), (cut, [(0.5, 1.0, LINES[0][2]), (1.0, 1.8, LINES[1][2]), (2.2, 2.6, LINES[2][2])])):
        target = tmp_path / f"{len(treatment.steps)}.mp4"
        made = make_copy(CopyRequest(path, target, reading, treatment, QUICK), SilentReporter())
        assert made.verified, made.checks
        assert made.not_carried == []
        found = captions_of(target, 0).shown
        assert [one.text for one in found] == [text for _, _, text in moments]
        for one, (begin, end, _) in zip(found, moments, strict=True):
            assert float(one.begin) == pytest.approx(begin, abs=0.035)
            assert float(one.end) == pytest.approx(end, abs=0.035)
        with av.open(str(target)) as container:
            assert container.streams.subtitles[0].language == "deu"
            assert container.streams.subtitles[0].codec_context.name == "mov_text"


def test_a_copy_that_lost_a_line_is_not_verified(texts: tuple[Path, Reading], tmp_path: Path) -> None:
    path, reading = texts
    target = tmp_path / "c.mp4"
    made = encode(CopyRequest(path, target, reading, Treatment(), QUICK), target, SilentReporter())
    meant = Expected(made, chain_for(reading, Treatment()).format, reading.duration_seconds, "mp4")
    assert all(check.passed for check in verify(meant, SilentReporter()))
    less = tmp_path / "less.mp4"
    with av.open(str(target)) as source, av.open(str(less), "w", options={"movflags": "+faststart"}) as sink:
        streams = {one.index: sink.add_stream_from_template(one) for one in source.streams}
        lines = 0
        for packet in source.demux():
            if packet.dts is None:
                continue
            lines += packet.stream.type == "subtitle" and packet.size > 2
            if packet.stream.type == "subtitle" and packet.size > 2 and lines == 2:
                continue
            packet.stream = streams[packet.stream.index]
            sink.mux(packet)
    failed = [check for check in verify(replace(meant, encoded=replace(made, path=less)), SilentReporter()) if not check.passed]
    assert [(check.name, check.found) for check in failed] == [("subtitles", "2 of 3")]


def _frame(path: Path, reading: Reading, treatment: Treatment, number: int) -> av.VideoFrame:
    return next(iter(TreatedFrames(path, reading, treatment, range(number, number + 1))))


def test_bitmaps_are_laid_where_they_were_drawn(tmp_path: Path, shared: Shared, lessons_title: Path) -> None:
    """Against the sub-picture that the disc's own maker drew, on the frames that show it; wide pictures keep the letters' shape."""
    reading = shared.reading(lessons_title)
    captions = captions_of(lessons_title, 0).shown
    assert captions
    first, bitmap = captions[0], captions[0].bitmaps[0]
    number, before = (int(at * VIDEO) for at in ((first.begin + first.end) / 2, first.begin / 2))
    assert first.begin <= Fraction(number) / VIDEO < first.end
    ways = (Treatment(steps=(BurnIn(),)), Treatment())
    burned, plain = ({n: luma(_frame(lessons_title, reading, way, n)) for n in (number, before)} for way in ways)
    changed = np.abs(burned[number].astype(int) - plain[number]) > 2
    rows, columns = np.flatnonzero(changed.any(axis=1)), np.flatnonzero(changed.any(axis=0))
    tall, wide = bitmap.rgba.shape[:2]
    assert bitmap.y - 2 <= rows[0] <= rows[-1] <= bitmap.y + tall + 2
    assert bitmap.x - 2 <= columns[0] <= columns[-1] <= bitmap.x + wide + 2
    letters = (bitmap.rgba[..., 3] > 200) & (bitmap.rgba[..., :3].min(axis=2) > 200)
    there = burned[number][bitmap.y : bitmap.y + tall, bitmap.x : bitmap.x + wide]
    assert there[letters].mean() == pytest.approx(235, abs=1.5)
    assert np.array_equal(burned[before], plain[before])
    # Squares of a square-pixel result: half as large, and as wide as the picture's shape asks for.
    half, base = (_frame(lessons_title, reading, Treatment(steps=(Size(height=240), *more)), number) for more in ((BurnIn(),), ()))
    small = np.abs(luma(half).astype(int) - luma(base)) > 8
    across = np.ptp(np.flatnonzero(small.any(axis=0)))
    assert across == pytest.approx(wide * half.width / 720, rel=0.06)
    mp4 = make_copy(CopyRequest(lessons_title, tmp_path / "c.mp4", reading, Treatment(steps=(Trim(end=0.5),)), QUICK), SilentReporter())
    assert any("can be burned in" in words for words in mp4.not_carried)


def _segment(at: int, kind: int, body: bytes) -> bytes:
    return b"PG" + struct.pack(">IIBH", at, 0, kind, len(body)) + body


def _graphics(shown: list[tuple[float, float, int, int]]) -> bytes:
    """Blue squares of 40 x 20 at places of a canvas of 1280 x 720 (presentation graphics, from memory): composition, window, palette,
    object, end; then a composition without objects."""
    out = b""
    for begin, end, x, y in shown:
        at, over = round(begin * 90_000), round(end * 90_000)
        line = b"\x00" + bytes((0x80 | 40, 1)) + b"\x00\x00"
        composition = struct.pack(">HHBHBBBB", 1280, 720, 0x10, 0, 0x80, 0, 0, 1) + struct.pack(">HBBHH", 0, 0, 0, x, y)
        window = b"\x01" + struct.pack(">BHHHH", 0, x, y, 40, 20)
        palette = b"\x00\x00" + bytes((1, 32, 118, 240, 255))  # Y, Cr, Cb of blue by BT.709, opaque
        data = line * 20
        thing = struct.pack(">HBB", 0, 0, 0xC0) + (len(data) + 4).to_bytes(3, "big") + struct.pack(">HH", 40, 20) + data
        for kind, body in ((0x16, composition), (0x17, window), (0x14, palette), (0x15, thing), (0x80, b"")):
            out += _segment(at, kind, body)
        gone = struct.pack(">HHBHBBBB", 1280, 720, 0x10, 1, 0, 0, 0, 0)
        for kind, body in ((0x16, gone), (0x17, window), (0x80, b"")):
            out += _segment(over, kind, body)
    return out


def test_presentation_graphics_have_their_colours_and_end_when_they_are_taken_away(tmp_path: Path) -> None:
    (tmp_path / "g.sup").write_bytes(_graphics([(0.5, 1.0, 620, 600), (1.5, 1.75, 0, 0)]))
    plain = write_clip(tmp_path / "p.mkv", [np.full((360, 640), 90, np.uint8)] * 50, rate=25, codec="ffv1", options={})
    path = tmp_path / "g.mkv"
    with av.open(str(plain)) as video, av.open(str(tmp_path / "g.sup")) as graphics, av.open(str(path), "w") as sink:
        streams = {id(one): sink.add_stream_from_template(one) for one in (video.streams.video[0], graphics.streams.subtitles[0])}
        for source in (graphics, video):
            for packet in source.demux():
                if packet.dts is not None:
                    packet.stream = streams[id(packet.stream)]
                    sink.mux(packet)
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    found = captions_of(path, 0)
    assert found.canvas == (1280, 720)
    assert [(round(float(one.begin), 2), round(float(one.end), 2)) for one in found.shown] == [(0.5, 1.0), (1.5, 1.75)]
    red, green, blue, opaque = (int(one) for one in found.shown[0].bitmaps[0].rgba[5, 5])
    assert blue > 240
    assert red < 12
    assert green < 12
    assert opaque == 255
    out = list(TreatedFrames(path, reading, Treatment(steps=(BurnIn(),)), pixel_format="yuv444p"))
    for number, frame in enumerate(out):
        blue_there = plane_samples(frame.planes[1]) > 200
        if 13 <= number < 25:
            rows, columns = np.nonzero(blue_there)
            # Half as large as on its canvas, at the same part of the picture.
            assert (rows.min(), rows.max(), columns.min(), columns.max()) == pytest.approx((300, 309, 310, 329), abs=1)
        elif not 37 <= number <= 44:
            assert not blue_there.any(), number


def test_what_cannot_be_drawn_is_refused(texts: tuple[Path, Reading], tmp_path: Path) -> None:
    path, reading = texts
    with pytest.raises(UnreadableError, match="has no subtitles 5"):
        list(TreatedFrames(path, reading, Treatment(steps=(BurnIn(track=4),)), range(2)))
    (tmp_path / "no.ttf").write_text("no font")
    with pytest.raises(UnreadableError, match="is no font"):
        drawable(path, BurnIn(font=str(tmp_path / "no.ttf")))
    assert drawable(path, BurnIn()) == ""
    assert unknown_letters("Ferry 灯籠 ö") == "灯籠"
    other, _ = with_text(tmp_path / "j.mkv", [(0.2, 0.9, "灯籠")], seconds=1.0)
    assert drawable(other, BurnIn()) == "灯籠"
    tags, _ = with_text(tmp_path / "h.mkv", [(0.2, 0.9, "<i>a</i> {\\an8}b <font color=red>c</font>" + "x" * 5000)], seconds=1.0)
    assert captions_of(tags, 0).shown[0].text.startswith("a b c")
    assert drawable(tags, BurnIn()) == ""


def _odd(byte: int) -> int:
    return byte if byte.bit_count() % 2 else byte | 0x80


def _pop_on(text: str) -> list[tuple[int, int]]:
    """Loaded out of sight, then shown: resume loading, erase the hidden screen, row 15, letters, end of caption; commands twice (CEA-608,
    from memory)."""
    letters = text.encode("ascii") + b"\0" * (len(text) % 2)
    pairs = [(letters[at], letters[at + 1]) for at in range(0, len(letters), 2)]
    return [(0x14, 0x20)] * 2 + [(0x14, 0x2E)] * 2 + [(0x14, 0x70)] * 2 + pairs + [(0x14, 0x2F)] * 2


def _roll_up(text: str) -> list[tuple[int, int]]:
    letters = text.encode("ascii") + b"\0" * (len(text) % 2)
    pairs = [(letters[at], letters[at + 1]) for at in range(0, len(letters), 2)]
    return [(0x14, 0x25)] * 2 + [(0x14, 0x2D)] * 2 + [(0x14, 0x70)] * 2 + pairs


_ERASE = [(0x14, 0x2C)] * 2
SCRIPT = {10: _pop_on("HARBOUR LIGHTS"), 60: _ERASE, 75: _pop_on("mind the step"), 130: _ERASE}


def _pairs(script: dict[int, list[tuple[int, int]]], frames: int) -> list[bytes]:
    found = [(0, 0)] * frames
    for first, pairs in script.items():
        found[first : first + len(pairs)] = pairs
    return [bytes((0xFC, _odd(one), _odd(two))) for one, two in found]


def _shown(script: dict[int, list[tuple[int, int]]]) -> list[tuple[float, float]]:
    """When the two captions of the script stand on the screen, in frames: from their end-of-caption to the erasing."""
    firsts = sorted(script)
    return [(firsts[n] + len(script[firsts[n]]) - 2, firsts[n + 1]) for n in (0, 2)]


def test_captions_that_pop_on_and_roll_up_become_lines_of_text() -> None:
    decoder, found = Line21(), []
    for number, triplet in enumerate(_pairs(SCRIPT, 150)):
        found += decoder.push(triplet, number / VIDEO)
    found += decoder.finish(150 / VIDEO)
    assert [one.text for one in found] == ["HARBOUR LIGHTS", "mind the step"]
    for one, (begin, end) in zip(found, _shown(SCRIPT), strict=True):
        assert float(one.begin * VIDEO) == pytest.approx(begin, abs=1.1)
        assert float(one.end * VIDEO) == pytest.approx(end, abs=1.1)
    rolling, lines = Line21(), []
    script = {5: _roll_up("the first line"), 40: _roll_up("then a second"), 80: _roll_up("and a third"), 120: _ERASE}
    for number, triplet in enumerate(_pairs(script, 130)):
        lines += rolling.push(triplet, number / VIDEO)
    lines += rolling.finish(130 / VIDEO)
    said = "\n".join(one.text for one in lines)
    for words in ("the first line", "then a second", "and a third"):
        assert said.count(words) == 1, said
    assert not list(Line21().push(b"\xfc\x00", Fraction(0))), "half a triplet"
    noise = Line21()
    for number, triplet in enumerate(np.random.default_rng(5).integers(0, 256, (400, 3), np.uint8)):
        list(noise.push(triplet.tobytes(), number / VIDEO))


def _coded(path: Path, frames: list[Luma], pairs: list[bytes]) -> None:
    """MPEG-2 with the captions as user data of each picture (ATSC A/53 part 4, from memory)."""
    order = []
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("mpeg2video", rate=VIDEO, options={"g": "12", "bf": "2", "b": "6000000"})
        video.width, video.height, video.pix_fmt = frames[0].shape[1], frames[0].shape[0], "yuv420p"
        for number, picture in enumerate([*frames, None]):
            frame = None
            if picture is not None:
                frame = av.VideoFrame(picture.shape[1], picture.shape[0], "yuv420p")
                frame.pts = number
                for index, plane in enumerate(frame.planes):
                    plane_samples(plane)[:] = picture if index == 0 else 128
            for packet in video.encode(frame):
                data, shown = bytes(packet), round(packet.pts * packet.time_base * VIDEO)
                at = data.index(b"\x00\x00\x01\x01")  # the first slice
                user = b"\x00\x00\x01\xb2GA94\x03" + struct.pack(">BB", 0x40 | 1, 0xFF) + pairs[shown] + b"\xff"
                made = av.Packet(data[:at] + user + data[at:])
                made.pts, made.dts, made.time_base, made.stream = packet.pts, packet.dts, packet.time_base, video
                made.is_keyframe = packet.is_keyframe
                order.append(shown)
                sink.mux(made)
    assert order != sorted(order), "pictures are coded out of their order"


def _drawn(frames: list[Luma], pairs: list[bytes]) -> list[Luma]:
    """The first line of each frame carries a line 21."""
    for picture, triplet in zip(frames, pairs, strict=True):
        picture[0] = caption_line((triplet[1] & 0x7F) << 8 | triplet[2] & 0x7F)
    return frames


@pytest.mark.parametrize("container", ["mkv", "mp4"])
def test_captions_beside_coded_pictures_become_a_track(tmp_path: Path, container: str) -> None:
    frames = interlace(sliding_frames(300, width=352, height=288), FieldOrder.TFF)
    path = tmp_path / "a.mpg"
    _coded(path, frames, _pairs(SCRIPT, len(frames)))
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    assert reading.hidden is not None
    assert reading.hidden.coded
    assert "text track" in next(card for card in findings(reading) if card.topic == "hidden lines").advice
    recipe = QUICK.model_copy(update={"container": container})
    cut = Treatment(steps=(Trim(start=1.0),))
    for treatment, off in ((Treatment(), 0.0), (cut, 1.0)):
        target = tmp_path / f"{off}.{container}"
        made = make_copy(CopyRequest(path, target, reading, treatment, recipe), SilentReporter())
        assert made.verified, made.checks
        found = captions_of(target, 0).shown
        assert [one.text for one in found] == ["HARBOUR LIGHTS", "mind the step"]
        for one, (begin, end) in zip(found, _shown(SCRIPT), strict=True):
            assert float(one.begin) == pytest.approx(max(0.0, begin / float(VIDEO) - off), abs=0.07)
            assert float(one.end) == pytest.approx(end / float(VIDEO) - off, abs=0.07)
    without = Treatment(tracks=Tracks(captions=False))
    made = make_copy(CopyRequest(path, tmp_path / f"n.{container}", reading, without, recipe), SilentReporter())
    assert made.verified
    with av.open(str(tmp_path / f"n.{container}")) as copy:
        assert not copy.streams.subtitles


def test_captions_drawn_in_the_first_line_become_a_track(tmp_path: Path) -> None:
    frames = [np.array(one) for one in interlace(sliding_frames(300, width=720, height=486), FieldOrder.BFF)]
    path = write_clip(tmp_path / "a.mkv", _drawn(frames, _pairs(SCRIPT, len(frames))), rate=VIDEO, codec="rawvideo")
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    assert reading.hidden is not None
    assert reading.hidden.captions
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, Treatment(steps=(Crop(top=6),)), QUICK), SilentReporter())
    assert made.verified, made.checks
    assert [one.text for one in captions_of(tmp_path / "c.mp4", 0).shown] == ["HARBOUR LIGHTS", "mind the step"]


def test_subtitles_of_unknown_kinds_are_refused_by_name(tmp_path: Path) -> None:
    with pytest.raises((WrongUseError, UnreadableError)):
        captions_of(tmp_path / "gone.mkv", 0)
