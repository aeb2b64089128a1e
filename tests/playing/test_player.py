"""The player against a clock that a test turns: which picture is shown at which sample, after every kind of jump."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import interlace, sliding_frames, write_clip
from yomikomi.core.playing.player import Player, Shown
from yomikomi.core.playing.sources import FileSource, PlaySource, TreatedSource, continuous
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.audio_steps import Move
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Deinterlace, Fields, Part, RateCap, Trim
from yomikomi.core.video.sound_out import RATE, Pull, Samples, SilentOut
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)
SECONDS, EVERY = 12, 1.0
FLASH = 230


class TurnedOut:
    """A sound output whose clock the test turns; keeps what came out, and where each sample came."""

    words, delay = "", 0.0

    def __init__(self) -> None:
        self.heard: list[Samples] = []
        self._pull: Pull | None = None
        self.over: Callable[[], bool] = lambda: False

    def start(self, pull: Pull) -> None:
        self._pull = pull

    def stop(self) -> None:
        self._pull = None

    def close(self) -> None:
        self._pull = None

    def turn(self, samples: int) -> None:
        """As a device would take them; waits for what is still being decoded."""
        left, until = samples, time.monotonic() + 20
        while left and self._pull is not None:
            found = self._pull(min(left, 480))
            self.heard.append(found)
            left -= len(found)
            if not len(found):
                if self.over():
                    return
                assert time.monotonic() < until, "nothing comes"
                time.sleep(0.002)

    @property
    def sound(self) -> Samples:
        return np.concatenate(self.heard)


@pytest.fixture(scope="module")
def flashes(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    """Dark moving frames with fields; a flash of one frame and a beep of its length begin together each second, from 0.5 s on."""
    path = tmp_path_factory.mktemp("playing") / "flashes.mkv"
    frames = [picture // 3 + 16 for picture in interlace(sliding_frames(round(2 * SECONDS * VIDEO), width=176, height=144), FieldOrder.TFF)]
    wave = np.zeros(SECONDS * RATE)
    for number in range(SECONDS):
        frame = round((0.5 + number * EVERY) * VIDEO)
        frames[frame] = np.full((144, 176), FLASH, np.uint8)
        first = round(frame / VIDEO * RATE)
        wave[first : first + 1600] = 0.5 * np.sin(2 * np.pi * 1000 * np.arange(1600) / RATE)
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=VIDEO)
        video.width, video.height, video.pix_fmt = 176, 144, "yuv420p"
        sound = sink.add_stream("pcm_s16le", rate=RATE, layout="mono")
        for picture in frames:
            frame = av.VideoFrame(176, 144, "yuv420p")
            for index, plane in enumerate(frame.planes):
                np.frombuffer(plane, np.uint8).reshape(plane.height, -1)[:, : plane.width] = picture if index == 0 else 128
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        block = av.AudioFrame.from_ndarray(np.round(wave * 32767).astype(np.int16).reshape(1, -1), format="s16", layout="mono")
        block.sample_rate = RATE
        sink.mux(sound.encode(block))
        sink.mux(sound.encode(None))
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.fixture
def players() -> Iterator[Callable[[PlaySource], tuple[Player, TurnedOut]]]:
    made: list[Player] = []

    def make(source: PlaySource) -> tuple[Player, TurnedOut]:
        out = TurnedOut()
        made.append(Player(source, out, size=(176, 144)))
        out.over = lambda: made[-1].ended
        return made[-1], out

    yield make
    for player in made:
        player.close()


def _wait_due(player: Player) -> Shown:
    until = time.monotonic() + 20
    while (shown := player.picture_due()) is None:
        assert time.monotonic() < until, player.error
        time.sleep(0.002)
    return shown


def _bright(shown: Shown) -> bool:
    return float(shown.samples[..., :3].mean()) > 150


def _run(player: Player, out: TurnedOut, seconds: float) -> list[tuple[float, Shown]]:
    """Turn the clock by quarter frames; whatever is shown, with the second that is heard then."""
    step = round(RATE / float(player.source.rate) / 4)
    shown: list[tuple[float, Shown]] = []
    for _ in range(round(seconds * RATE / step)):
        out.turn(step)
        until = time.monotonic() + 20
        while True:  # the test's clock stands until the picture that is due is decoded; a real one drops it
            due = player.picture_due()
            if due is not None:
                shown.append((player.position, due))
            now = float(player.source.rate) * player.position
            last = int(player.source.seconds * float(player.source.rate) - 1.5)
            if not player.playing or player.shown_number >= min(int(now + 0.01), last):
                break
            assert time.monotonic() < until, "the picture that is due does not come"
            time.sleep(0.001)
    return shown


def _parting(shown: list[tuple[float, Shown]], sound: Samples, begin: float) -> list[float]:
    """Of each flash, how far its picture came from its beep, seconds."""
    lit = [at for at, one in shown if _bright(one)]
    loud = np.flatnonzero(np.abs(sound[:, 0]) > 0.1)
    starts = loud[np.flatnonzero(np.diff(loud, prepend=-RATE) > RATE // 4)] / RATE + begin
    assert len(lit) >= 2
    return [float(np.min(np.abs(starts - at))) for at in lit]


@pytest.mark.parametrize("begin", [0.0, 6.3])
@pytest.mark.parametrize("kind", ["as it is", "double", "single", "half"])
def test_flash_and_beep_come_together(
    flashes: tuple[Path, Reading], players: Callable[[PlaySource], tuple[Player, TurnedOut]], kind: str, begin: float
) -> None:
    """Within one frame, from the beginning and after a jump, for every rate that a treatment makes."""
    path, reading = flashes
    double = Fields(mode=Deinterlace.DOUBLE, order=FieldOrder.TFF)
    steps = {"double": (double,), "single": (Fields(mode=Deinterlace.SINGLE, order=FieldOrder.TFF),), "half": (double, RateCap(each=2))}
    source = FileSource(path) if kind == "as it is" else TreatedSource(path, reading, Treatment(steps=steps[kind]))
    player, out = players(source)
    player.seek(begin)
    first = _wait_due(player)
    assert first.number == int(begin * source.rate)
    player.play()
    shown = _run(player, out, 3.2)
    assert max(_parting(shown, out.sound, player._begin)) <= 1.3 / float(source.rate)
    numbers = [one.number for _, one in shown]
    assert numbers == list(range(numbers[0], numbers[-1] + 1)), "no frame left out, none twice"
    assert player.late == 0


def test_what_is_cut_and_moved_is_heard_so(
    flashes: tuple[Path, Reading], players: Callable[[PlaySource], tuple[Player, TurnedOut]]
) -> None:
    path, reading = flashes
    steps = (Trim(start=1), CutOut(parts=(Part(start=2, end=4),)), Fields(mode=Deinterlace.SINGLE, order=FieldOrder.TFF))
    for later_ms in (0, 300):
        source = TreatedSource(path, reading, Treatment(steps=steps, sound=(Move(later_ms=later_ms),)))
        assert source.seconds == pytest.approx(SECONDS - 3, abs=0.1)
        player, out = players(source)
        player.play()
        shown = _run(player, out, 3)
        loud = np.flatnonzero(np.abs(out.sound[:, 0]) > 0.1)
        lit = [at for at, one in shown if _bright(one)]
        assert lit[0] == pytest.approx(0.5, abs=0.05)
        assert loud[0] / RATE - lit[0] == pytest.approx(later_ms / 1000, abs=0.04)


def test_steps_forward_back_and_by_field(
    flashes: tuple[Path, Reading], players: Callable[[PlaySource], tuple[Player, TurnedOut]]
) -> None:
    path, _ = flashes
    player, _out = players(FileSource(path))
    assert _wait_due(player).number == 0
    for frames, number in ((1, 1), (1, 2), (5, 7), (-1, 6), (-20, 0)):
        player.step(frames)
        assert _wait_due(player).number == number
    player.seek(2.0)
    frame = _wait_due(player)
    fields = []
    for _ in range(3):
        player.step_field(1, bottom_first=False)
        fields.append(_wait_due(player))
    assert [one.number for one in fields] == [frame.number, frame.number, frame.number + 1]
    assert all(np.array_equal(one.samples[0::2], one.samples[1::2]) for one in fields), "each line twice"
    assert np.array_equal(fields[0].samples[0::2], frame.samples[0::2])
    assert np.array_equal(fields[1].samples[0::2], frame.samples[1::2])
    player.step_field(-1, bottom_first=False)
    assert np.array_equal(_wait_due(player).samples, fields[1].samples)
    player.step(1)
    assert _wait_due(player).number == frame.number + 1


def test_marks_loop_speeds_and_the_end(flashes: tuple[Path, Reading], players: Callable[[PlaySource], tuple[Player, TurnedOut]]) -> None:
    path, _ = flashes
    player, out = players(FileSource(path))
    player.set_loop((2.0, 2.5))
    player.seek(2.0)
    player.play()
    shown = _run(player, out, 1.6)
    assert {one.number for _, one in shown} <= set(range(int(2 * VIDEO), int(2.5 * VIDEO) + 2))
    assert sum(one.number == int(2 * VIDEO) for _, one in shown) >= 3, "it went round"
    player.set_loop(None)
    for speed in (0.25, 0.5, 2.0, 4.0):
        player.hold()
        player.set_speed(speed)
        player.seek(3.0)
        _wait_due(player)
        player.play()
        out.turn(RATE // 2)
        assert player.position == pytest.approx(3 + speed / 2, abs=0.03)
        loud = float(np.abs(np.concatenate(out.heard[-50:])).max())
        assert (loud > 0.1) is (speed == 2.0), "a beep lies at 3.5 s; very slow and very fast is silent"
    player.set_speed(1.0)
    player.seek(SECONDS - 0.3)
    _run(player, out, 0.6)
    assert player.ended
    assert not player.playing
    player.play()
    assert player.position < 0.5, "from the beginning"


def test_volume_and_levels(flashes: tuple[Path, Reading], players: Callable[[PlaySource], tuple[Player, TurnedOut]]) -> None:
    path, _ = flashes
    player, out = players(FileSource(path))
    player.volume = 0.25
    player.play()
    levels = []
    for _ in range(100):
        out.turn(480)
        levels.append(player.level.peak[0])
    assert float(np.abs(out.sound).max()) == pytest.approx(0.125, abs=0.01)
    assert max(levels) == pytest.approx(-6, abs=0.2), "meters show what the take has, whatever the volume"
    assert min(levels) == -90


def test_what_cannot_be_decoded_is_told_and_nothing_hangs(
    tmp_path: Path, players: Callable[[PlaySource], tuple[Player, TurnedOut]]
) -> None:
    path = write_clip(tmp_path / "a.mkv", sliding_frames(30, width=64, height=48), sound_seconds=1.2)
    source = FileSource(path)
    assert (source.sounds, source.rate) == (1, 25)
    player, out = players(source)
    _wait_due(player)
    path.unlink()
    player.seek(0.4)
    until = time.monotonic() + 10
    while player.error is None and time.monotonic() < until:
        time.sleep(0.01)
    assert player.error is not None
    assert "There is no file" in str(player.error)
    silent = write_clip(tmp_path / "b.mkv", sliding_frames(30, width=64, height=48))
    player, out = players(FileSource(silent))
    player.play()
    out.turn(RATE // 2)
    assert not out.sound.any()
    assert player.position == pytest.approx(0.5, abs=0.01), "its clock runs without sound too"


def test_gaps_are_silence_and_overlaps_are_cut() -> None:
    blocks = [(0, 3), (5, 2), (6, 4), (20, 5)]
    given = iter([(at, np.full((count, 2), at + 1, np.float32)) for at, count in blocks])
    found = np.concatenate(list(continuous(given, 1, 22)))[:, 0]
    assert found.tolist() == [1, 1, 0, 0, 6, 6, 7, 7, 7, *[0] * 10, 21, 21]


def test_silence_keeps_the_pace_of_the_clock() -> None:
    taken: list[int] = []
    out = SilentOut()

    def pull(count: int) -> Samples:
        taken.append(count)
        return np.zeros((count, 2), np.float32)

    began = time.monotonic()
    out.start(pull)
    time.sleep(0.4)
    out.stop()
    spent = time.monotonic() - began
    assert sum(taken) / RATE == pytest.approx(spent, abs=0.06)
    out.close()
