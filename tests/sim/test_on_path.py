"""The simulation obeys the path: what the trace predicts is what a look at the pictures and the sound measures.

Every symptom is measured on the delivered frames and samples themselves, against the same source over a faultless path.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from tests.path.cases import CASES, setting_case, setting_cases
from yomikomi.core.capture.look import LookRequest, _rolls, look_at
from yomikomi.core.capture.proof import prove
from yomikomi.core.errors import SourceLostError
from yomikomi.core.path.sheet import make_sheet
from yomikomi.core.path.structure import Setup
from yomikomi.core.path.trace import trace
from yomikomi.core.video.delivery import SYMPTOMS, Delivery, symptoms_of
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceFormat
from yomikomi.core.work import SilentReporter
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound

_FRAMES, _FRAMES_FOR_SOUND = 16, 45
_MORE = 15  # frames that the clean sound goes on, so that what comes early is in it
# What nobody can see in the frames that are recorded: it happens at a screen, in headphones, on another track.
_ELSEWHERE = {"screen late", "screen dark", "ears late", "ears deaf", "commentary mixed", "commentary none"}
_OF_TIME = {"drift", "sound early", "sound late"}
# What the tape itself has, whatever the path.
_OF_THE_TAPE = {"band"}


@dataclass(frozen=True)
class Got:
    """Frames and sound as they arrived."""

    format: SourceFormat
    pictures: tuple[Picture, ...]
    sound: NDArray[np.int16]
    ended_at: int | None

    @property
    def y(self) -> NDArray[np.float32]:
        return np.stack([one.y for one in self.pictures]).astype(np.float32)

    @property
    def chroma(self) -> NDArray[np.float32]:
        return np.stack([np.stack([one.u, one.v]) for one in self.pictures]).astype(np.float32) - 128


def _take(spec: OnPathSpec, frames: int = _FRAMES) -> Got:
    source = spec.open()
    pictures, sounds, ended = [], [], None
    try:
        while not pictures or pictures[-1].number < frames - 1:
            picture, sound = source.read()
            pictures.append(picture)
            sounds.append(sound.samples)
    except SourceLostError:
        ended = pictures[-1].number + 1 if pictures else 0
    source.close()
    whole = np.concatenate(sounds)[:, 0] if sounds else np.zeros(0, np.int16)
    return Got(source.format, tuple(pictures), whole, ended)


@lru_cache(maxsize=2)
def _faultless(frames: int = _FRAMES) -> Got:
    return _take(OnPathSpec(_FEED, Delivery()), frames + (_MORE if frames > _FRAMES else 0))


_FEED = FeedSpec(480, 280, Fraction(30000, 1001), interlaced=True, seed=3, mixture="lively", real_time=False)
_TAPE = TapePlayerSpec(seed=3, mixture="lively", real_time=False)


class _Replay:
    """The faultless frames again, as a player: drawn once for all tests."""

    def __init__(self, frames: int) -> None:
        self._frames = frames

    def open(self) -> _Replay:
        clean = _faultless(self._frames)
        self.format, self.sound, self._left = clean.format, ProgrammeSound(_FEED.seed), list(clean.pictures)
        return self

    def read(self) -> tuple[Picture, SoundBlock]:
        if not self._left:
            raise SourceEnded
        picture = self._left.pop(0)
        start, end = (int(SAMPLE_RATE * frame / _FEED.rate) for frame in (picture.number, picture.number + 1))
        return picture, SoundBlock(start, self.sound.samples(start, end - start))

    def close(self) -> None:
        self._left = []


@lru_cache(maxsize=64)
def _measured_over(delivery: Delivery) -> frozenset[str]:
    """What is seen and heard of the faultless source over a path that delivers so."""
    frames = _FRAMES_FOR_SOUND if _OF_TIME & symptoms_of(delivery) else _FRAMES
    got = _take(OnPathSpec(_Replay(frames), delivery), frames)
    return frozenset(measured(got, _faultless(frames)))


def measured(got: Got, clean: Got) -> set[str]:
    """The symptoms that the frames and samples show."""
    if not got.pictures:
        return {"no picture", *(() if got.sound.size else {"no sound"})}
    seen = _sound_symptoms(got, clean) | ({"stops"} if got.ended_at is not None else set())
    numbers = [one.number for one in got.pictures]
    spread = np.percentile(got.y, 99) - np.percentile(got.y, 1)
    if spread < 4:
        return seen | ({"blue"} if got.chroma[:, 0].mean() > 60 else {"black"})
    if numbers != list(range(numbers[0], numbers[-1] + 1)):
        seen.add("drops")
    if _rolls(list(got.pictures)):
        return seen | {"torn"}
    return seen | _picture_symptoms(got, clean)


def _picture_symptoms(got: Got, clean: Got) -> set[str]:
    seen = set()
    kept = [index for index, one in enumerate(clean.pictures) if one.number in {two.number for two in got.pictures}]
    # Every fourth frame says as much as all of them.
    y, reference, chroma, was = got.y[::4], clean.y[kept][::4], got.chroma[::4], clean.chroma[kept][::4]
    slope, start = _levels(_blocks(y), _blocks(reference), _blocks(was))
    if slope < 0.93:
        seen.add("washed out")
    elif slope > 1.07:
        seen.add("crushed")
    y = (y - start) / slope  # what follows is not about levels
    if float(np.median(np.abs(_blocks(chroma) - _blocks(was) * (slope if seen else 1)))) > 0.6:
        seen.add("wrong colours")
    error = y - reference
    rows = np.abs(error).mean(axis=2)
    if np.sort(rows, axis=1)[:, -20:].mean() > 30 and np.median(rows) < 6 * (1 + np.median(rows.min(axis=1))):
        seen.add("noise bars")
    apart, stood = (np.abs(one[:, 0::2] - one[:, 1::2]).mean() for one in (y, reference))
    blur, kept_fields = _fields_kept(y, reference)
    if apart < 0.25 * stood:
        seen.add("double")
        blur = np.abs(np.diff(y, axis=2)).mean() < 0.7 * np.abs(np.diff(reference, axis=2)).mean()
    elif not kept_fields:
        seen.add("comb")
    if _bright_drawing(error) and "noise bars" not in seen:
        seen.add("marks")
    if blur:
        seen.add("soft")
    if _carrier(error) > 4 and "noise bars" not in seen:
        seen.add("crawl")
    if got.format.sample_aspect != clean.format.sample_aspect:
        seen.add("stretched")
    if got.format.field_order is not clean.format.field_order:
        seen.add("back and forth")
    return seen


def _blocks(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Means of 20 × 20 samples: what does not change when detail does."""
    *first, lines, columns = planes.shape
    cut = planes[..., : lines // 20 * 20, : columns // 20 * 20]
    return cut.reshape(*first, lines // 20, 20, columns // 20, 20).mean(axis=(-3, -1))


def _levels(got: NDArray[np.float32], reference: NDArray[np.float32], colour: NDArray[np.float32]) -> tuple[float, float]:
    """The straight line between two pictures' brightness, apart from what colour adds to it; found on the blocks that agree."""
    chroma = np.repeat(colour, 2, axis=-1)[..., : reference.shape[-1]]
    parts = np.stack([reference.ravel(), chroma[:, 0].ravel(), chroma[:, 1].ravel(), np.ones(reference.size)], axis=1)
    values, near = got.ravel(), np.ones(got.size, bool)
    for _ in range(6):
        found = np.linalg.lstsq(parts[near], values[near], rcond=None)[0]
        miss = np.abs(values - parts @ found)
        near = miss <= max(0.5, float(np.median(miss)))
    return float(found[0]), float(found[3])


def _fields_kept(y: NDArray[np.float32], reference: NDArray[np.float32]) -> tuple[bool, bool]:
    """Whether lines were smoothed along themselves; and whether a field still holds nothing of the other field.

    Every line is explained by the clean line of its place and by the clean lines around it, which belong to the other field:
    their share is none where fields are kept.
    """
    detail, had = (np.abs(np.diff(one, axis=2)).mean() for one in (y, reference))
    smooth = bool(detail < 0.8 * had)
    reference = np.asarray(uniform_filter1d(reference, 5, axis=2)) if smooth else reference
    own, around, seen = reference[:, 2:-2:2], (reference[:, 1:-3:2] + reference[:, 3:-1:2]) / 2, y[:, 2:-2:2]
    moving = np.abs(own - around) > 8
    parts = np.stack([own[moving], around[moving], np.ones(int(moving.sum()), np.float32)], axis=1)
    share = np.linalg.lstsq(parts, seen[moving], rcond=None)[0]
    return smooth, bool(share[1] < 0.12)


def _bright_drawing(error: NDArray[np.float32]) -> bool:
    """Something bright stands still where it was not, in every frame."""
    still = error.min(axis=0) > 25
    return 100 < int(still.sum()) < 0.2 * still.size


def _carrier(error: NDArray[np.float32]) -> float:
    """How far the error at the colour carrier stands above its neighbourhood, along lines."""
    spectrum = np.abs(np.fft.rfft(error, axis=2)).mean(axis=(0, 1))
    place = round(error.shape[2] / 3.77)
    around = np.concatenate([spectrum[place - 30 : place - 12], spectrum[place + 12 : place + 30]])
    return float(spectrum[place - 3 : place + 4].max() / max(1.0, float(np.median(around))))


def _sound_symptoms(got: Got, clean: Got) -> set[str]:
    heard = got.sound.astype(np.float64)
    if not np.abs(heard).max(initial=0):
        return {"no sound"}
    before = clean.sound.astype(np.float64)
    count = min(len(heard), len(before))
    gain = float(np.sqrt(np.mean(heard[:count] ** 2)) / np.sqrt(np.mean(before[:count] ** 2)))
    seen = {"distorted"} if gain > 2 and np.mean(np.abs(heard) >= 32767) > 1e-3 else {"quiet"} if gain < 0.2 else set()
    third = len(heard) // 3
    early, late = _lag(heard[:third], before), _lag(heard[-third:], before, offset=len(heard) - third)
    if abs(late - early) > 20:
        seen.add("drift")
    elif early > 480:
        seen.add("sound early")
    elif early < -480:
        seen.add("sound late")
    return seen


def _lag(piece: NDArray[np.float64], whole: NDArray[np.float64], offset: int = 0) -> int:
    """By how many samples a piece is ahead of its place in the clean sound."""
    size = 1 << (len(piece) + len(whole)).bit_length()
    cross = np.fft.rfft(whole, size) * np.conj(np.fft.rfft(piece, size))
    match = np.fft.irfft(cross / (np.abs(cross) + 1e-9 * np.abs(cross).max()), size)
    best = int(np.argmax(match))
    return (best if best < size // 2 else best - size) - offset


# -- every field of a delivery by itself

_SINGLE: dict[str, Delivery] = {
    "no picture": Delivery(picture="none"),
    "black": Delivery(picture="black"),
    "blue": Delivery(picture="blue"),
    "torn": Delivery(picture="torn"),
    "washed out": Delivery(levels="washed out"),
    "crushed": Delivery(levels="crushed"),
    "wrong colours": Delivery(colours="wrong"),
    "marks": Delivery(marks=("information", "focus squares")),
    "comb": Delivery(fields="combed"),
    "double": Delivery(fields="blended"),
    "back and forth": Delivery(order="swapped"),
    "stretched": Delivery(shape="stretched"),
    "soft": Delivery(detail="soft"),
    "crawl": Delivery(crawl=True),
    "noise bars": Delivery(noise_bars=True),
    "drops": Delivery(drops=True),
    "stops": Delivery(stops_after=0.25),
    "no sound": Delivery(sound="none"),
    "distorted": Delivery(level="hot"),
    "quiet": Delivery(level="quiet"),
    "sound early": Delivery(sound_lead_ms=220),
    "sound late": Delivery(sound_lead_ms=-200),
    "drift": Delivery(drift=True),
}


@pytest.mark.parametrize("symptom", sorted(_SINGLE))
def test_each_fault_shows_its_symptom_and_no_other(symptom: str) -> None:
    delivery = _SINGLE[symptom]
    assert symptoms_of(delivery) == {symptom}
    found = set(_measured_over(delivery))
    if symptom == "no picture":
        found -= {"no sound"}  # nothing answers at all
    if symptom == "comb":
        found -= {"soft"}  # resampling lines costs some sharpness
    assert found == {symptom}


def test_a_faultless_path_changes_nothing() -> None:
    clean = _faultless()
    player = _FEED.open()
    for picture in clean.pictures:
        original = player.picture(picture.number)
        assert np.array_equal(picture.y, original.y)
        assert np.array_equal(picture.u, original.u)
    assert measured(clean, clean) == set()


def test_a_corrector_on_the_path_steadies_the_lines() -> None:
    def unsteady(delivery: Delivery) -> float:
        got = _take(OnPathSpec(_TAPE, delivery), 4)
        player = TapePlayerSpec(seed=3, mixture="lively", real_time=False, corrector=True).open()
        return float(np.mean([np.abs(one.y.astype(float) - player.picture(one.number).y).mean() for one in got.pictures]))

    assert unsteady(Delivery(wobble=False)) == 0
    assert unsteady(Delivery(wobble=True)) > 1


# -- every rule: trace, simulate, measure, compare


def _predicted_and_measured(setup: Setup) -> tuple[set[str], set[str]]:
    delivery = trace(setup).delivery
    if delivery.stops_after is not None:  # minutes on the bench, a third of a second here
        delivery = replace(delivery, stops_after=0.3)
    predicted = set(symptoms_of(delivery)) - _ELSEWHERE - _OF_THE_TAPE - {"wobble"}
    found = set(_measured_over(delivery))
    if "no picture" in predicted:
        predicted.add("no sound")  # a source that does not answer gives neither
    return predicted, found - ({"soft"} if "comb" in predicted else set())


@pytest.mark.parametrize("rule", sorted(CASES))
def test_the_simulation_agrees_with_the_trace_of_every_rule(rule: str) -> None:
    for setup in CASES[rule]():
        predicted, found = _predicted_and_measured(setup)
        assert found == predicted - ({"soft"} if "comb" in predicted else set())


@pytest.mark.parametrize(("key", "option"), setting_cases())
def test_the_simulation_agrees_with_every_wrong_option(key: str, option: str) -> None:
    predicted, found = _predicted_and_measured(setting_case(key, option)[0])
    assert found == predicted - ({"soft"} if "comb" in predicted else set())


def test_a_short_look_tells_what_it_can_and_no_more() -> None:
    """Proving a path: the states a look can tell apart are told; what is fine is not called wrong."""
    setup = CASES["wrong input"]()[1]
    sheet = make_sheet(trace(setup))
    for state in ("there", "black", "blue", "torn", "none"):
        look = look_at(LookRequest(OnPathSpec(_TAPE, Delivery(picture=state)), 0.3), SilentReporter())  # type: ignore[arg-type]
        assert look.picture == state
        proof = prove(sheet, look, silent=False)
        assert proof.holds == (state == "there")
        assert ({"none": "no picture"}.get(state, state) in proof.seen) == (state != "there")
        assert all(sheet.path.source == piece or piece for piece, _ in proof.proven)
    good = prove(sheet, look_at(LookRequest(OnPathSpec(_TAPE, Delivery()), 0.3), SilentReporter()), silent=False)
    assert ("hd_box-1", "input") in good.proven
    assert ("hd_box-1", "range") not in good.proven, "a short look cannot show the range"
    mute = look_at(LookRequest(OnPathSpec(_TAPE, Delivery(sound="none")), 0.3), SilentReporter())
    assert prove(sheet, mute, silent=False).seen == {"no sound"}
    assert prove(sheet, mute, silent=True).holds
    for delivery, symptom in ((Delivery(level="hot"), "distorted"), (Delivery(level="quiet"), "quiet"), (Delivery(drops=True), "drops")):
        look = look_at(LookRequest(OnPathSpec(_FEED, delivery), 0.5), SilentReporter())
        assert symptom in prove(sheet, look, silent=False).seen
    assert set(SYMPTOMS) >= set(_SINGLE)
