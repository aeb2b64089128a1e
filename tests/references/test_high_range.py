"""Wide-range curves beside a reference library, and the conversion for ordinary screens by its standard's anchors.

Sources: SMPTE ST 2084 and ITU-R BT.2100 through colour-science; ITU-R BT.2408-7 table 1 (from memory): diffuse white of 203 cd/m² stands at
58 % of PQ and 75 % of HLG; ITU-R BT.2390: below the knee nothing changes, the peak lands on the target, between them it never falls.
"""

from __future__ import annotations

from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yomikomi.core.treatment.chain import Chain
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import HighRange
from yomikomi.core.treatment.steps.high_range import HLG, PQ, WHITE_NITS, convert
from yomikomi.core.video.colour import BT2020_PQ
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.high_range import TO_709, hlg_to_nits, into_gamut, nits_to_pq, pq_to_nits, tone_mapped
from yomikomi.core.video.planes import plane_samples

RATE = Fraction(25)
SIGNAL = np.linspace(0, 1, 401)


def test_the_curves_are_the_standards() -> None:
    import colour  # takes a second to load, for every process that only looks which tests there are

    assert np.allclose(pq_to_nits(SIGNAL), colour.models.eotf_ST2084(SIGNAL), rtol=1e-9, atol=1e-9)
    light = np.geomspace(0.001, 10_000, 300)
    assert np.allclose(nits_to_pq(light), colour.models.eotf_inverse_ST2084(light), atol=1e-9)
    grey = np.repeat(SIGNAL[:, None], 3, axis=1)
    assert np.allclose(hlg_to_nits(grey), colour.models.eotf_BT2100_HLG(grey), rtol=1e-4, atol=1e-3)
    assert nits_to_pq(np.array(203.0)) == pytest.approx(0.58, abs=0.005)
    assert hlg_to_nits(np.array([[0.75] * 3]))[0, 0] == pytest.approx(203, abs=1)
    spaces = colour.RGB_COLOURSPACES
    wanted = colour.matrix_RGB_to_RGB(spaces["ITU-R BT.2020"], spaces["ITU-R BT.709"], chromatic_adaptation_transform=None)
    assert np.allclose(TO_709, wanted, atol=1e-3)


@settings(max_examples=40, deadline=None)
@given(st.floats(300, 10_000))
def test_light_is_mapped_without_a_step_or_a_turn(peak: float) -> None:
    light = np.geomspace(0.01, peak, 500)
    mapped = tone_mapped(light, peak=peak, target=WHITE_NITS)
    assert np.all(np.diff(mapped) >= -1e-9)
    assert mapped[-1] == pytest.approx(WHITE_NITS, rel=1e-6)
    top, most = nits_to_pq(np.array(peak)), nits_to_pq(np.array(WHITE_NITS))
    knee = pq_to_nits((1.5 * most / top - 0.5) * top)
    assert np.allclose(mapped[light < knee], light[light < knee], rtol=1e-6)
    assert np.array_equal(tone_mapped(light, peak=100, target=WHITE_NITS), light)


def test_what_is_inside_the_gamut_hardly_moves_and_all_ends_inside() -> None:
    chance = np.random.default_rng(5)
    inside = chance.uniform(0.35, 0.65, (500, 3))
    luminance = inside @ np.array([0.2126, 0.7152, 0.0722])
    assert np.allclose(into_gamut(inside, luminance), inside)
    wild = chance.uniform(-0.6, 1.8, (2000, 3))
    made = into_gamut(wild, wild @ np.array([0.2126, 0.7152, 0.0722]))
    assert made.min() >= 0
    assert made.max() <= 1


def test_grey_stays_grey_and_exposure_is_in_stops() -> None:
    grey = nits_to_pq(np.array([10.0, 50.0, 100.0]))[:, None].repeat(3, axis=1)
    made = convert(grey, transfer=PQ, exposure=0, peak=1000)
    assert np.ptp(made, axis=-1).max() < 2e-3
    assert made[0, 0] == pytest.approx((10 / WHITE_NITS) ** (1 / 2.4), abs=2e-3)  # below the knee: ITU-R BT.1886
    down = convert(nits_to_pq(np.array([[20.0] * 3])), transfer=PQ, exposure=-1, peak=1000)
    assert np.allclose(down[0], made[0], atol=1e-6)


@pytest.mark.parametrize("transfer", [PQ, HLG])
def test_pictures_come_out_as_the_arithmetic_says(transfer: int) -> None:
    """Through the library's conversions and a table of 65 steps, against the arithmetic on every sample: 8-bit code values."""
    tags = BT2020_PQ if transfer == PQ else type(BT2020_PQ)(9, 18, 9, 1)
    before = PictureFormat(Geometry(160, 96), RATE, "yuv444p10le", tags)
    chance = np.random.default_rng(7)
    planes = [chance.integers(low, high, (96, 160)).astype(np.uint16) for low, high in ((100, 800), (440, 584), (440, 584))]
    frame = av.VideoFrame(160, 96, "yuv444p10le")
    for plane, values in zip(frame.planes, planes, strict=True):
        plane_samples(plane, np.uint16)[...] = values
    frame.pts, frame.time_base, frame.colorspace, frame.color_range = 0, 1 / RATE, 9, 1
    chain = Chain(Treatment(steps=(HighRange(),)), before, pixel_format="yuv444p10le")
    made = [plane_samples(plane, np.uint16) / 4 for plane in next(iter(chain.treat([frame]))).planes]
    y, u, v = ((planes[0] / 4 - 16) / 219, (planes[1] / 4 - 128) / 224, (planes[2] / 4 - 128) / 224)
    red, blue = y + 2 * (1 - 0.2627) * v, y + 2 * (1 - 0.0593) * u
    signal = np.stack([red, (y - 0.2627 * red - 0.0593 * blue) / 0.6780, blue], axis=-1).clip(0, 1)
    out = convert(signal, transfer=transfer, exposure=0, peak=1000)
    luma = out @ np.array([0.2126, 0.7152, 0.0722])
    wanted = [16 + 219 * luma, 128 + 224 * (out[..., 2] - luma) / 1.8556, 128 + 224 * (out[..., 0] - luma) / 1.5748]
    for plane, truth in zip(made, wanted, strict=True):
        error = plane - truth
        assert abs(error.mean()) < 0.5
        assert np.sqrt((error**2).mean()) < 1.5
