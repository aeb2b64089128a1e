"""Capturing against published standards, reference libraries and facts of the trade."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pyloudnorm
import pytest
from numpy.typing import NDArray

from yomikomi.core.capture.loudness import Loudness, LoudnessMeter
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.scopes import histogram, scopes_of, vectorscope, waveform
from yomikomi.core.capture.sound_watch import level_db
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS, colour_bars
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.feed import _pq_tables

_RATE = 48_000
Wave = NDArray[np.float64]


def _sine(db: float, seconds: float, hz: float = 1000.0, phase: float = 0.0) -> Wave:
    return 10 ** (db / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * _RATE)) / _RATE + phase)


def _measured(*parts: Wave) -> Loudness:
    """Through the meter, the same in both channels, in blocks of a frame."""
    wave = np.clip(np.round(np.concatenate(parts) * 32767), -32768, 32767).astype(np.int16)
    meter, samples = LoudnessMeter(_RATE, 2), np.stack([wave, wave], axis=1)
    for start in range(0, len(samples), 1602):
        meter.push(samples[start : start + 1602])
    return meter.now


@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        # EBU Tech 3341 (2016), table 1: minimum requirements test signals 1 to 5, stereo sines of 1000 Hz; tolerance 0.1 LU.
        ([(-23.0, 20.0)], -23.0),
        ([(-33.0, 20.0)], -33.0),
        ([(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
        ([(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
        ([(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
    ],
    ids=["1", "2", "3", "4", "5"],
)
def test_integrated_loudness_of_the_ebu_signals(parts: list[tuple[float, float]], expected: float) -> None:
    found = _measured(*(_sine(db, seconds) for db, seconds in parts))
    assert found.integrated == pytest.approx(expected, abs=0.1)


def test_short_term_and_momentary_loudness_of_a_steady_tone() -> None:
    """EBU Tech 3341 signals 1 and 2: momentary and short-term read as integrated does (0.1 LU)."""
    found = _measured(_sine(-33.0, 20.0))
    assert found.momentary == pytest.approx(-33.0, abs=0.1)
    assert found.short == pytest.approx(-33.0, abs=0.1)


@pytest.mark.parametrize(("phase", "hz", "expected"), [(0.0, 12_000, -6.0), (np.pi / 4, 12_000, -6.0), (np.pi / 3, 8_000, -6.0)])
def test_true_peak_between_samples(phase: float, hz: float, expected: float) -> None:
    """EBU Tech 3341 signals 15 to 17 (from memory): sines at a quarter and a sixth of the sampling rate whose samples miss the
    crest; true peak within +0.2 / −0.4 dB of −6. Faded in and out: a sine that begins at once does overshoot between samples."""
    fade = np.minimum(1, np.minimum(np.arange(2 * _RATE), np.arange(2 * _RATE)[::-1]) / 4800)
    found = _measured(_sine(-6.0, 2.0, hz, phase) * fade)
    assert expected - 0.4 <= found.true_peak <= expected + 0.2
    if phase == pytest.approx(np.pi / 4):
        samples = np.round(32767 * _sine(-6.0, 2.0, hz, phase)).astype(np.int16)
        assert level_db(samples)[0] == pytest.approx(-9.0, abs=0.1), "what the samples alone show"


def test_loudness_agrees_with_a_reference_library() -> None:
    """pyloudnorm (ITU-R BS.1770-4) on music-like noise in bursts, within 0.1 LU."""
    rng = np.random.default_rng(7)
    wave = rng.standard_normal(_RATE * 16) * 0.08 * (0.3 + np.abs(np.sin(np.arange(_RATE * 16) / 30_000)))
    wave = np.convolve(wave, np.ones(12) / 6, "same")
    held = np.round(wave * 32767) / 32768
    expected = pyloudnorm.Meter(_RATE).integrated_loudness(np.stack([held, held], axis=1))
    assert _measured(wave).integrated == pytest.approx(expected, abs=0.1)


# ITU-R BT.601 and BT.709 arithmetic on bars of 100/0/75/0, codes of 8 bits as handbooks print them (SMPTE EG 1 and ITU-R BT.471;
# from memory): name, BT.601 (Y, Cb, Cr), BT.709 (Y, Cb, Cr).
_HANDBOOK = {
    "white": ((235, 128, 128), (235, 128, 128)),
    "yellow": ((162, 44, 142), (168, 44, 136)),
    "cyan": ((131, 156, 44), (145, 147, 44)),
    "green": ((112, 72, 58), (133, 63, 52)),
    "magenta": ((84, 184, 198), (63, 193, 204)),
    "red": ((65, 100, 212), (51, 109, 212)),
    "blue": ((35, 212, 114), (28, 212, 120)),
    "black": ((16, 128, 128), (16, 128, 128)),
}


def test_bars_have_the_codes_of_the_handbooks() -> None:
    for bar, hd in zip(colour_bars(BT601_WEIGHTS), colour_bars(BT709_WEIGHTS), strict=True):
        sd_codes, hd_codes = _HANDBOOK[bar.name]
        assert np.abs(np.subtract(bar.codes, sd_codes)).max() <= 1, bar.name  # the last digit is rounded differently in print
        assert np.abs(np.subtract(hd.codes, hd_codes)).max() <= 1, bar.name


def test_bars_agree_with_a_reference_library() -> None:
    """colour-science's R′G′B′ to Y′CbCr with its own weights, to the code."""
    import colour

    for name, weights in (("ITU-R BT.601", BT601_WEIGHTS), ("ITU-R BT.709", BT709_WEIGHTS)):
        rgb = np.array([
            [1, 1, 1], [0.75, 0.75, 0], [0, 0.75, 0.75], [0, 0.75, 0], [0.75, 0, 0.75], [0.75, 0, 0], [0, 0, 0.75], [0, 0, 0],
        ])  # fmt: skip
        expected = colour.RGB_to_YCbCr(rgb, K=colour.WEIGHTS_YCBCR[name], out_bits=8, out_legal=True, out_int=True)
        assert np.abs(np.array([bar.codes for bar in colour_bars(weights)]) - expected).max() <= 1


