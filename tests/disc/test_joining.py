"""A title as one take: every picture once and in order, time stamps that run on, exact seeking, tracks, chapters."""

from __future__ import annotations

import resource
import signal
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest

from tests.conftest import LESSONS, Disc
from tests.making import decode_luma, psnr
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.disc.joining import JoinRequest, JoinResult, join_title
from yomikomi.core.errors import CancelledError, DriveFullError, WrongUseError
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.picture_at import frame_at
from yomikomi.core.video.planes import luma
from yomikomi.core.work import SilentReporter
from yomikomi.sim.disc.maker import Reel, make_disc
from yomikomi.sim.disc.spec import DiscSpec, DiscTitle

RATE = Fraction(30000, 1001)


@pytest.fixture(scope="module")
def joined(media: Path, lessons_disc: Disc) -> JoinResult:
    """The first lesson: two reels whose clocks start anew, over several data files."""
    return join_title(JoinRequest(lessons_disc[0], 1, media / "lesson-1.mkv"), SilentReporter())


def packets(path: Path, kind: str, number: int = 0) -> list[tuple[Fraction, Fraction, bytes]]:
    """Time, length and bytes of each packet of a stream."""
    found = []
    with av.open(str(path)) as container:
        stream = [one for one in container.streams if one.type == kind][number]
        for packet in container.demux(stream):
            if packet.size:
                assert packet.pts is not None
                found.append((packet.pts * packet.time_base, (packet.duration or 0) * packet.time_base, bytes(packet)))
    return found


def test_every_picture_is_there_once_in_order_at_its_time(joined: JoinResult, lessons_disc: Disc) -> None:
    true = lessons_disc[1][0]
    drawn = []
    for number in range(2):
        reel = Reel(LESSONS, LESSONS.titles[0], 0, number, LESSONS.titles[0].seconds / 2, Path("unused"))
        drawn += [luma(frame).copy() for frame in reel.pictures()]
    found = decode_luma(joined.path)
    assert joined.frames == len(found) == len(drawn) == true.frames
    for number, picture in enumerate(found):
        right = psnr(picture, drawn[number])
        assert right > 28
        for other in (number - 1, number + 1):
            # Neighbours are never nearer, except where film stands still over two frames.
            if 0 <= other < len(drawn) and psnr(drawn[number], drawn[other]) < 28:
                assert psnr(picture, drawn[other]) < right
    stamps = sorted(time for time, _, _ in packets(joined.path, "video"))
    assert [float(stamp) for stamp in stamps] == pytest.approx([float(number / RATE) for number in range(len(stamps))], abs=0.0011)
    assert joined.seconds == pytest.approx(true.seconds, abs=0.001)
    assert joined.warning == ""


