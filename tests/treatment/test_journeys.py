"""From a source to a verified copy whose tracks, chapters, shape and pictures are read back from its own bytes."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import programme_frames, write_clip
from yomikomi.core.balance.recipes import recipe_for
from yomikomi.core.disc.joining import JoinRequest, join_title
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.run.copying import CopyRequest, make_copy
from yomikomi.core.treatment.advice import advise, suggested
from yomikomi.core.treatment.audio_steps import Gain
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Film, Trim
from yomikomi.core.treatment.tracks import Tracks, tracks_of
from yomikomi.core.video.planes import luma
from yomikomi.core.work import SilentReporter
from yomikomi.sim.disc.maker import make_disc
from yomikomi.sim.disc.spec import lessons

QUICK = recipe_for("h264", 20, speed="ultrafast").model_copy(update={"container": "mkv", "sound_codec": "opus"})


def test_a_disc_with_film_in_sixteen_to_nine_two_tracks_and_subtitles(tmp_path: Path) -> None:
    make_disc(lessons(seconds=4.0), tmp_path / "disc")
    title = tmp_path / "t.mkv"
    join_title(JoinRequest(tmp_path / "disc", 1, title), SilentReporter())
    reading = read(ReadRequest(title), SilentReporter())
    assert reading.scan.kind == "film_2_3"
    treatment = suggested(reading, findings(reading))
    assert isinstance(treatment.get(Film), Film)
    found = tracks_of(title)
    assert [one.kind for one in found if one.kind != "chapters"] == ["sound", "sound", "subtitles"]
    for tracks, sounds, subtitles in ((Tracks(), 2, 1), (Tracks(without_sound=(0,), without_subtitles=(0,), chapters=False), 1, 0)):
        chosen = treatment.model_copy(update={"tracks": tracks})
        assert chosen.digest == treatment.digest, "trials of the picture stay"
        target = tmp_path / f"{sounds}.mkv"
        made = make_copy(CopyRequest(title, target, reading, chosen, QUICK), SilentReporter())
        assert made.verified, made.checks
        assert made.not_carried == [], "what a person left out is no loss"
        with av.open(str(title)) as source, av.open(str(target)) as copy:
            video = copy.streams.video[0]
            assert video.average_rate == pytest.approx(Fraction(24000, 1001), rel=1e-4)
            shape = Fraction(video.width, video.height) * Fraction(video.sample_aspect_ratio or 1)
            assert float(shape) == pytest.approx(16 / 9, rel=0.01)
            languages = [stream.language for stream in source.streams.audio]
            assert [stream.language for stream in copy.streams.audio] == (languages if sounds == 2 else languages[1:])
            assert len(copy.streams.subtitles) == subtitles
            assert bool(copy.chapters()) is (tracks.chapters and bool(source.chapters()))


def test_a_tape_with_a_black_head_and_a_stray_tail(tmp_path: Path) -> None:
    """What the reading offers is taken; the copy begins and ends with the programme, to the frame."""
    black = [np.full((144, 176), 16, np.uint8)] * 75
    programme = programme_frames(150, width=176, height=144, seed=6)
    stray = programme_frames(20, width=176, height=144, seed=9)
    pictures_in = [*black, *programme, *black, *stray]
    path = write_clip(tmp_path / "b.mkv", pictures_in, rate=25, sound_seconds=12.8, sound_channels=2, silence=(9.0, 12.0))
    reading = read(ReadRequest(path), SilentReporter())
    offered = next(one for one in advise(reading, findings(reading)) if one.key == "trim")
    assert isinstance(offered.step, Trim)
    treatment = Treatment(sound=(Gain(db=-3),)).having(offered.step)
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, treatment, recipe_for("h264", 16, speed="ultrafast")), SilentReporter())
    assert made.verified, made.checks
    assert made.frames == 150
    with av.open(str(tmp_path / "c.mp4")) as container:
        pictures = [luma(frame).astype(float) for frame in container.decode(video=0)]
    for shown, true in ((pictures[0], programme[0]), (pictures[-1], programme[-1])):
        assert np.abs(shown - true).mean() < 6
    with av.open(str(tmp_path / "c.mp4")) as container:
        sound = sum(block.samples for block in container.decode(audio=0))
    assert sound / 48_000 == pytest.approx(6.0, abs=0.05)
