"""What is said of a recording while it runs: losses by number and by content, clocks, sound, and when it warns or ends."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.capture.making import SMALL, captured
from yomikomi.core.capture.clocks import DriftWatch, FrameNumberer
from yomikomi.core.capture.content import ContentJudge
from yomikomi.core.capture.health import Health, read_health
from yomikomi.core.capture.looking import LookAs, look_of
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.rules import Condition, EndRules, ending, warnings
from yomikomi.core.capture.scopes import outside_limits
from yomikomi.core.capture.sound_watch import SoundWatch, clipped_runs, find_hum
from yomikomi.core.video.source import SourceSpec
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.faulty import Faults, FaultySpec
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

DISC = TapePlayerSpec(seed=7, tape="laserdisc", wide=True, real_time=False)
_TAPE = TapePlayerSpec(seed=3, mixture="lively", real_time=False)


def _judged(spec: SourceSpec, frames: int) -> ContentJudge:
    source = spec.open()
    judge = ContentJudge(float(source.format.standard.rate), fields=source.format.field_order is not None)
    for _ in range(frames):
        picture, _sound = source.read()
        judge.saw(picture.number, picture.y)
    return judge


def test_injected_repeats_are_found_in_a_noisy_tape() -> None:
    """Precision and recall on VHS; a repeat within a perfectly still scene cannot be seen and is not asked for."""
    faults = Faults.scattered("repeated", frames=260, count=12, seed=4)
    judge = _judged(FaultySpec(replace(_TAPE, seed=4), faults), 260)
    wanted = {number for number in faults.repeated if number < 254}
    found = set(judge.repeats)
    assert len(found & wanted) / len(found) >= 0.9, "precision"
    assert len(found & wanted) / len(wanted) >= 0.9, "recall"


def test_a_faultless_source_gets_no_mark() -> None:
    """A disc with a cut at frame 144 after a scene that stands nearly still: what ends there repeats nothing. (Ten minutes of every
    simulated source: python -m bench marks.)"""
    assert _judged(replace(DISC, seconds=5.4), 150).repeats == []
    swallowed = Faults.scattered("swallowed", frames=60, count=3, seed=9)  # no number tells of them, and nothing else does
    assert _judged(FaultySpec(_TAPE, swallowed), 50).repeats == []


@pytest.mark.parametrize(
    "spec",
    [
        FeedSpec(640, 480, Fraction(30000, 1001), interlaced=True, cadence="film", seed=7, real_time=False, mixture="lively"),
        FeedSpec(640, 480, Fraction(60000, 1001), cadence="film", seed=7, real_time=False, mixture="lively"),
        TapePlayerSpec(seed=8, mixture="still", real_time=False),
    ],
    ids=["film in fields", "film in 59.94", "a still picture"],
)
def test_how_a_source_is_made_is_no_fault(spec: SourceSpec) -> None:
    judge = _judged(spec, 120)
    assert judge.repeats == []


def test_what_is_found_stands_in_the_log_beside_the_take(tmp_path: Path) -> None:
    spec = replace(_TAPE, seconds=4)
    faults = Faults(repeated=frozenset({30, 61}), lost=frozenset({80, 81, 100}))
    result = captured(FaultySpec(spec, faults), tmp_path / "take.mkv", record_as=RecordAs(codec="uncompressed"))
    rows, end = read_health(tmp_path / "take.mkv")
    assert end is not None
    assert result.gaps == end.gaps == ((80, 2), (100, 1))
    assert set(end.repeats) == {30, 61}
    assert result.repeated == 2
    assert end.loudness is not None
    assert -40 < end.loudness.integrated < -10
    assert [row.at for row in rows] == [1, 2, 3, 4]
    assert sum(row.lost for row in rows) == 3
    assert all(row.headroom > 0 for row in rows[1:])


def _numbers(stamps: list[float], arrivals: list[float] | None = None, rate: Fraction = Fraction(25)) -> tuple[list[int], int]:
    numberer = FrameNumberer(rate)
    found: list[int] = []
    for place, stamp in enumerate(stamps):
        found += numberer.push(round(stamp), None if arrivals is None else round(arrivals[place]))
    assert numberer.waiting < 12
    return found + numberer.flush(), numberer.jumps


@given(
    drops=st.sets(st.integers(30, 360), max_size=6), jitter=st.floats(0, 0.9), ppm=st.floats(-200, 200),
    rate=st.sampled_from([Fraction(25), Fraction(30000, 1001), Fraction(60000, 1001)]), seed=st.integers(0, 10**6),
)  # fmt: skip
def test_stamps_late_by_up_to_nine_tenths_of_a_period_lose_no_picture(
    drops: set[int], jitter: float, ppm: float, rate: Fraction, seed: int
) -> None:
    """Every picture gets a number of its own, and as many are missing as were lost; to the frame while stamps are late by half a period."""
    rng, period = np.random.default_rng(seed), float(1_000_000 / rate)
    kept = [number for number in range(400) if number not in drops]
    found, jumps = _numbers([5e6 + n * period * (1 + ppm * 1e-6) + rng.uniform(0, jitter) * period for n in kept], rate=rate)
    assert len(found) == len(kept)
    assert found == sorted(set(found))
    assert found[-1] == 399
    assert jumps == 0
    missing = set(range(400)) - set(found)
    assert all(min(abs(drop - one) for one in missing) <= 12 for drop in drops)
    if jitter <= 0.5:
        assert found == kept


@pytest.mark.parametrize("step_s", [-3600.0, -10.0, -0.2, 10.0, 3600.0])
def test_a_clock_that_is_set_costs_nothing(step_s: float) -> None:
    """A wall clock set back by 10 s cost 250 pictures; set forward it made a gap of as many."""
    even = [5e6 + 40_000.0 * n for n in range(400)]
    stamps = [at + (step_s * 1e6 if n >= 200 else 0) for n, at in enumerate(even)]
    found, jumps = _numbers(stamps, [at + 3000 for at in even])
    assert (found, jumps) == (list(range(400)), 1)


def test_one_stamp_that_is_late_or_twice_is_no_gap() -> None:
    even = [40_000.0 * n for n in range(100)]
    for place, off in ((50, 21_000.0), (50, 58_000.0), (0, 36_000.0), (99, 33_000.0), (50, -40_000.0)):
        stamps = list(even)
        stamps[place] += off
        assert _numbers(stamps)[0] == list(range(100)), (place, off)


@pytest.mark.parametrize("ppm", [-80.0, 0.0, 200.0])
def test_clocks_that_part_are_measured(ppm: float) -> None:
    """A sound clock that is 80 ppm fast is 288 ms ahead after an hour."""
    watch = DriftWatch(48_000)
    rng = np.random.default_rng(1)
    for second in np.arange(0, 300, 1 / 25):
        watch.heard(round(second * 48_000 * (1 + ppm * 1e-6)), round(second * 1e6 + rng.normal(0, 2000)))
    drift = watch.drift()
    assert drift is not None
    assert drift.ms_per_hour == pytest.approx(ppm * 3.6, abs=max(4 * drift.error, 3))
    assert drift.sure == (ppm != 0)


def test_a_fast_sound_clock_is_seen_through_the_whole_pass(tmp_path: Path) -> None:
    spec = FaultySpec(replace(SMALL, seconds=12), Faults(sound_ppm=400))
    captured(spec, tmp_path / "take.mkv", record_as=RecordAs(codec="uncompressed"))
    _, end = read_health(tmp_path / "take.mkv")
    assert end is not None
    assert end.drift_ms_per_hour == pytest.approx(1440, rel=0.05)


def _tone(hz: float, db: float, seconds: float = 2.5) -> np.ndarray:
    return 32767 * 10 ** (db / 20) * np.sin(2 * np.pi * hz * np.arange(round(48_000 * seconds)) / 48_000)


def _heard(*channels: np.ndarray) -> SoundWatch:
    watch = SoundWatch(48_000, len(channels))
    samples = np.clip(np.stack(channels, axis=1), -32768, 32767).round().astype(np.int16)
    for start in range(0, len(samples), 1600):
        watch.heard(samples[start : start + 1600])
    return watch


def test_sound_that_is_wrong_is_named() -> None:
    rng = np.random.default_rng(2)
    hiss = rng.normal(0, 32767 * 10 ** (-58 / 20), 120_000)
    music = sum(_tone(hz, -18) for hz in (333.0, 447.0, 821.0)) * (0.6 + 0.4 * np.sin(np.arange(120_000) / 9000)) + hiss
    other = sum(_tone(hz, -20) for hz in (291.0, 512.0)) + hiss[::-1]
    assert _heard(music, other).signs() == ()
    assert _heard(hiss, hiss[::-1]).signs() == ("silent",)
    assert _heard(music, hiss).signs() == ("one channel",)
    assert _heard(music, music).signs() == ("same on both",)
    hot = _heard(music * 30, other)
    assert "clipping" in hot.signs()
    assert hot.clipped > 20
    for mains in (50.0, 60.0):
        hum = sum(_tone(mains * n, -40 - 6 * n) for n in (1, 2, 3))
        watch = _heard(music * 0.1 + hum, other)
        assert "hum" in watch.signs()
        assert watch.hum_hz == mains
    assert find_hum(_tone(1000, -10).astype(np.int16), 48_000)[0] is None
    assert find_hum(np.zeros(100, np.int16), 48_000) == (None, -96.0)
    full = np.full((1000, 1), 32767, np.int16)
    assert clipped_runs(full) == 1
    assert clipped_runs(np.array([[32767], [0], [32767], [32767]], np.int16)) == 0
    assert _heard(hiss).silent_s == pytest.approx(2.5, abs=0.04)


def _now(**found: object) -> Condition:
    known: dict[str, object] = {
        "seconds": 100.0, "dropped": 0, "still_s": 0.0, "silent_s": 0.0, "free_bytes": 10**12, "headroom": 3.0, "write_ms": 5.0,
        "queue_part": 0.0, "signs": (),
    }  # fmt: skip
    return Condition(**{**known, **found})  # type: ignore[arg-type]


def test_rules_end_what_they_are_for_and_nothing_else() -> None:
    rules = EndRules(blank_seconds=20, max_seconds=600, most_lost=5)
    assert ending(rules, _now()) is None
    assert ending(rules, _now(still_s=30)) is None, "still but not silent"
    assert ending(rules, _now(silent_s=30)) is None, "silent but moving"
    tape_over = ending(rules, _now(still_s=22, silent_s=21))
    assert tape_over is not None
    assert tape_over.wished
    assert tape_over.tail_seconds == 21
    assert ending(rules, _now(still_s=22, has_sound=False)) is not None
    for found, wished in ((_now(seconds=600), True), (_now(dropped=5), False)):
        over = ending(rules, found)
        assert over is not None
        assert over.wished == wished
    assert ending(EndRules(blank_seconds=None), _now(still_s=500, silent_s=500, dropped=99)) is None
    found = warnings(rules, _now(dropped=2, headroom=1.05, write_ms=400, queue_part=0.7, free_bytes=10**9, signs=("mains hum",)))
    assert [one.kind for one in found] == ["lost", "behind", "headroom", "slow drive", "room", "mains hum"]
    assert found[0].words == "2 frames lost"
    assert "losses raise a warning" in EndRules().words
    assert "at 0:10:00" in rules.words


def test_health_joins_neighbouring_gaps() -> None:
    health = Health(Fraction(25))
    for number in (0, 1, 4, 5, 9):
        health.saw(number, waited=0.0)
    assert health.gaps == [(2, 2), (6, 3)]
    health.lost_in_queue()
    assert health.gaps == [(2, 2), (6, 4)]


def test_looks_show_what_was_asked_for() -> None:
    source = BarsSpec(gain=1.06, lift=-8).open()
    picture, _ = source.read()
    form = source.format
    nothing = look_of(picture, form, LookAs(preview=False, scopes=False))
    assert (nothing.preview, nothing.scopes) == (None, None)
    shaped = look_of(picture, form, LookAs())
    assert shaped.preview is not None
    assert (shaped.preview.width, shaped.preview.height, shaped.preview.square) == (655, 480, True)
    assert shaped.below_black > 0.1
    assert shaped.above_white > 0.0
    raw = look_of(picture, form, LookAs(view="samples", scopes=False))
    assert raw.preview is not None
    assert (raw.preview.width, raw.preview.height, raw.preview.square) == (720, 480, False)
    plain, mapped, fields = (
        np.frombuffer(look.preview.rgb, np.uint8).reshape(480, 655, 3)  # type: ignore[union-attr]
        for look in (shaped, look_of(picture, form, LookAs(clip_map=True)), look_of(picture, form, LookAs(view="fields")))
    )
    changed = np.any(plain != mapped, axis=2)
    assert changed[:, :70].any(), "white is too bright"
    assert changed[:, -70:].any(), "black is too dark"
    assert not changed[:, 200:300].any()
    assert np.abs(fields[:240].astype(int) - fields[240:]).mean() < 2
    assert outside_limits(np.array([[15, 16, 235, 236]], np.uint8)) == (0.25, 0.25)
