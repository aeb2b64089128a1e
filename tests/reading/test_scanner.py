"""The whole reading in one pass, on good and on damaged files, and what people are told of it."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.making import blended, interlace, noisy, programme_frames, sliding_frames, write_clip
from tests.timing import CANCEL_LIMIT_S, cancel_seconds, usual_of_three
from yomikomi.core.errors import CancelledError, UnreadableError
from yomikomi.core.reading.complexity import ComplexityMeter
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import Mark, basis, findings, headline
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job, JobState, SilentReporter
from yomikomi.sim.player import TapePlayerSpec, truth


def _read(path: Path, **options: object) -> Reading:
    return read(ReadRequest(path, **options), SilentReporter())  # type: ignore[arg-type]


def test_the_tape_is_read_as_it_was_made(tape_reading: Reading, tape_spec: TapePlayerSpec) -> None:
    told = truth(tape_spec, 90)
    assert (tape_reading.scan.kind, tape_reading.scan.field_order) == ("interlaced", told["scan"]["field_order"])
    assert tape_reading.scan.confidence > 0.9
    assert (tape_reading.rate.nominal, tape_reading.rate.constant) == (told["rate"], True)
    assert (tape_reading.geometry.width, tape_reading.geometry.height) == (told["width"], told["height"])
    assert tape_reading.geometry.sample_aspect == told["sample_aspect"]
    assert tape_reading.duration_seconds == pytest.approx(told["seconds"], abs=1e-3)
    assert tape_reading.frames == told["frames"]
    sound = tape_reading.sound[0]
    assert (sound.channels, sound.sample_rate, sound.silences) == (1, 48_000, [])
    assert -30 < sound.peak_db < -1
    assert (sound.starts_at, sound.ends_at) == (0.0, pytest.approx(3.003, abs=0.002))
    assert tape_reading.warnings == []


def test_another_standard_and_order(short_reading: Reading) -> None:
    assert (short_reading.scan.kind, short_reading.scan.field_order) == ("interlaced", "bff")
    assert (short_reading.rate.nominal, short_reading.geometry.shape) == ("25/1", "4:3")


def test_strips_and_complexity_cover_the_take(tape_reading: Reading) -> None:
    strips = tape_reading.strips
    bins = -(-tape_reading.frames // strips.frames_per_bin)
    assert {len(strips.combing), len(strips.motion), len(strips.vote), len(strips.sound_db)} == {bins}
    assert strips.vote.count(3) > 0.6 * bins
    cells = tape_reading.complexity
    assert len(cells.cell_bytes) == -(-tape_reading.frames // cells.frames_per_cell)
    assert min(cells.cell_bytes) > 0
    assert 0 <= tape_reading.most_combed_frame < tape_reading.frames


def test_long_takes_keep_short_strips(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "long.mkv", sliding_frames(40, width=64, height=48, speed=0.2) * 51)
    reading = _read(path)
    assert reading.frames == 2040
    assert len(reading.strips.vote) <= 2000


def test_complexity_follows_the_picture(tmp_path: Path) -> None:
    """A second of strong noise costs the small encode many times what a still second does."""
    still = [sliding_frames(1)[0]] * 50
    path = write_clip(tmp_path / "hard.mkv", still + noisy(still, 25.0) + still)
    cells = _read(path).complexity.cell_bytes
    # In the first second the encoder still refines the picture that stands.
    assert min(cells[5:8]) > 5 * max(cells[2:4])


@pytest.mark.parametrize("count", [0, 1, 2, 7, 40])
def test_every_frame_has_its_part_of_the_cost(count: int) -> None:
    """Half of them are encoded; what an encoded one costs is spread over it and the next."""
    meter = ComplexityMeter()
    for frame in noisy([np.full((96, 128), 120, np.uint8)] * count, 20.0):
        meter.feed(frame)
    costs = meter.finish()
    assert len(costs) == count
    assert all(cost > 100 for cost in costs)
    assert costs[0::2][: count // 2] == costs[1::2]


@pytest.mark.parametrize("order", list(FieldOrder))
def test_flags_that_contradict_the_pictures_are_named(tmp_path: Path, order: FieldOrder) -> None:
    pictures = interlace(programme_frames(100), order)
    lie = {"x264-params": f"{order.other.value}=1", "preset": "ultrafast", "crf": "12"}
    reading = _read(write_clip(tmp_path / "lie.mp4", pictures, options=lie))
    assert reading.scan.field_order == order.value
    assert any(f"the file says {order.other.value}" in w for w in reading.warnings)
    card = next(c for c in findings(reading) if c.topic == "scan")
    assert card.mark is Mark.LOOK
    assert "the file says" in card.reason


def test_a_variable_rate_and_gaps_are_found(tmp_path: Path) -> None:
    frames = sliding_frames(100, width=96, height=64)
    uneven = [n * 40 if n < 50 else n * 40 + 400 for n in range(100)]
    reading = _read(write_clip(tmp_path / "gap.mkv", frames, stamps=uneven, stamp_base=Fraction(1, 1000)))
    assert (reading.rate.nominal, reading.rate.constant, reading.rate.gaps, reading.rate.missing_frames) == ("25/1", False, 1, 10)
    assert reading.duration_seconds == pytest.approx(4.4, abs=0.01)
    assert any("not constant" in warning for warning in reading.warnings)
    assert "not constant" in headline(reading)


def test_silence_clipping_and_no_sound_are_told(tmp_path: Path) -> None:
    frames = sliding_frames(75, width=96, height=64)
    silent = _read(write_clip(tmp_path / "silent.mkv", frames, sound_seconds=3, sound_level=0.0))
    partly = _read(write_clip(tmp_path / "partly.mkv", frames, sound_seconds=3, silence=(0.5, 2.0)))
    hot = _read(write_clip(tmp_path / "hot.mkv", frames, sound_seconds=3, sound_level=1.0, sound_channels=2))
    titles = [next(c for c in findings(r) if c.topic == "sound") for r in (silent, partly, hot)]
    empty = next(c for c in findings(_read(write_clip(tmp_path / "empty.mkv", frames))) if c.topic == "sound")
    assert "nothing in it" in empty.title
    assert "silent throughout" in titles[0].title
    assert titles[0].mark is Mark.WRONG
    assert partly.sound[0].silences == [(pytest.approx(0.5, abs=0.05), pytest.approx(2.0, abs=0.05))]
    assert "silent for" in titles[1].title
    assert "at the limit" in titles[2].title


def test_a_file_cut_in_the_middle_is_read_as_far_as_it_goes(tmp_path: Path, tape: Path) -> None:
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(tape.read_bytes()[: tape.stat().st_size // 2])
    reading = _read(cut)
    assert 20 < reading.frames < 90
    assert reading.scan.field_order == "bff"
    assert findings(reading)[0].mark is Mark.WRONG
    assert "not whole" in findings(reading)[0].title


def test_damage_in_the_middle_is_counted_and_passed_over(tmp_path: Path, short_tape: Path) -> None:
    data = bytearray(short_tape.read_bytes())
    middle = len(data) // 2
    data[middle : middle + 4000] = os.urandom(4000)
    damaged = tmp_path / "damaged.mkv"
    damaged.write_bytes(data)
    reading = _read(damaged)
    assert reading.frames >= 15
    assert reading.scan.field_order == "bff"


def test_cancel_is_prompt(tape: Path) -> None:
    def attempt() -> float:
        job = Job(read, ReadRequest(tape), name="reading").start()
        seconds = cancel_seconds(job)
        assert job.state is JobState.CANCELLED
        job.wait(5)
        return seconds

    assert usual_of_three(attempt) < CANCEL_LIMIT_S
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        read(ReadRequest(tape), stopped)


def test_progress_goes_up_to_the_end(tape: Path) -> None:
    job = Job(read, ReadRequest(tape), name="reading").start()
    parts: list[float] = []
    job.wait(60, watch=lambda j: parts.append(j.progress.part) if j.progress else None)
    assert parts == sorted(parts)
    assert parts[-1] > 0.7
    assert job.answer().frames == 90


def test_a_vanished_file(tmp_path: Path) -> None:
    with pytest.raises(UnreadableError, match="no file"):
        _read(tmp_path / "gone.mkv")


def test_sentences_say_verdict_and_reason(tape_reading: Reading, progressive_clip: Path, tmp_path: Path) -> None:
    assert headline(tape_reading).startswith("Interlaced, bottom field first (")
    assert f"of {tape_reading.scan.informative_frames} frames with enough motion" in basis(tape_reading)
    assert headline(_read(progressive_clip)).startswith("Progressive or blended (")  # it moves too little to tell a blend
    progressive = tape_reading.scan.model_copy(update={"kind": "progressive", "field_order": None, "confidence": 0.99})
    assert headline(tape_reading.model_copy(update={"scan": progressive})).startswith("Progressive (99 %)")
    still = _read(write_clip(tmp_path / "still.mkv", [sliding_frames(1)[0]] * 30))
    assert "undetermined: too little motion" in headline(still)
    unknown = next(c for c in findings(still) if c.topic == "scan")
    assert unknown.mark is Mark.UNKNOWN
    for reading in (tape_reading, still):
        assert all(card.reason and card.advice for card in findings(reading))


def test_the_document_goes_there_and_back(tape_reading: Reading) -> None:
    assert Reading.model_validate_json(tape_reading.model_dump_json()) == tape_reading


def test_what_moves_too_little_to_show_a_blend_is_not_called_progressive(tmp_path: Path) -> None:
    """A slow drift, whole and with its fields mixed: both are whole pictures, and no more is claimed of either."""
    pictures = sliding_frames(80, width=320, height=256, speed=0.6)
    for name, frames in (("whole", pictures[::2]), ("blended", blended(pictures))):
        reading = _read(write_clip(tmp_path / f"{name}.mkv", frames, codec="ffv1"))
        assert (reading.scan.kind, reading.scan.confidence) == ("undetermined", 0.5), name
        assert reading.scan.whole_pictures > 0.9
        assert headline(reading).startswith("Progressive or blended (")
        card = next(one for one in findings(reading) if one.topic == "scan")
        assert (card.mark, card.advice) == (Mark.LOOK, "do not deinterlace")
        assert fields_treatment(reading) == Treatment()