def test_scopes_put_the_bars_where_the_standard_puts_them() -> None:
    """Every bar is a level line of the waveform and a dot of the vectorscope at its codes, and nothing else is there."""
    picture, _ = BarsSpec().open().read()
    found = scopes_of(picture.y, picture.u, picture.v)
    bars = colour_bars()
    for number, bar in enumerate(bars):
        y, cb, cr = bar.codes
        column = round((number + 0.5) * 360 / 8)
        lit = np.flatnonzero(found.waveform[:, column])
        assert np.abs(lit - y).max() <= 1
        assert found.vector[cr - 1 : cr + 2, cb - 1 : cb + 2].max() > 100
    assert found.histogram.sum() == pytest.approx(1)
    counted = np.flatnonzero(found.histogram > 0.01)
    assert len(counted) == 8
    # On the vectorscope 75 % bars of a colour and its opposite lie on one line through the middle (BT.601 arithmetic).
    by_name = {bar.name: complex(bar.cb - 128, bar.cr - 128) for bar in bars}
    for one, other in (("yellow", "blue"), ("cyan", "red"), ("green", "magenta")):
        assert by_name[one] == pytest.approx(-by_name[other], abs=1e-9)


def test_scopes_count_every_sample() -> None:
    rng = np.random.default_rng(3)
    luma = rng.integers(0, 256, (96, 360), np.uint8)
    chroma = rng.integers(0, 256, (96, 180), np.uint8)
    shown = waveform(luma)
    for column in (0, 100, 359):
        assert set(np.flatnonzero(shown[:, column])) == set(luma[:, column].tolist())
    assert np.count_nonzero(vectorscope(chroma, chroma[::-1])) <= chroma.size
    assert histogram(luma)[luma[0, 0]] == pytest.approx(np.mean(luma == luma[0, 0]))
    deep = scopes_of(luma.astype(np.uint16) * 4, chroma.astype(np.uint16) * 4, chroma.astype(np.uint16) * 4, bits=10)
    assert np.array_equal(deep.waveform, shown)


def test_the_pq_camera_follows_the_standard() -> None:
    """SMPTE ST 2084 through colour-science: what a display at 203 cd/m² shows (ITU-R BT.2408 reference white, 58 % PQ) as PQ."""
    import colour

    luma, _ = _pq_tables()
    codes = np.arange(16, 236)
    light = 203 * ((codes - 16) / 219) ** 2.4  # ITU-R BT.1886
    expected = 64 + 876 * colour.models.eotf_inverse_ST2084(light, 10_000)
    assert np.abs(luma[16:236] - expected).max() <= 0.51
    assert (luma[235] - 64) / 876 == pytest.approx(0.58, abs=0.005)


def test_capture_settings_are_those_of_the_trade() -> None:
    """Common practice, no source: native size, no deinterlacing, lossless or edit-friendly as the default school; 40 Mb/s are near
    18.1 GB an hour; the default changes nothing that cannot be undone."""
    how = RecordAs()
    assert CAPTURE_CODECS[how.codec].lossless
    assert CAPTURE_CODECS[how.codec].whole
    assert how.sound == "pcm"
    assert pytest.approx(18.0, abs=0.2) == 40e6 / 8 * 3600 / 1e9
    assert RecordAs(codec="h264_high", mbps=40).words.endswith("40 Mb/s; sound PCM")
    # SMPTE ST 12-1: ten minutes of 29.97 are 17 982 frames, and the next one is 00:10:00;00.
    assert RecordAs(timecode="00:00:00;00").timecode_at(Fraction(30000, 1001), 17_982) == "00:10:00;00"
