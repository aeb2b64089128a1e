"""The levels test: black, white, colour, tone and channels, measured on bars and tone, with the correction named."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from yomikomi.core.capture import sentences
from yomikomi.core.capture.runs import runs_where
from yomikomi.core.capture.scopes import as_codes
from yomikomi.core.capture.sound_watch import level_db
from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS, Bar, colour_bars
from yomikomi.core.video.source import SourceEnded, SourceSpec
from yomikomi.core.work import Reporter

_TONE_DB = -18.0  # EBU R 68, from memory; other houses align at −20 (SMPTE RP 155)
_TOLERANCE_CODES = 4.0
_TOLERANCE_GAIN = 0.06
_TOLERANCE_DEGREES = 4.0
_TOLERANCE_DB = 1.5
# Bars are known by how well the eight brightnesses and colours follow the standard's; a picture of something does not.
_LEAST_LIKENESS = 0.94

Mark = Literal["fine", "check", "fault", "undetermined"]


class LevelLine(BaseModel):
    """``value`` in the unit named; ``correction``: what to change, empty where nothing is."""

    model_config = ConfigDict(frozen=True)

    name: str
    value: float | None
    unit: str
    words: str
    mark: Mark
    correction: str = ""


class LevelsResult(BaseModel):
    """``bars``: whether colour bars were seen; ``matrix``: whose arithmetic they follow more closely."""

    model_config = ConfigDict(frozen=True)

    bars: bool
    matrix: Literal["bt601", "bt709", "undetermined"] = "undetermined"
    lines: tuple[LevelLine, ...] = ()
    reason: str = ""

    @property
    def holds(self) -> bool:
        return self.bars and not any(line.mark == "fault" for line in self.lines)

    @property
    def words(self) -> str:
        if not self.bars:
            return sentences.nothing_measured(self.reason)
        return sentences.levels_sentence([(line.name, line.words) for line in self.lines if line.mark == "fault"])


@dataclass(frozen=True)
class LevelsRequest:
    source: SourceSpec
    seconds: float = 4.0


def measure_levels(request: LevelsRequest, reporter: Reporter) -> LevelsResult:
    """Look at a source that plays bars and tone, and judge."""
    source = request.source.open()
    form = source.format
    total = max(4, round(request.seconds * form.standard.rate))
    sums: list[NDArray[np.float64]] = []
    sounds: list[NDArray[np.int16]] = []
    try:
        for number in range(total):
            picture, sound = source.read()
            if number % 3 == 0:
                planes = [as_codes(plane, form.bits) for plane in (picture.y, picture.u, picture.v)]
                sums.append(bar_means(*planes))
            sounds.append(sound.coarse)
            reporter.report((number + 1) / total)
            reporter.check()
    except (SourceEnded, SourceLostError) as error:
        if len(sums) < 2:
            return LevelsResult(bars=False, reason=sentences.next_to_nothing(error))
    finally:
        source.close()
    return judge_levels(np.mean(sums, axis=0), np.concatenate(sounds), form.sound_rate, hd=form.standard.height > 576)


def bar_means(y: NDArray[Any], u: NDArray[Any], v: NDArray[Any]) -> NDArray[np.float64]:
    """Mean codes of eight upright stripes, shape (8, 3): the middle of each, between a fifth and half of the height."""
    means = np.empty((8, 3))
    for number in range(8):
        for plane_number, plane in enumerate((y, u, v)):
            lines, columns = plane.shape
            first, last = (int(columns * (number + part) / 8) for part in (0.35, 0.75))
            means[number, plane_number] = plane[lines // 5 : lines // 2, first:last].mean()
    return means


def judge_levels(means: NDArray[np.float64], sound: NDArray[np.int16], rate: int, *, hd: bool) -> LevelsResult:
    """Hold eight stripes and a tone against the standard.

    Parameters
    ----------
    means : ndarray [shape=(8, 3), codes of 8 bits]
    sound : ndarray [shape=(samples, channels), int16]
    """
    fits = {name: _fit(means, colour_bars(weights)) for name, weights in (("bt601", BT601_WEIGHTS), ("bt709", BT709_WEIGHTS))}
    best = max(fits, key=lambda name: -fits[name].rest)
    clear = abs(fits["bt601"].rest - fits["bt709"].rest) > 0.6
    fit = fits[best if clear else "bt709" if hd else "bt601"]
    if max(one.likeness for one in fits.values()) < _LEAST_LIKENESS:
        return LevelsResult(bars=False, reason=sentences.NO_BARS)
    lines = (*_luma_lines(fit), *_chroma_lines(fit), *_tone_lines(sound, rate))
    if clear and best != ("bt709" if hd else "bt601"):
        lines = (*lines, LevelLine(
            name="matrix", value=None, unit="", words=sentences.other_matrix(best[2:]), mark="fault", correction=sentences.MATRIX_FIX,
        ))  # fmt: skip
    return LevelsResult(bars=True, matrix=best if clear else "undetermined", lines=lines)  # type: ignore[arg-type]


@dataclass(frozen=True)
class _Fit:
    """Luma = black + gain · (expected − 16); chroma = turned and grown by a complex factor. ``rest``: mean error in codes."""

    black: float
    white: float
    gain: float
    chroma: complex
    likeness: float
    rest: float


def _fit(means: NDArray[np.float64], bars: tuple[Bar, ...]) -> _Fit:
    luma = np.array([bar.y for bar in bars])
    vector = np.array([bar.cb - 128 + 1j * (bar.cr - 128) for bar in bars])
    found_luma, found = means[:, 0], means[:, 1] - 128 + 1j * (means[:, 2] - 128)
    gain, black = np.polyfit(luma - 16, found_luma, 1)
    factor = complex(np.sum(found * np.conj(vector)) / np.sum(np.abs(vector) ** 2))
    luma_rest = found_luma - black - gain * (luma - 16)
    chroma_rest = np.abs(found - factor * vector)
    rest = float((np.abs(luma_rest).mean() + chroma_rest.mean()) / 2)
    likeness_luma = 1 - float(np.sum(luma_rest**2) / max(1.0, np.sum((found_luma - found_luma.mean()) ** 2)))
    energy = float(np.sum(np.abs(found) ** 2))
    likeness_chroma = 1 - float(np.sum(chroma_rest**2) / energy) if energy > 400 else 1.0
    return _Fit(float(black), float(means[0, 0]), float(gain), factor, min(likeness_luma, likeness_chroma), rest)


def _luma_lines(fit: _Fit) -> list[LevelLine]:
    black, white = fit.black, fit.white
    off_black, off_white = black - 16, white - 235
    full = abs(black) < 5 and abs(white - 255) < 5
    squeezed = abs(black - 16 - 16 * 219 / 255) < 5 and abs(white - (16 + 235 * 219 / 255)) < 5
    if full or squeezed:
        black_words, white_words, fix = sentences.wrong_range(black, white, full=full)
        return [
            LevelLine(name="black", value=round(black, 1), unit="code", words=black_words, mark="fault", correction=fix),
            LevelLine(name="white", value=round(white, 1), unit="code", words=white_words, mark="fault", correction=fix),
        ]
    setup = abs(off_black - 0.075 * 219) < 4 and abs(off_white) < 6
    span = (white - black) / 219
    return [
        LevelLine(
            name="black", value=round(black, 1), unit="code", words=sentences.black_at(black),
            mark="fine" if abs(off_black) <= _TOLERANCE_CODES else "fault",
            correction="" if abs(off_black) <= _TOLERANCE_CODES else sentences.black_fix(off_black, setup=setup),
        ),
        LevelLine(
            name="white", value=round(white, 1), unit="code", words=sentences.white_at(white),
            mark="fine" if abs(off_white) <= 1.5 * _TOLERANCE_CODES else "fault",
            correction="" if abs(off_white) <= 1.5 * _TOLERANCE_CODES else sentences.white_fix(span),
        ),
    ]  # fmt: skip


def _chroma_lines(fit: _Fit) -> list[LevelLine]:
    gain, degrees = abs(fit.chroma), float(np.degrees(np.angle(fit.chroma)))
    if gain < 0.1:
        words, fix = sentences.NO_COLOUR
        return [LevelLine(name="colour", value=round(gain, 3), unit="", words=words, mark="fault", correction=fix)]
    gain_fine, turn_fine = abs(gain - 1) <= _TOLERANCE_GAIN, abs(degrees) <= _TOLERANCE_DEGREES
    return [
        LevelLine(
            name="saturation", value=round(gain, 3), unit="", words=sentences.saturation_at(gain),
            mark="fine" if gain_fine else "fault",
            correction="" if gain_fine else sentences.saturation_fix(gain),
        ),
        LevelLine(
            name="hue", value=round(degrees, 1), unit="degrees", words=sentences.hue_at(degrees, right=turn_fine),
            mark="fine" if turn_fine else "fault",
            correction="" if turn_fine else sentences.HUE_FIX,
        ),
    ]  # fmt: skip


def _tone_lines(sound: NDArray[np.int16], rate: int) -> list[LevelLine]:
    if not sound.size:
        return [LevelLine(name="tone", value=None, unit="dBFS", words=sentences.NO_SOUND_TRACK, mark="undetermined")]
    found = [_tone(sound[:, channel], rate) for channel in range(sound.shape[1])]
    if max(found) < -60:
        words, fix = sentences.NO_TONE
        return [LevelLine(name="tone", value=None, unit="dBFS", words=words, mark="fault", correction=fix)]
    level = max(found)
    off = level - _TONE_DB
    lines = [LevelLine(
        name="tone", value=round(level, 1), unit="dBFS", words=sentences.tone_at(level),
        mark="fine" if abs(off) <= _TOLERANCE_DB else "fault",
        correction="" if abs(off) <= _TOLERANCE_DB else sentences.tone_fix(off),
    )]  # fmt: skip
    return [*lines, *([_channels_line(sound, rate, found)] if sound.shape[1] == 2 else [])]


def _channels_line(sound: NDArray[np.int16], rate: int, found: list[float]) -> LevelLine:
    """Which channel is which: the left one is interrupted every three seconds."""
    breaks = [_interruptions(sound[:, channel], rate) for channel in (0, 1)]
    words, mark, fix = sentences.SIDES_UNMARKED, "undetermined", ""
    if min(found) < -60:
        (words, fix), mark = sentences.side_silent("right" if found[1] < found[0] else "left"), "fault"
    elif breaks[0] and breaks[1]:
        (words, fix), mark = sentences.SIDES_ALIKE, "check"
    elif breaks[0]:
        words, mark = sentences.SIDES_RIGHT, "fine"
    elif breaks[1]:
        (words, fix), mark = sentences.SIDES_EXCHANGED, "fault"
    return LevelLine(name="channels", value=None, unit="", words=words, mark=mark, correction=fix)  # type: ignore[arg-type]


def _tone(channel: NDArray[np.int16], rate: int) -> float:
    """Peak level of the strongest tone between 300 Hz and 3 kHz in dBFS, over stretches in which it sounds; −96 where there is
    none that stands out."""
    size = rate // 4
    levels = []
    for start in range(0, len(channel) - size + 1, size):
        power = np.abs(np.fft.rfft(channel[start : start + size] / 32768.0 * np.hanning(size))) * 4 / size
        low, high = (round(hz * size / rate) for hz in (300, 3000))
        band = power[low:high]
        if band.max() > 8 * np.sqrt(np.mean(band**2)):
            levels.append(float(20 * np.log10(max(1e-9, band.max()))))
    return float(np.percentile(levels, 75)) if levels else -96.0


def _interruptions(channel: NDArray[np.int16], rate: int) -> int:
    """How often the tone is away for a tenth to half a second."""
    size = rate // 40
    levels = np.array([level_db(channel[start : start + size])[1] for start in range(0, len(channel) - size + 1, size)])
    away = levels < np.percentile(levels, 75) - 20
    return sum(4 <= end - first <= 20 for first, end in runs_where(away))
