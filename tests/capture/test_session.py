"""A pass that is told things while it runs, what it holds ready, and what gives way first."""

from __future__ import annotations

import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from pydantic import ValidationError

from tests.capture.making import SMALL, WHOLE, all_of, captured
from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.capture.listening import Listening
from yomikomi.core.capture.looking import LookAs, Looker
from yomikomi.core.capture.parts import free_path
from yomikomi.core.capture.reader import queue_frames
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.video.source import SoundBlock
from yomikomi.core.work import SilentReporter
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec


class _Telling(SilentReporter):
    """Says a word once the pass has gone on for so long."""

    def __init__(self, after_s: float, word: object) -> None:
        super().__init__()
        self._after, self._word = after_s, word
        self.seen: list[CaptureStatus] = []

    def report(self, progress: object) -> None:
        super().report(progress)
        self.seen.append(progress)  # type: ignore[arg-type]
        if self._word is not None and self.seen[-1].seconds >= self._after:
            self.words, self._word = [self._word], None


def test_rules_can_be_changed_while_it_runs(tmp_path: Path) -> None:
    telling = _Telling(0.5, EndRules(max_seconds=3.0, blank_seconds=None))
    result = captured(replace(SMALL, seconds=20), tmp_path / "take.mkv", reporter=telling)
    assert "length asked for" in result.ended
    assert (result.frames, result.trouble) == (90, "")


def test_looks_can_be_changed_while_it_runs_and_cost_no_frame(tmp_path: Path) -> None:
    telling = _Telling(1.0, LookAs(preview=True, scopes=False, view="samples"))
    result = captured(replace(SMALL, seconds=6), tmp_path / "take.mkv", reporter=telling, look=LookAs(preview=False, scopes=True))
    assert (result.frames, result.dropped) == (180, 0)
    first = [status.looks for status in telling.seen if status.looks is not None and status.seconds < 1.0]
    last = telling.seen[-1].looks
    assert all(looks.scopes is not None and looks.preview is None for looks in first)
    assert last is not None
    assert last.scopes is None
    assert last.preview is not None
    assert (last.preview.width, last.preview.height) == (160, 128)
    numbers = [status.looks.number for status in telling.seen if status.looks is not None]
    assert numbers == sorted(numbers)


def test_what_is_shown_is_the_newest_and_nothing_waits_for_it() -> None:
    pictures, _ = all_of(SMALL)
    looker = Looker(SMALL.open().format, LookAs(), period_s=0.0)
    began = time.monotonic()
    for picture in pictures[:30]:
        looker.offer(picture)  # nobody looks yet: the newest takes the place of the one before
    assert time.monotonic() - began < 1.0
    assert not looker.wants_one
    looker.start()
    until = time.monotonic() + 10
    while looker.newest is None and time.monotonic() < until:
        time.sleep(0.005)
    looker.finish()
    assert looker.newest is not None
    assert looker.newest.number == 29
    assert not looker.is_alive()
    idle = Looker(SMALL.open().format, LookAs(preview=False, scopes=False))
    assert not idle.wants_one


@pytest.mark.parametrize(
    ("spec", "least", "most"),
    [
        (TapePlayerSpec(), 100, 150),
        (FeedSpec(1920, 1080, Fraction(60000, 1001)), 20, 40),
        (FeedSpec(3840, 2160, Fraction(24), hdr=True), 16, 16),
    ],
)
def test_what_waits_between_reading_and_writing_is_bounded(spec: TapePlayerSpec | FeedSpec, least: int, most: int) -> None:
    form = spec.format
    frames = queue_frames(form)
    assert least <= frames <= most
    assert frames * form.standard.width * form.standard.height * 2 * (2 if form.bits > 8 else 1) <= 560_000_000


def test_a_commentary_is_metered_but_is_no_programme() -> None:
    spec = replace(SMALL, commentary=True)
    loud = np.full((4800, 1), 20_000, np.int16)
    listening = Listening(spec.format)
    for number in range(40):
        quiet = np.zeros((4800, 2), np.int16)
        listening.heard(SoundBlock(number * 4800, np.concatenate([quiet, loud], axis=1), number * 100_000))
    assert listening.levels.peak_db[2] == pytest.approx(-4.3, abs=0.1)
    assert listening.levels.peak_db[:2] == (-96.0, -96.0)
    assert listening.silent_s == pytest.approx(4.0, abs=0.11), "the programme is silent, whoever speaks over it"
    assert listening.loudness is not None
    assert listening.loudness.integrated <= -70
    assert listening.take_second().loudest_peak > -5
    assert listening.take_second().peak_db == ()
    silent = Listening(replace(WHOLE, channels=0).format)
    silent.heard(SoundBlock(0, np.zeros((4800, 0), np.int16)))
    assert silent.loudness is None
    assert silent.levels.peak_db == ()


def test_a_later_part_never_takes_a_name_that_is_there(tmp_path: Path) -> None:
    path = tmp_path / "take-part2.mkv"
    assert free_path(path) == path
    path.write_bytes(b"somebody's")
    assert free_path(path).name == "take-part2b.mkv"
    for letter in "bcdefghijklmnopqrstuvwxyz":
        (tmp_path / f"take-part2{letter}.mkv").write_bytes(b"")
    with pytest.raises(UnfinishedError, match="too many files"):
        free_path(path)
    with pytest.raises(WrongUseError, match="exists already"):
        captured(SMALL, path)
    assert path.read_bytes() == b"somebody's"


@pytest.mark.parametrize(
    "wrong", [{"blank_seconds": 0}, {"max_seconds": -5}, {"most_lost": 0}, {"floor_bytes": -1}], ids=lambda one: next(iter(one))
)
def test_rules_that_make_no_sense_are_refused(wrong: dict[str, float]) -> None:
    with pytest.raises(ValidationError, match=next(iter(wrong))):
        EndRules(**wrong)  # type: ignore[arg-type]


def test_nothing_to_look_at_is_said_so() -> None:
    assert not LookAs(preview=False, scopes=False).anything
    assert LookAs(preview=False).anything
