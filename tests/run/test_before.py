"""What is said before a run is left alone, tried with what goes wrong in a night."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from tests.drives import drive
from tests.run.conftest import Night
from yomikomi.core.ledger.run_before import Line, before_start
from yomikomi.core.ledger.run_outlook import RunList
from yomikomi.core.run.desktop.standin import StandInDesktop
from yomikomi.core.run.night import Span
from yomikomi.core.run.rules import RunRules
from yomikomi.core.treatment.steps import Trim

_NOW = datetime(2026, 11, 28, 23, 0, tzinfo=UTC)


def _lines(night: Night, rules: RunRules | None = None, *, size: float = 1e6, awake: bool = True) -> dict[str, Line]:
    rows = [replace(row, sizes=Span(size, size, size), seconds=Span(3000, 3600, 5400)) for row in night.record.run_rows.all()]
    rules = rules or RunRules()
    seen = RunList(rows).look({}, rules=rules, slots=1, now=_NOW)
    return {line.name: line for line in before_start(night.record.copies, seen, rules, StandInDesktop(awake=awake))}


def test_all_is_well(night: Night) -> None:
    night.ask(30, 31)
    lines = _lines(night)
    assert {name: line.weight.value for name, line in lines.items() if name != "Other programs"} | {"Power": "fine"} == dict.fromkeys(
        ("Takes", "Names", "Room", "Sound", "Range", "Time", "Sleep", "Power"), "fine"
    )


def test_what_would_spoil_the_night_is_said_with_what_mends_it(night: Night, monkeypatch: pytest.MonkeyPatch) -> None:
    night.ask(30, 31)
    night.copies[1].path.write_bytes(b"somebody's")
    monkeypatch.setattr("yomikomi.core.ledger.run_before.free_bytes", lambda _folder: 5_000_000)
    lines = _lines(night, RunRules(deadline=_NOW + timedelta(hours=1, minutes=30)), size=4e6, awake=False)
    assert {name: line.weight.value for name, line in lines.items()}.items() >= {
        "Names": "fault", "Room": "fault", "Time": "fault", "Sleep": "check", "Takes": "fine",
    }.items()  # fmt: skip
    assert lines["Room"].words == "Up to 8.00 MB are needed in copies/, 5.00 MB are free."
    assert "after the deadline" in lines["Time"].words
    assert _lines(night, RunRules(deadline=_NOW + timedelta(hours=2, minutes=40)))["Time"].weight.value == "check"
    assert _lines(night, RunRules(deadline=_NOW + timedelta(hours=9)))["Time"].weight.value == "fine"
    take = night.record.carriers()[0].take
    assert take is not None
    take.path.unlink()
    assert _lines(night)["Takes"].weight.value == "fault"


def test_parts_and_silence(night: Night) -> None:
    view = night.record.carriers()[0]
    assert view.take is not None
    assert view.treatment is not None
    assert view.judged is not None
    silent = view.judged.model_copy(update={"sound": [one.model_copy(update={"peak_db": -80.0}) for one in view.judged.sound]})
    night.record.readings.save(view.take.id, silent)
    night.record.readings.choose_treatment(view.take.id, view.treatment.having(Trim(start=1.0, end=3.0)))
    night.ask(30)
    lines = _lines(night)
    assert "Silent all along: K-001" in lines["Sound"].words
    assert "Only a part of the take: K-001" in lines["Range"].words


def test_a_drive_that_fills_up_in_the_night_costs_only_what_needs_it(night: Night) -> None:
    """The first copy goes to a small drive and fails twice; the second is made; with room the first is made too."""
    with drive(night.folder / "small", "600k") as small:
        small.fill(leave=40_000)
        view = night.record.carriers()[0]
        assert view.take is not None
        assert view.treatment is not None
        from yomikomi.core.recipes.recipe import recipe_for

        night.record.copies.ask(view.take.id, recipe_for("h264", 18), view.treatment, None, small.path / "c.mp4")
        night.ask(42)
        night.finish()
        assert night.states() == ["failed", "verified"]
        assert "drive is full" in night.copies[0].trouble
        assert sorted(path.name for path in small.path.iterdir()) == ["filling"]
