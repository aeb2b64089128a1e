"""Sound taken over as it is while pictures are encoded: the same packets, in step, and refused where they cannot be the same."""

from __future__ import annotations

import hashlib
from fractions import Fraction
from pathlib import Path

import av
import pytest

from tests.making import programme_frames, write_clip
from yomikomi.core.balance.besides import sound_estimate
from yomikomi.core.copying import copied_sound
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.audio_steps import Gain
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work import SilentReporter

QUICK = recipe_for("h264", 28, speed="ultrafast").model_copy(update={"sound_codec": "source"})


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    path = write_clip(
        tmp_path_factory.mktemp("copied") / "a.mp4", programme_frames(100, width=160, height=120), rate=25, sound_seconds=4.0
    )
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


def _packets(path: Path) -> list[tuple[float, str]]:
    with av.open(str(path)) as container:
        stream = container.streams.audio[0]
        return [
            (float(packet.pts * packet.time_base), hashlib.sha256(bytes(packet)).hexdigest())
            for packet in container.demux(stream) if packet.size
        ]  # fmt: skip


@pytest.mark.parametrize("container", ["mp4", "mkv"])
def test_the_copy_has_the_take_s_own_packets(tmp_path: Path, clip: tuple[Path, Reading], container: str) -> None:
    path, reading = clip
    recipe = QUICK.model_copy(update={"container": container})
    made = make_copy(CopyRequest(path, tmp_path / f"c.{container}", reading, Treatment(), recipe), SilentReporter())
    assert made.verified, made.checks
    assert "packets identical" in next(one.found for one in made.checks if one.name == "sound stream 1 as it is")
    own, copied = _packets(path), _packets(tmp_path / f"c.{container}")
    assert [digest for _, digest in copied] == [digest for _, digest in own]
    moved = [two - one for (one, _), (two, _) in zip(own, copied, strict=True)]
    assert max(moved) - min(moved) < 0.0015
    assert sum(moved) / len(moved) == pytest.approx(-float(Fraction(reading.first_seconds)), abs=0.03)
    told = sound_estimate(reading, Treatment(), recipe)
    size = sum(len(bytes(packet)) for packet in av.open(str(path)).demux(audio=0))
    assert told.low <= size <= told.high


def test_of_a_part_it_is_the_packets_of_the_part(tmp_path: Path, clip: tuple[Path, Reading]) -> None:
    path, reading = clip
    treatment = Treatment(steps=(Trim(start=1.0, end=3.0),))
    made = make_copy(CopyRequest(path, tmp_path / "c.mkv", reading, treatment, _mkv()), SilentReporter())
    assert made.verified, made.checks
    own, copied = _packets(path), _packets(tmp_path / "c.mkv")
    digests = [digest for _, digest in copied]
    first = [digest for _, digest in own].index(digests[0])
    assert digests == [digest for _, digest in own][first : first + len(digests)]
    assert 0 <= copied[0][0] < 0.03
    assert copied[-1][0] == pytest.approx(2.0, abs=0.05)


def test_sound_that_begins_before_the_pictures_begins_with_them(tmp_path: Path) -> None:
    late = [number * 40 + 700 for number in range(60)]
    path = write_clip(
        tmp_path / "late.mkv", programme_frames(60, width=160, height=120), stamps=late, stamp_base=Fraction(1, 1000), sound_seconds=3.1
    )
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    made = make_copy(CopyRequest(path, tmp_path / "c.mkv", reading, Treatment(), _mkv()), SilentReporter())
    assert made.verified, made.checks
    own, copied = _packets(path), _packets(tmp_path / "c.mkv")
    assert [digest for _, digest in copied] == [digest for at, digest in own if at >= 0.6]


def test_a_packet_that_is_not_the_same_is_found(tmp_path: Path, clip: tuple[Path, Reading], monkeypatch: pytest.MonkeyPatch) -> None:
    path, reading = clip
    told: list[bytes] = []

    def spoilt(data: bytes, _codec: str) -> bytes:
        told.append(data)
        return data if len(told) != 9 else bytes([data[0] ^ 1]) + data[1:]

    monkeypatch.setattr(copied_sound, "bare", spoilt)
    made = make_copy(CopyRequest(path, tmp_path / "c.mkv", reading, Treatment(), _mkv()), SilentReporter())
    assert not made.verified
    assert [one.name for one in made.checks if not one.passed] == ["sound stream 1 as it is"]


def test_where_it_cannot_be_as_it_is_that_is_said_before_anything_is_made(tmp_path: Path, clip: tuple[Path, Reading]) -> None:
    path, reading = clip
    with pytest.raises(WrongUseError, match="changes the sound"):
        make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, Treatment(sound=(Gain(db=3.0),)), QUICK), SilentReporter())
    pcm = write_clip(tmp_path / "p.mkv", programme_frames(25, width=160, height=120), rate=25, sound_seconds=1.0)
    heard = read(ReadRequest(pcm, complexity=False), SilentReporter())
    with pytest.raises(WrongUseError, match="not put into MP4"):
        make_copy(CopyRequest(pcm, tmp_path / "d.mp4", heard, Treatment(), QUICK), SilentReporter())
    assert not list(tmp_path.glob("*.mp4"))
    assert make_copy(CopyRequest(pcm, tmp_path / "d.mkv", heard, Treatment(), _mkv()), SilentReporter()).verified


def _mkv() -> Recipe:
    return QUICK.model_copy(update={"container": "mkv"})
