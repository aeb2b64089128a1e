"""The scan verdicts on all of it: ``python -m bench unseen`` writes the second table of docs/reading-proof.md."""

from __future__ import annotations

import multiprocessing
import tempfile
import zlib
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

import numpy as np

from bench.unseen import forms, pictures, spoiling
from bench.unseen.forms import Form
from bench.unseen.pictures import Luma, Scene
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.work import SilentReporter

# How each is spoiled, and the codec it is kept in.
SPOILS: dict[str, tuple[Callable[[Sequence[Luma], int], list[Luma]], str]] = {
    "clean": (lambda frames, _: list(frames), "lossless"),
    "noise 3": (lambda frames, seed: spoiling.grain(frames, 3.0, seed), "lossless"),
    "noise 7": (lambda frames, seed: spoiling.grain(frames, 7.0, seed, along=0.7), "lossless"),
    "wobble": (lambda frames, seed: spoiling.wobbled(frames, 0.5, seed), "lossless"),
    "MPEG-2": (lambda frames, seed: spoiling.grain(frames, 2.0, seed), "mpeg2"),
    "H.264": (lambda frames, seed: spoiling.grain(frames, 2.0, seed), "h264"),
}
_SCENES = 4  # of each form, differing in photograph and motion
_EACH = (1, 2, 3, 4, 5, 8, 12, 24, 49)


@dataclass(frozen=True)
class Clip:
    """``kinds``: verdicts that are right, as (kind, field order); the first is what it is. ``true``: pictures a frame where told."""

    group: str
    spoil: str
    name: str
    seed: int
    kinds: tuple[tuple[str, str | None], ...]
    make: Callable[[], list[Luma]]
    fields: str | None = None
    true: str = ""


@dataclass(frozen=True)
class Outcome:
    group: str
    spoil: str
    name: str
    outcome: str
    kind: str
    claim: float
    rate_right: bool


def clips() -> Iterator[Clip]:
    """Every clip of the proof; made only when asked."""
    for spoil in SPOILS:
        yield from _forms(spoil)
        yield from _stills(spoil)
        if spoil not in {"wobble", "noise 7"}:
            yield from _rolls(spoil)
            yield from _repeats(spoil)
            yield from _real(spoil)
        yield from _mixtures(spoil)


@lru_cache(maxsize=1)
def _all() -> tuple[Clip, ...]:
    return tuple(clips())


def run(wanted: str = "") -> list[Outcome]:
    """Every clip of which the group or the way of spoiling begins with ``wanted``, read on all processors."""
    places = [at for at, clip in enumerate(_all()) if clip.group.startswith(wanted) or clip.spoil.startswith(wanted)]
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        return list(pool.map(_outcome_at, places, chunksize=4))


def _outcome_at(place: int) -> Outcome:
    return outcome(_all()[place])


def outcome(clip: Clip) -> Outcome:
    found = reading_of(clip)
    told = (found.scan.kind, found.scan.field_order)
    right = told in clip.kinds
    state = "right" if right else "undetermined" if found.scan.kind == "undetermined" else "wrong"
    true = not clip.true or found.rate.true == clip.true
    return Outcome(clip.group, clip.spoil, clip.name, state, " ".join(filter(None, told)), found.scan.confidence, true)


def reading_of(clip: Clip) -> Reading:
    spoil, codec = SPOILS[clip.spoil]
    with tempfile.TemporaryDirectory(prefix="yomikomi-unseen-") as folder:
        suffix = {"lossless": "mkv", "mpeg2": "mpg", "h264": "mp4"}[codec]
        path = Path(folder) / f"clip.{suffix}"
        spoiling.write(path, spoil(clip.make(), clip.seed), codec, fields=clip.fields)
        return read(ReadRequest(path), SilentReporter())


