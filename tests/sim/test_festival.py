"""The festival's scenes, their sound, and tapes as they are found in homes: what they promise, and that a reading says no more."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.capture.making import record
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.reading.cards.finding import Mark
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.work import SilentReporter
from yomikomi.sim.ambience import SceneSound
from yomikomi.sim.canvas import Raster
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.programme import _make_surface
from yomikomi.sim.scenes import SCENES
from yomikomi.sim.sound import SAMPLE_RATE
from yomikomi.sim.tape import FORMATS, Tape

NEW = ("night festival", "crowd", "dusk water", "notice pan", "kiln fire", "aquarium", "bow camera")


@pytest.mark.parametrize("name", NEW)
@pytest.mark.parametrize("height", [480, 576])
def test_a_field_is_every_second_line_of_the_frame_at_its_instant(name: str, height: int) -> None:
    """Edges are softened by the raster they are drawn on, so a few samples may differ; the picture as a whole may not."""
    scene = SCENES[name](_make_surface(name, 5), np.random.default_rng(3))
    whole = scene.draw(1.7, Raster(720, height))
    for first in (0, 1):
        field = scene.draw(1.7, Raster(720, height, first, 2))
        off = np.abs(field.astype(int) - whole[first::2].astype(int))
        assert off.mean() < 1.5
        assert np.percentile(off, 95) <= 6
    later = scene.draw(1.7 + 1 / 60, Raster(720, height))
    assert (later != whole).any()
    again = SCENES[name](_make_surface(name, 5), np.random.default_rng(3)).draw(1.7, Raster(720, height))
    assert (again == whole).all()
    assert whole[..., 0].min() >= 16
    assert whole[..., 0].max() <= 235


def test_sounds_go_over_into_each_other_without_a_click() -> None:
    """Across every second's border the wave changes no more than it does elsewhere in that second."""
    kinds = ("drums", "drums", "water", "water", "fire", "crowd", "crowd", "sea", "speech", "music", "music")
    wave = SceneSound(4, kinds).wave(0, len(kinds) * SAMPLE_RATE)
    step = np.abs(np.diff(wave))
    for second in range(1, len(kinds)):
        border = second * SAMPLE_RATE
        around = step[border - 4000 : border + 4000]
        assert step[border - 1] <= np.percentile(around, 99.9) * 1.5 + 1e-3
    assert 0.2 < np.abs(wave).max() < 1
    parts = np.concatenate([SceneSound(4, kinds).wave(at, 7001) for at in range(0, 70_010, 7001)])
    assert np.array_equal(parts, wave[:70_010])


def test_a_lean_stays_for_seconds_and_a_corrector_takes_it() -> None:
    faults = FORMATS["vhs_used"]
    used, plain = (Tape(one, seed=3, field_rate=59.94) for one in (faults, FORMATS["vhs"]))
    stays = np.stack([used.timing(field, 240) - plain.timing(field, 240) for field in range(0, 3000, 10)])
    assert stays.std() == pytest.approx(faults.lean, rel=0.5)
    flat = stays - stays.mean(axis=0)
    assert np.mean(flat[1:] * flat[:-1]) / np.mean(flat * flat) > 0.95  # a sixth of a second later
    assert not Tape(faults.with_corrector(), seed=3, field_rate=59.94).timing(7, 240).any()


@pytest.mark.parametrize(("mixture", "seed"), [("festival", 1993), ("aquarium", 7)])
def test_a_reading_of_a_used_tape_finds_what_was_put_in_and_nothing_else(tmp_path: Path, mixture: str, seed: int) -> None:
    """None of these pictures and sounds was there while the measurements were made."""
    spec = TapePlayerSpec(seed=seed, tape="vhs_used", mixture=mixture, seconds=2.5, real_time=False)
    path = tmp_path / "tape.mkv"
    record(spec, path, RecordAs(codec="uncompressed"))  # quick, and nothing is lost
    found: Reading = read(ReadRequest(path), SilentReporter())
    assert (found.scan.kind, found.scan.field_order) in {("interlaced", "bff"), ("undetermined", None)}
    assert found.scan.kind == "interlaced" or mixture == "aquarium"  # its first shot is the bay at dusk: waves with no direction
    assert found.borders is not None
    left, right = FORMATS["vhs_used"].border
    assert abs(found.borders.left - left) <= 2  # the tape's lines lean by up to so much
    assert abs(found.borders.right - right) <= 2
    assert (found.borders.top, found.borders.bottom) == (0, 0)
    assert 6 <= found.borders.head_switching_lines <= 10
    assert not [one for one in findings(found) if one.mark is Mark.WRONG]
    assert all(stream.hum_hz is None and stream.speed is None for stream in found.sound)
