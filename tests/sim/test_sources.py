"""Every simulated source gives what its kind of carrier gives, the same every time, with the catches it is there for."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.clocked import FrameClock
from yomikomi.core.video.colour import BT709, BT2020_PQ
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import SourceEnded
from yomikomi.core.video.standards import FieldOrder
from yomikomi.demo import scenario
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.catalogue import CATALOGUE, Wanted
from yomikomi.sim.faulty import Faults, FaultySpec
from yomikomi.sim.feed import FeedSpec, _film_picture
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.registry import simulated_source
from yomikomi.sim.synctest import SyncTestSpec

_NOW = Wanted(seed=4, seconds=0.2, real_time=False)
_EXPECTED = {
    "vhs": (720, 480, FieldOrder.BFF, 8, 1), "vhs-corrected": (720, 480, FieldOrder.BFF, 8, 1), "video8": (720, 576, FieldOrder.BFF, 8, 1),
    "laserdisc": (720, 480, FieldOrder.BFF, 8, 1), "camera": (1920, 1080, FieldOrder.TFF, 8, 2),
    "camera-marks": (1920, 1080, FieldOrder.TFF, 8, 2), "console": (1920, 1080, None, 8, 3), "console-protected": (1920, 1080, None, 8, 2),
    "hdr": (1920, 1080, None, 10, 2), "raw": (1920, 1080, None, 10, 0), "synctest": (720, 480, FieldOrder.BFF, 8, 1),
    "clap": (720, 480, FieldOrder.BFF, 8, 1), "bars": (720, 480, FieldOrder.BFF, 8, 2),
}  # fmt: skip


@pytest.mark.parametrize("name", CATALOGUE)
def test_a_source_of_each_kind_delivers_what_it_says(name: str) -> None:
    source = CATALOGUE[name].make(_NOW).open()
    form = source.format
    standard = form.standard
    assert (standard.width, standard.height, form.field_order, form.bits, form.sound_channels) == _EXPECTED[name]
    first, sound = source.read()
    second, more = source.read()
    assert (first.number, second.number) == (0, 1)
    assert first.y.shape == (standard.height, standard.width)
    assert first.u.shape == first.v.shape == (standard.height, standard.width // 2)
    assert first.y.dtype == (np.uint8 if form.bits == 8 else np.uint16)
    assert sound.samples.shape == (form.first_sample(1), form.sound_channels)
    assert more.start == sound.start + len(sound.samples)
    assert second.stamp_us is not None
    assert second.stamp_us == pytest.approx(1e6 / float(standard.rate), abs=1)
    again, _ = CATALOGUE[name].make(_NOW).open().read()
    assert np.array_equal(first.y, again.y), "the same seed gives the same picture"
    with pytest.raises(SourceEnded):
        for _ in range(20):
            source.read()


def test_the_catches_are_there() -> None:
    made = {name: CATALOGUE[name].make(_NOW).open() for name in CATALOGUE}
    clean, marked = made["camera"].read()[0], made["camera-marks"].read()[0]
    assert np.mean(clean.y != marked.y) > 0.001, "information in the picture"
    protected, silence = made["console-protected"].read()
    assert set(np.unique(protected.y)) == {16}
    assert not silence.samples.any()
    assert [track.name for track in made["console"].format.tracks] == ["programme", "commentary"]
    assert made["laserdisc"].format.geometry.shape_words == "16:9"
    deep = made["hdr"].read()[0]
    assert made["hdr"].format.standard.colour == BT2020_PQ
    side = (1920 - 1080 * 3 // 2) // 2
    assert set(np.unique(deep.y[:, : side - 2])) == {64}
    assert deep.y[:, side + 8 : 1900 - side].std() > 10
    raw = CATALOGUE["raw"].make(replace(_NOW, seconds=None)).open()
    with pytest.raises(SourceLostError, match="after 10 s"):
        raw_read = itertools.repeat(None)
        source = OnPathSpec(FeedSpec(160, 128, Fraction(24), real_time=False), Delivery(stops_after=10.0)).open()
        for _ in raw_read:
            source.read()
    assert raw.format.tracks == ()


def test_film_lies_in_fields_as_two_and_three() -> None:
    """2:3 pulldown: of every five frames two hold fields of different film pictures (SMPTE RP 197, from memory); the fields of a
    repeated picture are the same."""
    assert [_film_picture(unit, Fraction(60000, 1001)) for unit in range(12)] == [0, 0, 1, 1, 1, 2, 2, 3, 3, 3, 4, 4]
    assert [_film_picture(unit, Fraction(24000, 1001)) for unit in range(4)] == [0, 1, 2, 3]
    source = FeedSpec(320, 240, Fraction(30000, 1001), interlaced=True, cadence="film", seed=3, mixture="lively", real_time=False).open()
    frames = [source.read()[0].y for _ in range(10)]
    top_same = [bool(np.array_equal(a[0::2], b[0::2])) for a, b in itertools.pairwise(frames)]
    bottom_same = [bool(np.array_equal(a[1::2], b[1::2])) for a, b in itertools.pairwise(frames)]
    assert top_same == [False, True, False, False, False, False, True, False, False]
    assert bottom_same == [False, False, False, True, False, False, False, False, True]


def test_a_camera_whose_sound_is_early_hears_the_future() -> None:
    plain, early = (FeedSpec(160, 128, Fraction(25), seed=6, real_time=False, sound_lead_ms=lead).open() for lead in (0, 220))
    shift = round(0.22 * 48_000)
    assert np.array_equal(early.sound.samples(1000, 5000), plain.sound.samples(1000 + shift, 5000))
    late = FeedSpec(160, 128, Fraction(25), seed=6, real_time=False, sound_lead_ms=-100).open()
    assert not late.sound.samples(0, 4800).any()


@pytest.mark.parametrize(("how", "channels", "mixed"), [("own", 3, False), ("mixed", 2, True), ("none", 2, False), ("off", 2, False)])
def test_a_path_keeps_a_commentary_apart_mixes_it_in_or_loses_it(how: str, channels: int, mixed: bool) -> None:
    feed = FeedSpec(160, 128, Fraction(25), seed=6, real_time=False, commentary=True, seconds=1)
    source = OnPathSpec(feed, Delivery(commentary=how)).open()  # type: ignore[arg-type]
    assert source.format.sound_channels == channels
    samples = source.read()[1].samples
    whole = feed.open().read()[1].samples
    assert np.array_equal(samples[:, :2], whole[:, :2]) != mixed
    if mixed:
        assert np.array_equal(samples[:, 0], np.clip(whole[:, 0].astype(int) + whole[:, 2], -32768, 32767))
    hushed = OnPathSpec(feed, Delivery(commentary="own", sound="none")).open().read()[1].samples
    assert not hushed[:, :2].any()
    assert hushed[:, 2].any(), "who speaks is heard all the same"


def test_a_path_does_to_ten_bits_what_it_does_to_eight() -> None:
    deep = FeedSpec(160, 128, Fraction(25), seed=6, real_time=False, hdr=True)
    blue = OnPathSpec(deep, Delivery(picture="blue")).open().read()[0]
    assert (int(blue.y[0, 0]), int(blue.u[0, 0]), int(blue.v[0, 0])) == (41 * 4, 240 * 4, 110 * 4)
    plain = OnPathSpec(deep, Delivery()).open().read()[0]
    assert np.array_equal(plain.y, deep.open().read()[0].y), "what nothing is done to keeps all its bits"


def test_faults_are_those_that_were_asked_for() -> None:
    spec = FeedSpec(160, 128, Fraction(25), seed=2, seconds=2, real_time=False)
    plain = [picture.y for picture, _ in _all(FaultySpec(spec))]
    lost = _all(FaultySpec(spec, Faults(lost=frozenset({5, 6}))))
    assert [picture.number for picture, _ in lost] == [n for n in range(50) if n not in {5, 6}]
    assert sum(len(sound.samples) for _, sound in lost) == 96_000, "a gap in pictures is none in sound"
    swallowed = _all(FaultySpec(spec, Faults(swallowed=frozenset({5, 6}))))
    assert [picture.number for picture, _ in swallowed] == list(range(48))
    assert np.array_equal(swallowed[5][0].y, plain[7])
    repeated = _all(FaultySpec(spec, Faults(repeated=frozenset({9}))))
    assert np.array_equal(repeated[9][0].y, plain[8])
    assert np.array_equal(repeated[10][0].y, plain[10])
    fast = _all(FaultySpec(spec, Faults(sound_ppm=10_000)))
    assert sum(len(sound.samples) for _, sound in fast) == pytest.approx(96_960, abs=2)
    assert all(one.start + len(one.samples) == two.start for (_, one), (_, two) in itertools.pairwise(fast))
    shaky = _all(FaultySpec(spec, Faults(jitter_us=500)))
    off = [picture.stamp_us - picture.number * 40_000 for picture, _ in shaky]  # type: ignore[operator]
    assert 200 < np.std(off) < 900
    scattered = Faults.scattered("repeated", frames=400, count=12, seed=1).repeated
    assert len(scattered) == 12
    assert min(b - a for a, b in itertools.pairwise(sorted(scattered))) >= 12


def _all(spec: FaultySpec) -> list:  # type: ignore[type-arg]
    source, items = spec.open(), []
    while True:
        try:
            items.append(source.read())
        except SourceEnded:
            return items


def test_a_box_holds_some_frames_and_then_loses_them() -> None:
    now = [100.0]
    clock = FrameClock(Fraction(25), now=lambda: now[0])
    assert clock.next_held(0) == 0
    now[0] += 0.2
    assert clock.next_held(1) == 1, "held for who is a little late"
    now[0] += 2.0
    assert clock.next_held(2) == 55 - 8
    # A source that is slow itself loses nothing: it runs slower.
    slow = FrameClock(Fraction(25), now=lambda: now[0])
    slow.next_held(0)
    began = now[0]
    now[0] += 1.0
    slow.wait_for(1, began)
    assert slow.next_held(2) == 2


def test_the_record_keeps_what_a_source_is() -> None:
    for spec in (scenario.K001, scenario.K002, scenario.K005, scenario.K006, scenario.K007, scenario.K008):
        again = simulated_source(spec.to_json(), real_time=spec.real_time)
        assert again == spec
    assert simulated_source({"kind": "disc title"}, real_time=True) is None
    assert scenario.K006.open().format.standard.colour == BT709
    assert simulated_source(scenario.K006.to_json(), real_time=False) == replace(scenario.K006, real_time=False)


def test_test_signals_tell_what_was_put_in() -> None:
    truth = SyncTestSpec(offset_ms=30, seconds=5).truth()
    assert truth["offset_ms"] == 30
    assert len(truth["events"]) == 4
    period = np.diff(truth["events"])
    for rate in (25, 30000 / 1001, 60000 / 1001, 50):
        assert abs(period[0] * rate - round(period[0] * rate)) > 0.02, "no whole number of frames"
    claps = SyncTestSpec("clap", seconds=20).truth()["events"]
    assert np.std(np.diff(claps)) > 0.1, "nobody claps like a clock"
    assert SyncTestSpec("none", seconds=5).truth()["events"] == []
    assert BarsSpec(lift=3).truth()["lift"] == 3