def _scene(group: str, number: int) -> tuple[str, int, Scene]:
    """A photograph under a motion: another one for each number, and others for each group."""
    seed = zlib.crc32(group.encode()) % 97 + number
    motions, photographs = tuple(pictures.MOTIONS), pictures.photographs()
    motion, photograph = motions[seed % len(motions)], photographs[(seed // 2 + number) % len(photographs)]
    return f"{motion} {Path(photograph).stem}", seed, pictures.MOTIONS[motion](photograph, seed)


def _frames(form: Form, scene: Scene, blend: str = "") -> list[Luma]:
    made = form.frames(scene)
    return list(forms.blended(made, blend) if blend else made)


def _forms(spoil: str) -> Iterator[Clip]:
    rows: list[tuple[str, Form, str]] = [("progressive", forms.progressive(), "")]
    for order in ("tff", "bff"):
        rows += [
            (f"interlaced {order}", forms.interlaced(order), ""),
            (f"film 2:3 {order}", forms.film(order, (2, 3), "film_2_3"), ""),
            (f"film 2:2 {order}", forms.film(order, (2,), "film_2_2", phase=1), ""),
        ]
    rows += [("film 2:3:3:2 tff", forms.film("tff", (2, 3, 3, 2), "film_2_3_3_2"), "")]
    rows += [(f"blended, {way}", forms.interlaced("tff"), way) for way in ("lines", "mean")]
    for group, form, blend in rows:
        for number in range(_SCENES):
            name, seed, scene = _scene(group, number)
            kind = ("blended", None) if blend else (form.kind, form.order)
            yield Clip(group, spoil, name, seed, (kind,), partial(_frames, form, scene, blend), None if blend else form.order)


def _stills(spoil: str) -> Iterator[Clip]:
    """Nothing moves, so nothing can be told."""
    photographs = pictures.photographs()
    for number in range(3):
        name = photographs[(2 * number + 1) % len(photographs)]
        for group, picture in (
            ("still", pictures.still(name)), ("still, letterboxed", pictures.letterboxed(name)), ("still, dark", pictures.dark(name)),
            ("title card", pictures.title_card(number)),
        ):  # fmt: skip
            yield Clip(group, spoil, name, number, (("undetermined", None),), partial(_held, [picture]))
        cards = [pictures.title_card(number), pictures.still(name), pictures.title_card(number + 1), pictures.dark(name)]
        yield Clip("stills with cuts", spoil, name, number, (("undetermined", None),), partial(_held, cards))


def _held(shown: list[Luma]) -> list[Luma]:
    each = -(-forms.FRAMES // len(shown))
    return [picture for picture in shown for _ in range(each)][: forms.FRAMES]


def _rolls(spoil: str) -> Iterator[Clip]:
    for number in range(4):
        scene = pictures.ROLL(pictures.photographs()[2 * number], number)
        for form in (forms.progressive(), forms.interlaced("tff")):
            kinds = ((form.kind, form.order), ("undetermined", None))
            yield Clip(f"roll, {form.kind}", spoil, str(number), number, kinds, partial(_frames, form, scene), form.order)


def _repeats(spoil: str) -> Iterator[Clip]:
    for each in _EACH:
        for number in range(2):
            name, seed, scene = _scene(f"repeats {each}", number)
            # Long periods are seen in long takes only; photographs under a slow hand.
            count = max(forms.FRAMES, 6 * (each + 1))
            form = forms.repeats(each, count)
            true = str(spoiling.RATE * each / (each + 1))
            group = "repeats, each to one in five" if each <= 5 else "repeats, rarer"
            yield Clip(group, spoil, f"{each} in {each + 1}, {name}", seed, (("repeats", None),), partial(_small, form, scene), None, true)


def _small(form: Form, scene: Scene) -> list[Luma]:
    """The middle quarter, so that long takes are soon read."""
    height, width = pictures.HEIGHT, pictures.WIDTH
    part = slice(height // 4, 3 * height // 4), slice(width // 4, 3 * width // 4)
    return [np.ascontiguousarray(frame[part]) for frame in form.frames(scene)]


def _real(spoil: str) -> Iterator[Clip]:
    """A real clip's pictures as instants, two to a frame: whole, in fields and blended."""
    for number, name in enumerate(pictures.REAL_CLIPS):
        ways = [(forms.progressive(), ""), (forms.interlaced("tff"), ""), (forms.interlaced("bff"), ""), (forms.interlaced("tff"), "lines")]
        for form, blend in ways:
            kind = ("blended", None) if blend else (form.kind, form.order)
            group = f"real clips, {kind[0]}"
            yield Clip(group, spoil, name, number, (kind,), partial(_of_clip, form, name, blend), None if blend else form.order)


def _of_clip(form: Form, name: str, blend: str) -> list[Luma]:
    shown = pictures.real_clip(name)
    return _frames(form, lambda moment: shown[round(moment) % len(shown)], blend)


def _mixtures(spoil: str) -> Iterator[Clip]:
    for number in range(2):
        _, seed, scene = _scene("mixture", number)
        _, _, other = _scene("mixture", number + 5)
        kinds = (("mixed", "tff"),)

        def make(scene: Scene = scene, other: Scene = other) -> list[Luma]:
            return [*forms.interlaced("tff", 40).frames(scene), *forms.film("tff", (2, 3), "film_2_3", 40).frames(other)]

        yield Clip("interlaced, then film", spoil, str(number), seed, kinds, make, "tff")


def table(found: Sequence[Outcome]) -> list[str]:
    """Right / undetermined / wrong of each group in each way of spoiling."""
    spoils, groups = list(SPOILS), list(dict.fromkeys(one.group for one in found))
    lines = ["| material | " + " | ".join(spoils) + " |", "|---|" + "---|" * len(spoils)]
    for group in groups:
        cells = []
        for spoil in spoils:
            here = [one.outcome for one in found if (one.group, one.spoil) == (group, spoil)]
            cells.append(" / ".join(str(here.count(state)) for state in ("right", "undetermined", "wrong")) if here else "")
        lines.append(f"| {group} | " + " | ".join(cells) + " |")
    return lines


def calibration(found: Sequence[Outcome]) -> list[str]:
    lines = ["| claimed | verdicts | of them right |", "|---|---|---|"]
    told = [one for one in found if one.kind != "undetermined"]
    for low, high in ((0.0, 0.8), (0.8, 0.9), (0.9, 0.95), (0.95, 0.98), (0.98, 1.01)):
        inside = [one.outcome == "right" for one in told if low <= one.claim < high]
        share = f"{100 * np.mean(inside):.1f} %" if inside else "–"
        lines.append(f"| {low:.2f} to {min(1.0, high):.2f} | {len(inside)} | {share} |")
    return lines