def test_any_frame_is_found_exactly(joined: JoinResult) -> None:
    found = decode_luma(joined.path)
    for number in (0, 1, 12, 13, 14, len(found) // 2, len(found) // 2 + 1, len(found) - 2, len(found) - 1):
        assert np.array_equal(luma(frame_at(joined.path, frame=number, rate=RATE)), found[number])


def test_sound_runs_on_over_the_joint(joined: JoinResult) -> None:
    assert joined.sounds == 2
    for number, language in enumerate(("eng", "jpn")):
        with av.open(str(joined.path)) as container:
            stream = container.streams.audio[number]
            assert (stream.language, stream.codec_context.name, stream.codec_context.channels) == (language, "ac3", 2)
        blocks = packets(joined.path, "audio", number)
        block = Fraction(1536, 48_000)
        for (before, _, _), (after, _, _) in pairwise(blocks):
            assert block - Fraction(3, 1000) <= after - before <= 2 * block
        assert blocks[0][0] <= block
        assert float(blocks[-1][0] + block) == pytest.approx(joined.seconds, abs=float(block))


def test_subtitles_and_chapters_come_at_their_times(joined: JoinResult, lessons_disc: Disc) -> None:
    true = lessons_disc[1][0]
    shown = packets(joined.path, "subtitle")
    assert [float(time) for time, _, _ in shown] == pytest.approx([event["seconds"] for event in true.events], abs=0.002)
    with av.open(str(joined.path)) as container:
        assert container.streams.subtitles[0].language == "eng"
        for packet in container.demux(container.streams.subtitles[0]):
            if packet.size:
                picture = packet.decode()[0]
                assert picture.width > 100
                assert set(np.frombuffer(bytes(picture[0]), np.uint8)) >= {0, 1, 2}
        chapters = container.chapters()
    starts = [float(chapter["start"] * chapter["time_base"]) for chapter in chapters]
    assert starts == pytest.approx(true.chapter_seconds, abs=0.15)


def test_a_copy_keeps_tracks_subtitles_and_chapters(joined: JoinResult, tmp_path: Path) -> None:
    """The journey of a disc's title: what Matroska can hold is all there, bitmap subtitles at their times."""
    reading = read(ReadRequest(joined.path, complexity=False), SilentReporter())
    recipe = recipe_for("h264", 30, speed="ultrafast", container="mkv", sound="opus")
    made = make_copy(CopyRequest(joined.path, tmp_path / "c.mkv", reading, fields_treatment(reading), recipe), SilentReporter())
    assert made.verified, made.checks
    assert made.not_carried == []
    first = Fraction(reading.first_seconds)
    before, after = packets(joined.path, "subtitle"), packets(tmp_path / "c.mkv", "subtitle")
    assert [float(time - first) for time, _, _ in before] == pytest.approx([float(time) for time, _, _ in after], abs=0.002)
    with av.open(str(joined.path)) as one, av.open(str(tmp_path / "c.mkv")) as two:
        assert [stream.language for stream in two.streams.audio] == [stream.language for stream in one.streams.audio] == ["eng", "jpn"]
        assert [stream.language for stream in two.streams.subtitles] == [stream.language for stream in one.streams.subtitles]
        picture = next(packet.decode()[0] for packet in two.demux(two.streams.subtitles[0]) if packet.size)
        assert picture.width > 100
        assert len(two.chapters()) == len(one.chapters()) > 1


def test_an_image_gives_the_same_take(joined: JoinResult, lessons_image: Path, tmp_path: Path) -> None:
    other = join_title(JoinRequest(lessons_image, 1, tmp_path / "t.mkv"), SilentReporter())
    for kind in ("video", "audio", "subtitle"):
        assert packets(other.path, kind) == packets(joined.path, kind)


def test_a_title_that_plays_others_holds_them_all(series_disc: Disc, tmp_path: Path) -> None:
    folder, made = series_disc
    whole = join_title(JoinRequest(folder, 1, tmp_path / "all.mkv"), SilentReporter())
    assert whole.frames == sum(title.frames for title in made[1:4])
    stamps = sorted(time for time, _, _ in packets(whole.path, "video"))
    assert {round(float((after - before) * 1000)) for before, after in pairwise(stamps)} <= {33, 34}


def test_625_lines_and_a_title_without_sound(feature_disc: Disc, lessons_disc: Disc, tmp_path: Path) -> None:
    film = join_title(JoinRequest(feature_disc[0], 2, tmp_path / "film.mkv"), SilentReporter())
    reading = read(ReadRequest(film.path, complexity=False), SilentReporter())
    assert (reading.rate.nominal, reading.geometry.height, reading.geometry.shape) == ("25/1", 576, "16:9")
    assert reading.frames == film.frames
    assert len(reading.sound) == 2
    menu = join_title(JoinRequest(lessons_disc[0], 5, tmp_path / "menu.mkv"), SilentReporter())
    assert (menu.sounds, menu.subtitles, menu.frames) == (0, 0, 13)


def test_uncompressed_sound_keeps_its_samples(tmp_path: Path) -> None:
    spec = DiscSpec((DiscTitle("programme", 1.0, sounds=("en",), subtitles=(), scenes="still"),), seed=6, sound="PCM")
    make_disc(spec, tmp_path / "disc")
    done = join_title(JoinRequest(tmp_path / "disc", 1, tmp_path / "t.mkv"), SilentReporter())
    samples = []
    with av.open(str(done.path)) as container:
        assert container.streams.audio[0].codec_context.name == "pcm_s16le"
        samples = [frame.to_ndarray()[0, ::2] for frame in container.decode(audio=0)]
    from yomikomi.sim.sound import ProgrammeSound

    true = ProgrammeSound(6000).samples(0, 48_000)[:, 0]
    found = np.concatenate(samples)
    start = min(len(found), 30_000)
    assert np.abs(found[:start].astype(int) - true[:start].astype(int)).max() <= 1


def test_stopping_full_drives_and_taken_names_leave_nothing(lessons_disc: Disc, tmp_path: Path) -> None:
    taken = tmp_path / "taken.mkv"
    taken.write_text("mine")
    with pytest.raises(WrongUseError, match="exists already"):
        join_title(JoinRequest(lessons_disc[0], 1, taken), SilentReporter())
    assert taken.read_text() == "mine"
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        join_title(JoinRequest(lessons_disc[0], 1, tmp_path / "a.mkv"), stopped)
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    handler = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, before[1]))
    try:
        with pytest.raises(DriveFullError, match="drive is full"):
            join_title(JoinRequest(lessons_disc[0], 1, tmp_path / "b.mkv"), SilentReporter())
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
        signal.signal(signal.SIGXFSZ, handler)
    assert [file.name for file in tmp_path.iterdir()] == ["taken.mkv"]
