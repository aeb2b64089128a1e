"""Film out of video: every picture as it was, in step with the take, whatever breaks its cadence; mixed takes part by part."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.making import Luma, interlace, noisy, programme_frames, pulled_down, repeated, sliding_frames, write_clip
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scan.patterns import PATTERNS
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_advice, fields_treatment
from yomikomi.core.treatment.cadence import Cadence, cadence_of, picture_count, pictures_of, plan_film
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.on_time import OnTime
from yomikomi.core.treatment.steps import Deinterlace, Fade, Fields, Film, FilmPart, RateCap
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.treatment.weaving import weave
from yomikomi.core.video.planes import luma, plane_samples
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO, FILM = Fraction(30000, 1001), Fraction(24000, 1001)


def _made(folder: Path, frames: list[Luma], rate: Fraction | int = VIDEO, **more: object) -> tuple[Path, Reading]:
    path = write_clip(folder / "film.mkv", frames, rate=rate, codec="rawvideo", **more)  # type: ignore[arg-type]
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


def _treated(path: Path, reading: Reading, treatment: Treatment, span: range | None = None) -> list[Luma]:
    return [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment, span)]


def _numbers(out: list[Luma], truth: list[Luma]) -> list[int | None]:
    """Which picture each frame is, to the last sample; None: none of them."""
    known = {picture.tobytes(): number for number, picture in enumerate(truth)}
    return [known.get(picture.tobytes()) for picture in out]


@pytest.mark.parametrize("order", list(FieldOrder))
@pytest.mark.parametrize("rounds", [(2, 3), (2, 3, 3, 2)])
def test_clean_film_comes_back_to_the_last_sample(tmp_path: Path, rounds: tuple[int, ...], order: FieldOrder) -> None:
    pictures = programme_frames(75, width=352, height=288, seed=4)
    path, reading = _made(tmp_path, pulled_down(pictures, rounds, order, phase=2))
    treatment = fields_treatment(reading)
    assert treatment == Treatment(steps=(Film(rate="24000/1001", order=order),))
    found = _numbers(_treated(path, reading, treatment), pictures)
    found = found[:-1] if found[-1] is None else found  # one that the end cut in two
    assert found[0] is not None
    assert found == list(range(found[0], found[0] + len(found)))
    assert len(found) >= len(pictures) - 3
    assert TreatedFrames(path, reading, treatment).format.rate == FILM


@pytest.mark.parametrize(
    ("rounds", "rate", "film"),
    [
        ((2,), Fraction(60000, 1001), VIDEO), ((2, 3), Fraction(60000, 1001), FILM), ((1, 1, 1, 2), Fraction(30), Fraction(24)),
        ((2,), Fraction(50), Fraction(25)), ((1,) * 23 + (2,), Fraction(25), Fraction(24)),
    ],
)  # fmt: skip
def test_repeats_go_and_every_picture_stays(tmp_path: Path, rounds: tuple[int, ...], rate: Fraction, film: Fraction) -> None:
    count = 110 if len(rounds) > 20 else 70  # one repeat in 24 shows itself only after some
    pictures = sliding_frames(count, width=352, height=288)
    path, reading = _made(tmp_path, repeated(pictures, rounds), rate)
    treatment = fields_treatment(reading)
    assert treatment.output_rate(rate) == film
    found = _numbers(_treated(path, reading, treatment), pictures)
    assert found == list(range(len(found)))
    assert len(found) in {count - 1, count}  # 114 frames at 25 last 109.4 pictures at 24


def _joined(pieces: int, seed: int) -> tuple[list[Luma], list[Luma]]:
    """Pieces of film joined at random places of their rounds."""
    chance = np.random.default_rng(seed)
    frames: list[Luma] = []
    truth: list[Luma] = []
    for number in range(pieces):
        pictures = programme_frames(40, width=352, height=288, seed=20 + number)
        frames += pulled_down(pictures, (2, 3), FieldOrder.TFF, phase=int(chance.integers(0, 5)))
        truth += pictures
    return frames, truth


def test_joins_at_any_phase_cost_a_picture_each_and_no_time(tmp_path: Path) -> None:
    """Findings: 193 of 195 exact over eight joins. Here 40 pictures a piece; at most one in doubt for each join."""
    frames, truth = _joined(5, 3)
    path, reading = _made(tmp_path, frames)
    out = TreatedFrames(path, reading, fields_treatment(reading))
    found = _numbers([luma(frame).copy() for frame in out], truth)
    assert found.count(None) <= 5
    kept = [number for number in found if number is not None]
    assert kept == sorted(kept)
    assert len(truth) - len(set(kept)) <= 10
    # In step: each picture stands where the take shows it, within a frame.
    assert abs(len(found) - len(frames) * 4 / 5) <= 1
    assert out.told.interpolated + out.told.mended <= 8


def test_lost_frames_leave_the_film_in_step(tmp_path: Path) -> None:
    """A recorder lost seven frames in the middle: what comes after keeps its time."""
    pictures = programme_frames(120, width=352, height=288, seed=4)
    frames = pulled_down(pictures, (2, 3), FieldOrder.TFF)
    stamps = [number for number in range(len(frames)) if not 70 <= number < 77]
    path, reading = _made(tmp_path, [frames[number] for number in stamps], stamps=stamps)
    assert reading.rate.missing_frames == 7
    found = _numbers(_treated(path, reading, fields_treatment(reading)), pictures)
    assert abs(len(found) - 120) <= 1
    late = [number - place for place, number in enumerate(found) if number is not None and place > 70]
    assert late
    assert max(abs(one) for one in late) <= 1


@given(st.data())
def test_pictures_are_counted_as_they_are_numbered(data: st.DataObject) -> None:
    """Any sequence of rounds, each begun anywhere."""
    keys = [pattern.key for pattern in PATTERNS] + ["1 in 25", "of another version"]
    lengths = data.draw(st.lists(st.integers(1, 40), min_size=1, max_size=8))
    starts = [sum(lengths[:number]) for number in range(len(lengths))]
    runs = tuple((start, data.draw(st.sampled_from(keys)), data.draw(st.integers(0, 30))) for start in starts)
    cadence = Cadence(sum(lengths), VIDEO, data.draw(st.sampled_from(list(FieldOrder))), runs, ())
    pictures, of_frame = pictures_of(cadence)
    assert picture_count(cadence) == len(pictures)
    assert len(of_frame) == cadence.frames
    assert sum(picture.count for picture in pictures) == 2 * cadence.frames, "every field belongs to one picture"
    assert all(picture.frames for picture in pictures)
    assert [picture.field for picture in pictures] == sorted(picture.field for picture in pictures)


@given(st.data())
def test_what_is_shown_stays_in_step_with_the_take_whatever_it_is(data: st.DataObject) -> None:
    """Also where a person asks for film of a take that is none, or mostly none: it may not run slow, fast or away from its sound."""
    keys = [pattern.key for pattern in PATTERNS] + ["1 in 25"]
    lengths = data.draw(st.lists(st.integers(1, 200), min_size=1, max_size=6))
    starts = [sum(lengths[:number]) for number in range(len(lengths))]
    runs = tuple((start, data.draw(st.sampled_from(keys)), data.draw(st.integers(0, 30))) for start in starts)
    taken = data.draw(st.sampled_from([VIDEO, 2 * VIDEO, Fraction(25), Fraction(50)]))
    rate = data.draw(st.sampled_from([FILM, Fraction(24), Fraction(25)]))
    cadence = Cadence(sum(lengths), taken, FieldOrder.TFF, runs, ())
    plan = plan_film(cadence, rate)
    assert len(plan.shown) == max(1, round(cadence.frames * rate / taken))
    strays = [plan.pictures[number].field * rate / (2 * taken) - tick for tick, number in enumerate(plan.shown)]
    # To two pictures, and to as long as the take itself gives no newer one.
    ends = [*(picture.field for picture in plan.pictures[1:]), 2 * cadence.frames]
    held = [(ends[number] - plan.pictures[number].field) * rate / (2 * taken) for number in plan.shown]
    assert all(abs(stray) <= 2 + last for stray, last in zip(strays, held, strict=True))
    assert list(plan.shown) == sorted(plan.shown)


def test_a_picture_that_the_take_holds_on_to_is_held_on_to() -> None:
    """Not the one before it, which it overtook; found by the test above once in some thousand takes."""
    cadence = Cadence(11, VIDEO, FieldOrder.TFF, ((0, "progressive", 0), (4, "progressive", 0), (5, "nrrr", 3)), ())
    assert plan_film(cadence, FILM).shown == (0, 1, 2, 3, 4, 5, 6, 6, 7)


def test_a_mixed_take_keeps_film_exact_and_video_in_motion(tmp_path: Path) -> None:
    film, video = programme_frames(64, width=352, height=288, seed=4), sliding_frames(100, width=352, height=288)
    frames = interlace(video, FieldOrder.TFF) + pulled_down(film, (2, 3), FieldOrder.TFF, phase=2) + interlace(video, FieldOrder.TFF)
    path, reading = _made(tmp_path, frames)
    treatment = fields_treatment(reading)
    assert treatment == Treatment(steps=(Film(order=FieldOrder.TFF),))
    out = _treated(path, reading, treatment)
    assert len(out) == 2 * len(frames)
    shown = _numbers(out[100 : 2 * len(frames) - 100], film)
    exact = [number for number in shown if number is not None]
    assert len(exact) >= 0.9 * len(shown)
    assert exact == sorted(exact)
    assert {exact.count(number) for number in set(exact[8:-8])} <= {2, 3}  # each lasts two or three fields
    ours = [luma(frame) for frame in TreatedFrames(path, reading, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF), range(20, 60))]
    assert all(np.array_equal(one, two) for one, two in zip(ours, out[20:60], strict=True))


@pytest.mark.parametrize("frames", [1, 2])
def test_the_shortest_mixed_take_has_both_its_fields(tmp_path: Path, frames: int) -> None:
    path, reading = _made(tmp_path, programme_frames(frames, width=352, height=288, seed=4))
    assert len(_treated(path, reading, Treatment(steps=(Film(order=FieldOrder.TFF),)))) == 2 * frames
    apart = Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF).having(Fade(fade_in=0.2, fade_out=0))
    assert len(_treated(path, reading, apart)) == 2 * frames, "also where another step stands between the fields and the rate"


def test_progressive_parts_of_a_mixed_take_stay_as_sharp_as_they_were(tmp_path: Path) -> None:
    still, video = programme_frames(70, width=352, height=288, seed=5), sliding_frames(80, width=352, height=288)
    path, reading = _made(tmp_path, interlace(video, FieldOrder.TFF) + still + interlace(video, FieldOrder.TFF))
    treatment = fields_treatment(reading)
    assert treatment == Treatment(steps=(Film(order=FieldOrder.TFF),)), reading.scan.segments
    first = len(video) // 2
    out = _treated(path, reading, treatment)
    shown = _numbers(out[2 * first : 2 * (first + len(still))], still)
    assert shown[20:-20] == [number for number in range(len(still)) for _ in (0, 1)][20:-20]
    whole = _treated(path, reading, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    assert all(np.array_equal(one, two) for one, two in zip(whole[4 : 2 * first - 8], out[4 : 2 * first - 8], strict=True))
    # The reading calls interlaced frames progressive: what shows combing is deinterlaced all the same, unless a person says so.
    parts = [one.model_copy(update={"kind": "progressive"}) for one in reading.scan.segments]
    misled = reading.model_copy(update={"scan": reading.scan.model_copy(update={"segments": parts})})
    again = TreatedFrames(path, misled, treatment, range(10, 2 * first - 10))
    assert all(np.array_equal(luma(one), two) for one, two in zip(again, out[10 : 2 * first - 10], strict=True))
    assert again.told.mended > 0
    said = treatment.having(Film(order=FieldOrder.TFF, parts=(FilmPart(start=0, kind="progressive"),)))
    frames = [luma(frame).copy() for frame in TreatedFrames(path, reading, Treatment())]
    assert all(np.array_equal(one, frames[number // 2]) for number, one in enumerate(_treated(path, reading, said)))


def test_borders_of_parts_are_moved_by_hand_to_the_frame(tmp_path: Path) -> None:
    film, video = programme_frames(64, width=352, height=288, seed=4), sliding_frames(60, width=352, height=288)
    path, reading = _made(tmp_path, pulled_down(film, (2, 3), FieldOrder.TFF) + interlace(video, FieldOrder.TFF))
    plain = Treatment(steps=(Film(order=FieldOrder.TFF),))
    found = _treated(path, reading, plain)
    fields = _treated(path, reading, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    on = OnTime(plain, reading)
    border = next(one for one in on.handles if one.kind == "part")
    earlier = on.moved(border, 30 / float(VIDEO))
    assert OnTime(earlier, reading).parts[1].start == pytest.approx(30 / float(VIDEO), abs=1e-5)
    out = _treated(path, reading, earlier)
    assert all(np.array_equal(one, two) for one, two in zip(out[:60], found[:60], strict=True))
    assert all(np.array_equal(one, two) for one, two in zip(out[60:], fields[60:], strict=True))
    assert not all(np.array_equal(one, two) for one, two in zip(found[60:120], fields[60:120], strict=True))
    _same_in_parts(path, reading, earlier)
    back = OnTime(earlier, reading)
    again = back.moved(next(one for one in back.handles if one.kind == "part"), border.seconds)
    assert all(np.array_equal(one, two) for one, two in zip(_treated(path, reading, again), found, strict=True))
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, earlier, recipe_for("h264", 26, speed="ultrafast")), SilentReporter())
    assert made.verified, made.checks
    # What was kept before parts could be set by hand is known by the same digest and read again.
    assert "parts" not in plain.model_dump_json()
    assert Treatment.model_validate_json(earlier.model_dump_json()) == earlier
    assert earlier.digest != plain.digest
    with pytest.raises(ValidationError):
        Film(order=FieldOrder.TFF, parts=(FilmPart(start=1, kind="film"),))


@pytest.mark.parametrize("kind", ["film", "parts", "repeats"])
def test_a_stretch_is_the_same_part_of_the_whole(tmp_path: Path, kind: str) -> None:
    frames, _ = _joined(3, 8)
    rate: Fraction = VIDEO
    if kind == "parts":
        frames = interlace(sliding_frames(80, width=352, height=288), FieldOrder.TFF) + frames
    if kind == "repeats":
        frames, rate = repeated(sliding_frames(60, width=352, height=288), (2, 3)), Fraction(60000, 1001)
    path, reading = _made(tmp_path, frames, rate)
    treatment = fields_treatment(reading)
    assert treatment.get(Film) is not None
    halved = treatment.having(RateCap(each=2))  # it asks the step before it for other frames than it gives
    for some in (halved, treatment):
        _same_in_parts(path, reading, some)


def _same_in_parts(path: Path, reading: Reading, treatment: Treatment) -> None:
    whole = _treated(path, reading, treatment)
    assert len(whole) == Timing.of(reading, treatment).frames
    for first, end in ((0, 7), (11, 12), (len(whole) // 3, 2 * len(whole) // 3), (len(whole) - 9, len(whole))):
        some = _treated(path, reading, treatment, range(first, end))
        assert len(some) == end - first
        assert all(np.array_equal(one, two) for one, two in zip(some, whole[first:end], strict=True)), (first, end)


def test_film_is_not_promised_where_the_frames_do_not_show_it(tmp_path: Path) -> None:
    """A person says film where there is none, an old or a quick reading keeps no cadence: the fields are left alone."""
    _, reading = _made(tmp_path, interlace(sliding_frames(80, width=352, height=288), FieldOrder.TFF))
    said = reading.model_copy(update={"scan": reading.scan.model_copy(update={"kind": "film_2_3"})})
    assert fields_treatment(said).leaves_fields
    frames, _ = _joined(1, 1)
    (tmp_path / "film").mkdir()
    _, film = _made(tmp_path / "film", frames)
    assert fields_treatment(film).get(Film) is not None
    for old in (
        film.model_copy(update={"scan": film.scan.model_copy(update={"runs": []})}), film.model_copy(update={"mode": "quick"}),
        film.model_copy(update={"rate": film.rate.model_copy(update={"missing_frames": 9})}),
    ):  # fmt: skip
        assert fields_treatment(old).leaves_fields
        assert "in full" in fields_advice(old).reason


def test_a_weave_against_the_cadence_is_mended(tmp_path: Path) -> None:
    """The reading is wrong about the phase of a stretch: its pictures would be combed; most are found beside their place."""
    pictures = sliding_frames(60, width=352, height=288, speed=3.0)
    path, reading = _made(tmp_path, pulled_down(pictures, (2, 3), FieldOrder.TFF))
    first, key, place = reading.scan.runs[0]
    wrong = [(first, key, place), (25, key, (place + 25 + 3) % 5), (40, key, (place + 40) % 5)]
    misled = reading.model_copy(update={"scan": reading.scan.model_copy(update={"runs": wrong})})
    treatment = Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF),))
    out = TreatedFrames(path, misled, treatment)
    found = _numbers([luma(frame).copy() for frame in out], pictures)
    assert out.told.mended > 0
    assert found.count(None) <= 6
    assert plan_film(cadence_of(misled), FILM).rate == FILM


@pytest.mark.parametrize("kind", ["yuv420p", "nv12", "bgr0", "yuyv422", "yuv422p10le", "gray"])
def test_weaving_takes_whole_lines_of_any_format(kind: str) -> None:
    """Packed formats hold several components in a plane; a quarter of each line was taken."""
    one, two = (av.VideoFrame(98, 64, "yuv444p") for _ in range(2))
    for frame, seed in ((one, 1), (two, 2)):
        for plane in frame.planes:
            plane_samples(plane)[...] = np.random.default_rng(seed).integers(16, 235, (64, 98))
    first, second = one.reformat(format=kind), two.reformat(format=kind)
    made = weave(first, second).reformat(format="yuv444p").to_ndarray()
    a, b = (frame.reformat(format="yuv444p").to_ndarray() for frame in (first, second))
    if kind not in {"yuv420p", "nv12"}:  # chroma of two lines is one there
        assert np.array_equal(made[:, 0::2], a[:, 0::2])
        assert np.array_equal(made[:, 1::2], b[:, 1::2])
    assert np.array_equal(made[0, 0::2], a[0, 0::2])


def test_noise_and_single_fields_do_no_harm(tmp_path: Path) -> None:
    pictures = programme_frames(60, width=352, height=288, seed=4)
    frames = noisy(pulled_down(pictures, (2, 3), FieldOrder.BFF, phase=1), 4.0)
    path, reading = _made(tmp_path, frames)
    out = TreatedFrames(path, reading, fields_treatment(reading))
    made = [luma(frame).astype(int) for frame in out]
    errors = [min(float(np.abs(one - picture.astype(int)).mean()) for picture in pictures) for one in made]
    assert max(errors) < 5  # noise of 4 is 3.2 on average; a wrong weave is 10 and more
    assert out.told.mended == 0
    only = _treated(path, reading, Treatment.of_fields(Deinterlace.COMBED, FieldOrder.BFF))
    assert len(only) == len(frames)
    same = [np.array_equal(one, two) for one, two in zip(only, frames, strict=True)]
    assert 0.4 * len(frames) < sum(same) < 0.75 * len(frames)  # three in five frames of film are whole
    assert Fields(mode=Deinterlace.COMBED, order=FieldOrder.BFF).reach == 2


def test_film_without_a_cadence_is_refused_with_what_to_do(tmp_path: Path) -> None:
    """A quick reading, and a treatment that came from elsewhere."""
    path = write_clip(tmp_path / "a.mkv", sliding_frames(60, width=176, height=144), rate=VIDEO, codec="rawvideo")
    reading = read(ReadRequest(path, mode="quick"), SilentReporter())
    quick = recipe_for("h264", 26, speed="ultrafast")
    for step in (Film(rate="24000/1001", order=FieldOrder.TFF), Film(order=FieldOrder.TFF)):
        treatment = Treatment(steps=(step,))
        with pytest.raises(WrongUseError, match="this reading keeps none"):
            list(TreatedFrames(path, reading, treatment))
        with pytest.raises(WrongUseError, match="this reading keeps none"):
            make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, treatment, quick), SilentReporter())
