"""What a person can say against a verdict, and what that changes down the line."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import pytest

from tests.making import sliding_frames, write_clip
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import AS_MEANT, CHOICES, changes_the_picture, choices, current, overrule
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import Mark, findings, headline
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.media import probe
from yomikomi.core.work import SilentReporter


def test_every_finding_has_choices_and_each_can_be_made(tape_reading: Reading) -> None:
    topics = {card.topic for card in findings(tape_reading)}
    assert topics >= set(CHOICES)
    for topic in topics:
        offered = choices(topic, tape_reading)
        assert len(offered) >= 2
        assert current(topic, tape_reading) in {choice.key for choice in offered}
        for choice in offered:
            judged = overrule(tape_reading, topic, choice.key)
            assert judged.overruled == [topic]
            card = next(card for card in findings(judged) if card.topic == topic)
            assert card.certainty == "set by you"
            assert headline(judged)


def test_fields_still_want_treating_when_a_person_says_so(tape_reading: Reading) -> None:
    card = next(c for c in findings(overrule(tape_reading, "scan", "interlaced bff")) if c.topic == "scan")
    assert card.mark is Mark.LOOK
    assert "bottom field first" in card.title
    assert overrule(tape_reading, "scan", "progressive").scan.field_order is None


@pytest.mark.parametrize(("shape", "pixels"), [("16:9", Fraction(32, 27)), ("4:3", Fraction(8, 9)), ("3:2", Fraction(1))])
def test_another_shape_changes_the_pixels_and_never_the_size(tape_reading: Reading, shape: str, pixels: Fraction) -> None:
    geometry = overrule(tape_reading, "shape", shape).geometry
    assert (geometry.width, geometry.height) == (720, 480)
    assert Fraction(geometry.sample_aspect) == pixels
    assert geometry.shape == shape


def test_the_word_reaches_the_copy(tmp_path: Path) -> None:
    """A squeezed picture that was flagged 4:3: told to be 16:9, its copy is shown so."""
    path = write_clip(tmp_path / "squeezed.mkv", sliding_frames(20, width=320, height=240), rate=25)
    judged = overrule(read(ReadRequest(path), SilentReporter()), "shape", "16:9")
    recipe = recipe_for("h264", 28, speed="ultrafast")
    result = make_copy(CopyRequest(path, tmp_path / "c.mp4", judged, Treatment(), recipe), SilentReporter())
    assert [check for check in result.checks if not check.passed] == []
    assert float(probe(tmp_path / "c.mp4").geometry.display_aspect) == pytest.approx(16 / 9, abs=0.01)


def test_the_newest_word_counts_and_what_is_not_known_changes_nothing(tape_reading: Reading) -> None:
    twice = overrule(overrule(tape_reading, "shape", "16:9"), "shape", "3:2")
    assert (twice.geometry.shape, twice.overruled) == ("3:2", ["shape"])
    strange = overrule(tape_reading, "weather", "fine")
    assert strange.model_copy(update={"overruled": []}) == tape_reading
    assert [choice.key for choice in choices("weather", tape_reading)] == ["as measured", AS_MEANT]
    assert changes_the_picture("rate")
    assert not changes_the_picture("sound")
