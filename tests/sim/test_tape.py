"""The simulated tape and player: the same seed gives the same samples, and every fault put in can be measured."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from yomikomi.core.video.source import SourceEnded
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.sim.canvas import Raster
from yomikomi.sim.player import TapePlayer, TapePlayerSpec, truth
from yomikomi.sim.programme import MIXTURES, Programme
from yomikomi.sim.scenes import SCENES
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound
from yomikomi.sim.tape import FORMATS, Tape, TapeFaults

CLEAN = FORMATS["perfect"]


def _play(faults: TapeFaults, picture: np.ndarray, field: int = 3) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return Tape(faults, seed=4, field_rate=59.94).play(picture, field)


def _flat(level: int = 100, cb: int = 128, cr: int = 128) -> np.ndarray:
    picture = np.empty((240, 720, 3), np.uint8)
    picture[...] = (level, cb, cr)
    return picture


def test_same_seed_same_samples_whenever_asked() -> None:
    spec = TapePlayerSpec(seed=11, real_time=False)
    one, two, other = spec.open(), spec.open(), replace(spec, seed=12).open()
    for number in (0, 7, 3):  # in any order
        a, b = one.picture(number), two.picture(number)
        assert np.array_equal(a.y, b.y)
        assert np.array_equal(a.u, b.u)
        assert np.array_equal(a.v, b.v)
        assert not np.array_equal(a.y, other.picture(number).y)
    assert np.array_equal(ProgrammeSound(3).samples(47_000, 5000)[1000:2000], ProgrammeSound(3).samples(48_000, 1000))


@pytest.mark.parametrize("order", list(FieldOrder))
@pytest.mark.parametrize("standard", list(STANDARDS))
def test_each_field_holds_its_own_instant(standard: str, order: FieldOrder) -> None:
    """On a perfect tape the lines of a field are those of the scene at its instant, in the order asked for."""
    spec = TapePlayerSpec(standard=standard, field_order=order, seed=6, tape="perfect", mixture="lively", real_time=False)
    player = spec.open()
    made = player.format.standard
    programme = Programme(6, mixture="lively", rate=made.rate)
    for number in (2, 40):
        picture = player.picture(number)
        for index, parity in enumerate((0, 1) if order is FieldOrder.TFF else (1, 0)):
            raster = Raster(made.width, made.height, first=parity, step=2)
            meant = programme.draw(number, Fraction(2 * number + index) / made.field_rate, raster)[..., 0].astype(int)
            inside = slice(20, -20)
            assert np.abs(picture.y[parity::2][:, inside].astype(int) - meant[:, inside]).mean() < 1.0


def test_luma_bandwidth() -> None:
    """A sine at the stated −6 dB frequency comes out at half its height; one at a quarter of it nearly whole."""
    faults = replace(CLEAN, luma_mhz=3.0)
    for mhz, gain, tolerance in ((3.0, 0.5, 0.08), (0.75, 1.0, 0.05), (5.5, 0.0, 0.08)):
        wave = 120 + 60 * np.sin(2 * np.pi * mhz / 13.5 * np.arange(720))
        picture = _flat()
        picture[..., 0] = np.round(wave)
        y = _play(faults, picture)[0][:, 40:-40].astype(float)
        assert np.ptp(y, axis=1).mean() / 120 == pytest.approx(gain, abs=tolerance)


def test_chroma_lags_by_the_stated_delay() -> None:
    faults = replace(CLEAN, chroma_mhz=1.5, chroma_delay=6.0)
    picture = _flat()
    picture[:, 360:, 1] = 200
    place = [
        float(np.interp(164, plane[100].astype(float), np.arange(360))) for plane in (_play(faults, picture)[1], _play(CLEAN, picture)[1])
    ]
    assert 2 * (place[0] - place[1]) == pytest.approx(6.0, abs=0.5)


@pytest.mark.parametrize("sigma", [1.5, 3.2, 6.0])
def test_noise_has_the_stated_spread_and_changes_every_field(sigma: float) -> None:
    tape = Tape(replace(CLEAN, luma_noise=sigma), seed=2, field_rate=59.94)
    one, two = (tape.play(_flat(), field)[0].astype(float) for field in (5, 6))
    assert one.std() == pytest.approx(sigma, rel=0.1)
    assert abs(np.corrcoef(one.ravel(), two.ravel())[0, 1]) < 0.1


def test_line_timing_wobbles_as_told_and_the_corrector_stops_it() -> None:
    faults = replace(CLEAN, wobble=1.5, jitter=0.3)
    picture = _flat(40)
    picture[:, 360:, 0] = 200
    tape = Tape(faults, seed=4, field_rate=59.94)
    y = tape.play(picture, 9)[0].astype(float)
    found = np.array([np.interp(120, line[340:380], np.arange(340, 380)) for line in y])
    told = tape.timing(9, 240)
    assert np.corrcoef(found, told)[0, 1] > 0.98
    assert np.abs((found - found.mean()) - (told - told.mean())).max() < 0.3
    steady = Tape(faults.with_corrector(), seed=4, field_rate=59.94).play(picture, 9)[0]
    assert (steady == steady[0]).all()


def test_dropouts_lie_where_the_truth_says() -> None:
    tape = Tape(replace(CLEAN, dropouts_per_second=30.0), seed=8, field_rate=59.94)
    holes = [hole for field in range(60) for hole in tape.dropouts_in(field)]
    assert 15 <= len(holes) <= 50  # Poisson with mean 30
    for hole in holes[:10]:
        y = tape.play(_flat(60), hole.field)[0]
        stretch = y[hole.line, hole.first : hole.first + hole.length]
        assert stretch.min() > 200
        assert (y[hole.line] > 200).sum() <= sum(h.length for h in holes if (h.field, h.line) == (hole.field, hole.line))


def test_the_head_switching_band_is_at_the_bottom_and_only_there() -> None:
    picture = _flat(40)
    picture[:, 360:, 0] = 200
    for lines in (0, 8, 12):
        y = _play(replace(CLEAN, band_lines=lines), picture)[0].astype(int)
        bent = np.abs(y - y[0]).max(axis=1) > 30
        assert bent.sum() == lines // 2
        assert not bent[: 240 - lines // 2].any()


def test_formats_differ_in_the_order_people_know() -> None:
    """A laser disc is sharper and quieter than Video8, that a little better than VHS (common practice, no source)."""
    vhs, video8, disc = (FORMATS[key] for key in ("vhs", "video8", "laserdisc"))
    assert vhs.luma_mhz <= video8.luma_mhz < disc.luma_mhz
    assert vhs.luma_noise >= video8.luma_noise > disc.luma_noise
    assert disc.band_lines == 0


def test_a_programme_cuts_every_few_seconds_and_never_to_itself() -> None:
    for mixture in MIXTURES:
        shots = Programme(5, mixture=mixture).shots(3000)
        assert all(2 <= shot.length / 29.97 <= 6 for shot in shots)
        assert all(b.start == a.start + a.length for a, b in itertools.pairwise(shots))
        if len(MIXTURES[mixture]) > 1:
            assert all(a.scene != b.scene for a, b in itertools.pairwise(shots))
    assert {SCENES[name].pace for name in MIXTURES["mixed"]} >= {"slow", "fast"}


def test_sound_is_speech_and_music_with_hiss() -> None:
    sound = ProgrammeSound(4)
    speech, music = (sound.samples(second * SAMPLE_RATE, SAMPLE_RATE)[:, 0] / 32767 for second in (2, 8))
    assert (sound.kind_at(2), sound.kind_at(8)) == ("speech", "music")
    for wave in (speech, music):
        assert 0.02 < np.abs(wave).max() < 0.98  # there is headroom, and something to hear
    quiet = np.abs(speech).reshape(-1, 480).max(axis=1).min()
    assert 1e-4 < quiet < 0.02  # syllables have pauses, and hiss is heard in them
    spectrum = np.abs(np.fft.rfft(music))
    assert 200 < spectrum.argmax() < 1000


def test_the_end_of_the_tape_and_the_truth() -> None:
    spec = TapePlayerSpec(seed=1, seconds=0.2, real_time=False)
    player = spec.open()
    numbers = []
    with pytest.raises(SourceEnded):
        while True:
            picture, sound = player.read()
            numbers.append(picture.number)
            assert sound.samples.shape[1] == 1
    assert numbers == list(range(6))
    told = truth(spec, 600)
    assert told["scan"] == {"kind": "interlaced", "field_order": "bff"}
    assert told["rate"] == "30000/1001"
    assert told["shots"][0]["start"] == 0
    assert all(hole["field"] < 1200 for hole in told["dropouts"])
    assert TapePlayerSpec.from_json(spec.to_json()) == spec


class _Clock:
    """Time that passes only when someone waits or works."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


def test_a_slow_reader_loses_frames_and_sound_goes_on(monkeypatch: pytest.MonkeyPatch) -> None:
    clock = _Clock()
    monkeypatch.setattr("yomikomi.sim.player.time.sleep", lambda seconds: setattr(clock, "now", clock.now + seconds))
    player = TapePlayer(TapePlayerSpec(seed=1, mixture="still", tape="perfect"), now=clock)
    first = [player.read()[0].number for _ in range(5)]
    assert first == [0, 1, 2, 3, 4]
    assert clock.now == pytest.approx(100 + 4 * 1001 / 30000)
    clock.now += 1.0  # the reader was away for a second: the box held eight frames
    picture, sound = player.read()
    assert 20 <= picture.number <= 28
    assert sound.start == int(SAMPLE_RATE * 5 * Fraction(1001, 30000))
    assert len(sound.samples) == pytest.approx((picture.number - 4) * 1601.6, abs=2)
    player.close()
    with pytest.raises(SourceEnded):
        player.read()
