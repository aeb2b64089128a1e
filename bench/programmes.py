"""Unlike programmes of a minute and a half for the prediction bench, each a file.

Named ``tuned`` are those that sampling and estimates were chosen on; the others were never looked at while choosing. All but the
tape are drawn here, apart from the simulation; the montage is real clips and photographs under a moving camera.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench import material
from bench.unseen.pictures import MOTIONS, REAL_CLIPS, photographs, real_clip

# Shape (lines, columns, 3), blue, green, red.
Picture = NDArray[np.uint8]
WIDTH, HEIGHT = 640, 368


@dataclass(frozen=True)
class Drawn:
    """A programme that is drawn: ``pictures(count)`` gives them in order."""

    rate: Fraction
    pictures: Callable[[int], Iterator[Picture]]


def _shots(rng: np.random.Generator, count: int, low: int, high: int) -> Iterator[tuple[int, int]]:
    """Number and length of shots that fill ``count`` pictures, lengths log-uniform."""
    done, number = 0, 0
    while done < count:
        length = min(count - done, int(np.exp(rng.uniform(np.log(low), np.log(high)))))
        yield number, length
        done, number = done + length, number + 1


def screen(count: int) -> Iterator[Picture]:
    """Someone at work: lines appear, a page scrolls, windows open, the pointer moves, and long stretches of nothing."""
    rng = np.random.default_rng(11)
    page = np.full((HEIGHT, WIDTH, 3), 245, np.uint8)
    pointer = np.array([200.0, 150.0])
    words = ["the", "harbour", "lantern", "tide", "keeper", "bay", "signal", "range", "level", "frame", "field"]
    for number, length in _shots(rng, count, 20, 220):
        doing = ("write", "still", "scroll", "window", "still", "point")[number % 6]
        if doing == "window":
            left, top = int(rng.integers(20, 300)), int(rng.integers(20, 160))
            cv2.rectangle(page, (left, top), (left + 260, top + 160), tuple(int(v) for v in rng.integers(60, 250, 3)), -1)
            cv2.rectangle(page, (left, top), (left + 260, top + 18), (70, 50, 40), -1)
        aim = rng.uniform((20, 20), (WIDTH - 20, HEIGHT - 20))
        for step in range(length):
            if doing == "write" and step % 4 == 0:
                line = " ".join(rng.choice(words, 3))
                cv2.putText(page, line, (30 + int(rng.integers(0, 200)), 40 + 16 * int(rng.integers(0, 20))), 0, 0.42, (40, 40, 40), 1, 16)
            if doing == "scroll":
                page = np.roll(page, -3, axis=0)
            if doing in {"point", "write"}:
                pointer += (aim - pointer) * 0.08
            shown = page.copy()
            x, y = (int(v) for v in pointer)
            cv2.fillPoly(shown, [np.array([[x, y], [x, y + 14], [x + 10, y + 10]], np.int32)], (0, 0, 0))
            yield shown


def game(count: int) -> Iterator[Picture]:
    """Tiles that scroll sideways at their own paces, figures that jump, bursts, a fixed score line, and menus between."""
    rng = np.random.default_rng(12)
    tiles = [np.asarray(cv2.resize(rng.integers(40, 220, (12, 24, 3)).astype(np.uint8), (WIDTH * 2, HEIGHT), interpolation=0))
             for _ in range(3)]  # fmt: skip
    tick = 0
    for number, length in _shots(rng, count, 60, 500):
        menu, pace = number % 5 == 4, float(rng.uniform(1, 6))
        back = tiles[number % 3]
        bursts = rng.uniform((0, 40, 0), (WIDTH, HEIGHT - 60, length), (max(1, length // 25), 3))
        for step in range(length):
            tick += 1
            if menu:
                shown = np.full((HEIGHT, WIDTH, 3), (60, 40, 30), np.uint8)
                for row in range(5):
                    lit = row == step // 20 % 5
                    cv2.rectangle(shown, (180, 60 + 52 * row), (460, 96 + 52 * row), (90, 200, 220) if lit else (110, 90, 80), -1)
            else:
                far = np.roll(back, -int(pace * step * 0.4), axis=1)[:, :WIDTH] // 2
                near = np.roll(tiles[(number + 1) % 3], -int(pace * step), axis=1)[-90:, :WIDTH]
                shown = np.ascontiguousarray(far)
                shown[-90:] = near
                for who in range(4):
                    x = int(80 + 140 * who + 30 * np.sin(tick / 11 + who))
                    y = int(HEIGHT - 110 - abs(70 * np.sin(tick / (9 + who))))
                    cv2.rectangle(shown, (x, y), (x + 22, y + 30), (30 + 50 * who, 220, 240 - 40 * who), -1)
                for x, y, at in bursts:
                    age = step - at
                    if 0 <= age < 14:
                        for spark in range(16):
                            angle = spark * 0.3927
                            place = (int(x + 4 * age * np.cos(angle)), int(y + 4 * age * np.sin(angle)))
                            cv2.circle(shown, place, 3, (80, 180, 255), -1)
            cv2.putText(shown, f"SCORE {tick * 7:06d}", (12, 24), 0, 0.6, (255, 255, 255), 2)
            yield shown


def _coloured(grey: NDArray[np.uint8], tint: int) -> Picture:
    """A grey picture with a little colour that follows its light; cut or reflected to the size here."""
    lines, columns = grey.shape
    if (lines, columns) != (HEIGHT, WIDTH):
        scale = max(HEIGHT / lines, WIDTH / columns)
        grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))[:HEIGHT, :WIDTH]
    gains = np.array(((0.9, 1.0, 1.08), (1.1, 1.0, 0.9), (1.0, 1.04, 0.96))[tint % 3], np.float32)
    return np.asarray(np.clip(grey[..., None] * gains, 0, 255), np.uint8)


def interview(count: int) -> Iterator[Picture]:
    """One still camera on a photograph with something that moves a little before it, sensor noise; now and then a cutaway."""
    rng = np.random.default_rng(13)
    for number, length in _shots(rng, count, 150, 700):
        scene = MOTIONS["passing" if number % 3 else "handheld"]("astronaut.png" if number % 3 else "coffee.png", 2 + number)
        for step in range(length):
            noisy = scene(0.25 * step).astype(np.float32) + rng.normal(0, 1.5, (480, 720))
            yield _coloured(np.asarray(np.clip(noisy, 0, 255), np.uint8), 0)


def montage(count: int) -> Iterator[Picture]:
    """Real clips and photographs under a camera, cut quick and slow, with the grain of fast film in some."""
    rng = np.random.default_rng(14)
    names, moves = photographs(), sorted(MOTIONS)
    for number, length in _shots(rng, count, 15, 240):
        if number % 2:
            frames = real_clip(REAL_CLIPS[number // 2 % 3])
            begin, mirrored = int(rng.integers(0, len(frames))), bool(number % 4 == 3)
            shown = (frames[(begin + step) % len(frames)] for step in range(length))
        else:
            mirrored = False
            scene = MOTIONS[moves[number // 2 % len(moves)]](names[int(rng.integers(len(names)))], number)
            shown = (scene(2.0 * step) for step in range(length))
        sigma = float(rng.choice((0.0, 0.0, 3.0)))
        for grey in shown:
            made = grey if not sigma else np.asarray(np.clip(grey + rng.normal(0, sigma, grey.shape), 0, 255), np.uint8)
            yield _coloured(np.ascontiguousarray(made[:, ::-1]) if mirrored else made, number)


def cartoon(count: int) -> Iterator[Picture]:
    """Flat shapes with outlines drawn on twos, long holds, painted backgrounds that pan, and cross-fades."""
    rng = np.random.default_rng(15)
    last: Picture | None = None
    for number, length in _shots(rng, count, 30, 200):
        wide = np.asarray(cv2.resize(rng.integers(80, 230, (5, 9, 3)).astype(np.uint8), (WIDTH * 2, HEIGHT), interpolation=2))
        cast = rng.uniform(0, 1, (int(rng.integers(1, 5)), 6))
        pan, hold = float(rng.choice((0, 0, 2.5))), number % 4 == 2
        for step in range(length):
            t = 0 if hold else step // 2
            shown = np.ascontiguousarray(wide[:, int(pan * step) % WIDTH :][:, :WIDTH])
            for x, y, size, pace, hue, phase in cast:
                centre = (int(80 + 480 * x + 60 * np.sin(t * pace / 3 + 6 * phase)), int(90 + 190 * y + 24 * np.cos(t * pace / 2)))
                colour = tuple(int(v) for v in (255 * hue, 255 * (1 - hue), 160))
                cv2.circle(shown, centre, int(24 + 40 * size), colour, -1, 16)
                cv2.circle(shown, centre, int(24 + 40 * size), (20, 20, 20), 3, 16)
            if last is not None and step < 12 and number % 3 == 0:
                shown = np.asarray(cv2.addWeighted(shown, step / 12, last, 1 - step / 12, 0))
            yield shown
        last = shown


def slides(count: int) -> Iterator[Picture]:
    """Photographs that stand still for seconds each, a few with a slow zoom; nothing else."""
    rng = np.random.default_rng(16)
    names = photographs()
    for number, length in _shots(rng, count, 70, 200):
        scene = MOTIONS["zoom" if number % 4 == 3 else "turn"](names[number % len(names)], number)
        moving = number % 4 == 3
        shown = [_coloured(scene(0.0), number)]
        for step in range(length):
            yield _coloured(scene(0.4 * step), number) if moving else shown[0]


def stage(count: int) -> Iterator[Picture]:
    """A dark hall: lights that flicker and sweep, haze, heads before it, the camera's noise; long shots and black between numbers."""
    rng = np.random.default_rng(17)
    rows, columns = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    for number, length in _shots(rng, count, 60, 600):
        lamps = rng.uniform((0, 0, 0.02, 0), (WIDTH, 120, 0.12, 6.3), (4, 4))
        heads = [(int(x), int(HEIGHT - 20 - 30 * y)) for x, y in rng.uniform(0, 1, (14, 2)) * (WIDTH, 1)]
        haze = cv2.resize(rng.uniform(0.5, 1.5, (6, 9)).astype(np.float32), (WIDTH * 2, HEIGHT), interpolation=cv2.INTER_CUBIC)
        for step in range(length):
            if number % 4 == 3 and step < 40:
                yield np.full((HEIGHT, WIDTH, 3), 16, np.uint8)
                continue
            light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
            for which, (x, y, pace, phase) in enumerate(lamps):
                aim = x + 200 * np.sin(pace * step + phase)
                beside = columns - x - (aim - x) * (rows - y) / HEIGHT
                beam = np.exp(-((beside / (14 + 0.16 * np.maximum(rows - y, 0))) ** 2)) * (rows > y)
                strength = 120 * (0.6 + 0.4 * np.sin(1.7 * step + which)) if which == 0 else 80
                light[..., which % 3] += strength * beam * haze[:, step % WIDTH :][:, :WIDTH]
            for x, y in heads:
                cv2.circle(light, (x, y + int(4 * np.sin(step / 7 + x))), 26, (6.0, 6.0, 6.0), -1)
            yield np.asarray(np.clip(20 + light + rng.normal(0, 2.2, light.shape), 0, 255), np.uint8)


DRAWN: dict[str, Drawn] = {
    "screen": Drawn(Fraction(30), screen), "game": Drawn(Fraction(60), game), "interview": Drawn(Fraction(25), interview),
    "montage": Drawn(Fraction(25), montage), "cartoon": Drawn(Fraction(24), cartoon), "slides": Drawn(Fraction(30), slides),
    "stage": Drawn(Fraction(25), stage),
}  # fmt: skip
TUNED = ("tape", "screen", "game", "interview", "cartoon", "slides")
UNSEEN = ("montage", "stage")


def programme(name: str, seconds: int = 90) -> Path:
    """The file of a programme, made once: the tape as the recorder writes it, the others lossless."""
    if name == "tape":
        return material.tape(seconds)
    path = material.folder() / f"{name}-{seconds}.mkv"
    if path.exists():
        return path
    drawn = DRAWN[name]
    with av.open(str(path), "w") as sink:
        stream = sink.add_stream("ffv1", rate=drawn.rate)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        for number, picture in enumerate(drawn.pictures(round(seconds * drawn.rate))):
            frame = av.VideoFrame.from_ndarray(picture, "bgr24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, 1 / drawn.rate
            sink.mux(stream.encode(frame))
        sink.mux(stream.encode(None))
    return path
