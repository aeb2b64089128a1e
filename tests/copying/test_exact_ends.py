"""A part copied exactly: the middle packet by packet, a few pictures at its ends encoded, and everything plays through."""

from __future__ import annotations

import itertools
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.cli.test_commands import answer, yomikomi
from tests.making import decode_luma, programme_frames, psnr, write_clip
from yomikomi.core.balance.leaving import as_it_is
from yomikomi.core.balance.offer import Offer, Wanted
from yomikomi.core.balance.serving import Footage
from yomikomi.core.copying import exact_ends
from yomikomi.core.copying.h264_headers import Configuration
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import Untouched
from yomikomi.core.recipes.recipe import recipe_with
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work import SilentReporter

GROUPS = {"preset": "medium", "crf": "20", "g": "25", "keyint_min": "25", "bf": "3", "sc_threshold": "0"}


def _clip(path: Path, options: dict[str, str] = GROUPS) -> tuple[Path, Reading]:
    write_clip(path, programme_frames(110, width=160, height=120), rate=25, options=options, sound_seconds=4.4)
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    return _clip(tmp_path_factory.mktemp("exact") / "a.mp4")


def _copy(clip: tuple[Path, Reading], target: Path, begin: float, end: float) -> CopyResult:
    recipe = recipe_with(CODECS["source"], Untouched(exact=True), container=target.suffix[1:])
    treatment = Treatment(steps=(Trim(start=begin, end=end),))
    return make_copy(CopyRequest(clip[0], target, clip[1], treatment, recipe), SilentReporter())


def _packets(path: Path) -> list[tuple[bytes, bool]]:
    with av.open(str(path)) as container:
        return [(bytes(packet), bool(packet.is_keyframe)) for packet in container.demux(video=0) if packet.size]


@pytest.mark.parametrize("suffix", ["mp4", "mkv"])
@pytest.mark.parametrize(("first", "stop"), [(10, 87), (25, 75), (25, 80), (3, 110), (49, 76)])
def test_the_middle_is_the_take_s_and_the_ends_look_like_it(
    tmp_path: Path, clip: tuple[Path, Reading], suffix: str, first: int, stop: int
) -> None:
    made = _copy(clip, tmp_path / f"c.{suffix}", first / 25, stop / 25 if stop < 110 else 0)
    assert made.verified, made.checks
    assert made.frames == stop - first
    shown, take = decode_luma(tmp_path / f"c.{suffix}"), decode_luma(clip[0])[first:stop]
    assert len(shown) == len(take)
    begins, ends = -(-first // 25) * 25 - first, stop // 25 * 25 - first if stop < 110 else stop - first
    for number, (one, two) in enumerate(zip(shown, take, strict=True)):
        assert np.array_equal(one, two) if begins <= number < ends else psnr(one, two) > 42, number
    own, copied = [data for data, _ in _packets(clip[0])], [data for data, _ in _packets(tmp_path / f"c.{suffix}")]
    assert copied[begins:ends] == own[first + begins : first + ends]
    with av.open(str(tmp_path / f"c.{suffix}")) as container:
        stamps = [(frame.pts or 0) * Fraction(frame.time_base or 1) for frame in container.decode(video=0)]
        assert all(abs(two - one - Fraction(1, 25)) < Fraction(11, 10_000) for one, two in itertools.pairwise(stamps))
        container.seek(0)
        sound = [packet.pts * packet.time_base for packet in container.demux(audio=0) if packet.size]
    assert abs(sound[0] - stamps[0]) < 0.03
    assert abs(sound[-1] - stamps[-1]) < 0.08


def test_what_cannot_be_cut_exactly_is_refused(tmp_path: Path, clip: tuple[Path, Reading]) -> None:
    for begin, end in ((0.2, 0.9), (1.2, 1.9), (0.4, 1.6)):
        with pytest.raises(WrongUseError, match="No whole group"):
            _copy(clip, tmp_path / "c.mp4", begin, end)
    with pytest.raises(WrongUseError, match="No whole group"):  # pictures behind a key picture that look back beyond it
        _copy(_clip(tmp_path / "open.mkv", {**GROUPS, "x264-params": "open-gop=1"}), tmp_path / "c.mp4", 0.4, 3.6)
    fields = _clip(tmp_path / "fields.mkv", {**GROUPS, "x264-params": "tff=1"})
    with pytest.raises(WrongUseError, match="interlaced"):
        _copy(fields, tmp_path / "c.mp4", 0.4, 3.6)
    plain = write_clip(tmp_path / "m.mkv", programme_frames(60, width=160, height=120), rate=25, codec="mpeg2video")
    with pytest.raises(WrongUseError, match=r"only H\.264"):
        _copy((plain, read(ReadRequest(plain, complexity=False), SilentReporter())), tmp_path / "c.mkv", 0.4, 2.0)
    assert not list(tmp_path.glob("c.*"))


def test_ends_that_do_not_look_like_the_take_are_no_verified_copy(
    tmp_path: Path, clip: tuple[Path, Reading], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(exact_ends, "_QUALITY", 51)
    made = _copy(clip, tmp_path / "c.mp4", 0.4, 3.5)
    assert not made.verified
    assert [one.name for one in made.checks if not one.passed] == ["exact ends"]


def test_it_is_offered_where_a_trim_makes_a_difference(clip: tuple[Path, Reading]) -> None:
    path, reading = clip

    def offered(treatment: Treatment) -> list[str]:
        own = as_it_is(path, reading, treatment)
        return [one.key for one in Offer(Wanted(), Footage(reading, treatment), own=own).choices]

    assert offered(Treatment(steps=(Trim(start=1.3, end=3.1),))) == ["untouched", "exact"]
    assert offered(Treatment()) == ["untouched"]


def test_by_the_command_line(tmp_path: Path, clip: tuple[Path, Reading]) -> None:
    steps = tmp_path / "t.json"
    steps.write_text(Treatment(steps=(Trim(start=0.4, end=3.48),)).model_dump_json())
    made = answer("copy", clip[0], "-o", tmp_path / "c.mp4", "--untouched", "--exact", "--treatment", steps)
    assert made["frames"] == 77
    assert made["verified"] is True
    wrong = yomikomi("copy", clip[0], "-o", tmp_path / "d.mp4", "--codec", "h264", "--exact", code=2)
    assert "--exact goes with --untouched" in wrong.stderr


def test_headers_are_read_and_written_as_they_were(clip: tuple[Path, Reading]) -> None:
    with av.open(str(clip[0])) as container:
        data = bytes(container.streams.video[0].codec_context.extradata or b"")
    found = Configuration.of(data)
    assert found is not None
    assert found.data == data
    assert found.free_number == 31
    for cut in range(len(data)):  # a damaged header is none, and no error
        Configuration.of(data[:cut])


