"""A short look at a source without recording it: is there a picture, does it stand, does the sound move."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture import sentences
from yomikomi.core.capture.sound_watch import SILENT_DB, level_db
from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.delivery import PictureState
from yomikomi.core.video.source import Picture, SourceEnded, SourceSpec
from yomikomi.core.work import Reporter

# Every so many samples and lines are looked at; enough for a verdict, and quick.
_STEP = 4
# A picture whose lightest samples lie below this is black (limited range: black is 16; a quarter of the way is not reached
# by noise). Codes.
_BLACK_BELOW = 28
_FLAT_SPREAD = 6  # between the 1st and 99th percentile, in codes
_BLUE_ABOVE = 170  # Cb of the empty picture that recorders show
_COLOURLESS = 2.5  # mean distance of chroma from 128, in codes
_MOVES = 0.4  # mean change from frame to frame, in codes, beyond the noise of a tape
_ROLLS_IN = 0.6  # share of frame pairs that agree on how far the picture jumped


@dataclass(frozen=True)
class LookRequest:
    source: SourceSpec
    seconds: float = 2.0


@dataclass(frozen=True)
class LookResult:
    """``dark`` and ``light``: 1st and 99th percentile of luma, codes 0…255; levels in dBFS; ``missing``: frames that the
    numbers say were lost; ``trouble``: why it ended early."""

    picture: PictureState
    frames: int
    missing: int
    dark: float
    light: float
    moves: bool
    coloured: bool
    peak_db: float
    rms_db: float
    clipped: float
    width: int
    height: int
    rate: float
    trouble: str = ""


def look_at(request: LookRequest, reporter: Reporter) -> LookResult:
    """Open the source, look at some frames, close it. A source that gives none is a result, not an error."""
    source = request.source.open()
    standard = source.format.standard
    wanted = max(8, round(request.seconds * standard.rate))
    pictures: list[Picture] = []
    sounds: list[NDArray[np.int16]] = []
    trouble = ""
    try:
        while len(pictures) < wanted:
            picture, sound = source.read()
            pictures.append(picture)
            sounds.append(sound.coarse)
            reporter.report(len(pictures) / wanted)
    except SourceEnded:
        trouble = sentences.CARRIER_ENDED
    except SourceLostError as error:
        trouble = str(error)
    finally:
        source.close()
    return _judge(pictures, sounds, trouble, standard.width, standard.height, float(standard.rate))


def _judge(pictures: list[Picture], sounds: list[NDArray[np.int16]], trouble: str, width: int, height: int, rate: float) -> LookResult:
    if not pictures:
        return LookResult("none", 0, 0, 0, 0, False, False, SILENT_DB, SILENT_DB, 0.0, width, height, rate, trouble)
    luma = np.stack([picture.y[::_STEP, ::_STEP] for picture in pictures]).astype(np.float32)
    chroma = np.stack([np.stack([picture.u[::_STEP, ::_STEP], picture.v[::_STEP, ::_STEP]]) for picture in pictures]).astype(np.float32)
    dark, light = (float(value) for value in np.percentile(luma, (1, 99)))
    whole = np.concatenate(sounds) if sounds else np.zeros((0, 1), np.int16)
    peak_db, rms_db = level_db(whole)
    missing = pictures[-1].number - pictures[0].number + 1 - len(pictures)
    return LookResult(
        picture=_state(luma, chroma, dark, light, pictures),
        frames=len(pictures),
        missing=missing,
        dark=dark,
        light=light,
        moves=len(luma) > 1 and float(np.abs(np.diff(luma, axis=0)).mean()) > _MOVES,
        coloured=float(np.abs(chroma - 128).mean()) > _COLOURLESS,
        peak_db=peak_db,
        rms_db=rms_db,
        clipped=float(np.mean(np.abs(whole.astype(np.int32)) >= 32767)) if whole.size else 0.0,
        width=width,
        height=height,
        rate=rate,
        trouble=trouble,
    )


def _state(luma: NDArray[np.float32], chroma: NDArray[np.float32], dark: float, light: float, pictures: list[Picture]) -> PictureState:
    if light - dark <= _FLAT_SPREAD:
        return "blue" if float(chroma[:, 0].mean()) > _BLUE_ABOVE else "black" if light < _BLACK_BELOW else "there"
    return "torn" if _rolls(pictures) else "there"


def _rolls(pictures: list[Picture]) -> bool:
    """The picture jumps by the same number of lines from frame to frame, the bottom coming in again at the top."""
    profiles = [np.asarray(picture.y[:, ::8].mean(axis=1), np.float64) for picture in pictures[:24]]
    jumps = []
    for before, after in itertools.pairwise(profiles):
        first, second = (np.fft.rfft(one - one.mean()) for one in (before, after))
        cross = np.conj(first) * second
        # Phase correlation: the shift alone decides, not how much is dark or light in the picture.
        match = np.fft.irfft(cross / (np.abs(cross) + 1e-9), len(before))
        jumps.append(int(np.argmax(match)))
    if not jumps:
        return False
    usual = max(set(jumps), key=jumps.count)
    agree = sum(abs(jump - usual) <= 1 for jump in jumps)
    return 3 < usual < len(profiles[0]) - 3 and agree >= _ROLLS_IN * len(jumps)
