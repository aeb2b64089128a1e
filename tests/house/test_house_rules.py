"""Forty tapes like the first: what goes through, what waits for a person and why, and what answers say of the rules."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Shared
from tests.making import programme_frames, write_clip
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.errors import WrongUseError
from yomikomi.core.house.differences import differences
from yomikomi.core.house.learning import Answer, proposals
from yomikomi.core.house.rules import HouseRules, Limits, all_rules, copy_name, keep_rules, named_rules, read_rules
from yomikomi.core.ledger.house import accept, make_rules, prepare, take_through
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.run_queue import ask_copy
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.sheet import make_sheet, with_state
from yomikomi.core.path.structure import Task, Wishes
from yomikomi.core.planning.intake import Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.sets.model import COPY_NAME, SetCopy
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.damage import Damage
from yomikomi.demo import scenario


@pytest.fixture(scope="module")
def clip(shared: Shared) -> tuple[Path, Reading]:
    path = shared.file("house.mkv", lambda part: write_clip(part, programme_frames(150, width=160, height=120), sound_seconds=6))
    return path, _other(shared.reading(path), "scan", kind="progressive", confidence=0.97)  # too small to be told by itself


@pytest.fixture
def record(tmp_path: Path):  # type: ignore[no-untyped-def]
    workspace = Workspace(tmp_path / "archive")
    yield Record(workspace)
    workspace.close()


def _put(record: Record, label: str, path: Path, reading: Reading) -> int:
    take = record.workspace.folder / "takes" / f"{label}.mkv"
    shutil.copy(path, take)
    carrier, _ = record.takes.import_file(take, title="Lantern parade", kind="card", label=label)
    view = record.carrier(carrier)
    assert view.take is not None
    record.readings.save(view.take.id, reading)
    return carrier


@pytest.fixture
def rules(record: Record, clip: tuple[Path, Reading]) -> HouseRules:
    """Made from a carrier that was done by hand."""
    carrier = _put(record, "K-001", *clip)
    view = record.carrier(carrier)
    assert view.take is not None
    record.readings.choose_treatment(view.take.id, fields_treatment(clip[1]))
    for quality in (20, 30):
        ask_copy(record, record.carrier(carrier), recipe_for("h264", quality), None)
    return make_rules(record.carrier(carrier), "Cards for the family")


def test_rules_are_made_from_a_carrier_and_travel_as_json(rules: HouseRules, tmp_path: Path) -> None:
    assert (rules.key, rules.kind, rules.treatment) == ("cards-for-the-family", "card", "fields")
    assert [one.recipe.level for one in rules.copies] == [20, 30]
    assert rules.limits.scan == ("progressive",)
    path = keep_rules(rules, tmp_path / "rules")
    assert read_rules(path) == rules
    assert all_rules(tmp_path / "rules") == {rules.key: rules}
    assert named_rules("Cards for the family", tmp_path / "rules") == rules
    for spoilt in ({"copies": []}, {"key": "../../x"}, {"limits": {"certainty": 7}}, {"schema_version": 2}, {"surprise": 1}):
        path.write_text(json.dumps(rules.model_dump(mode="json", exclude_computed_fields=True) | spoilt))
        with pytest.raises(WrongUseError, match="no house rules document"):
            read_rules(path)
    assert all_rules(tmp_path / "rules") == {}


def test_the_next_carrier_is_prepared_as_the_first_was_captured(record: Record, tape_reading: Reading) -> None:
    """Path and codec go with the rules; nothing is ticked, and a path that a person planned stays."""
    intake = Intake(label="K-001", kind="vhs", format="525i")
    best = rank_paths(scenario.EQUIPMENT, Task.of(intake), Wishes.usual(intake))[0]
    first = record.shelf.add(label="K-001", title="", kind="vhs", standard="525i", source={"kind": "tape player"})
    sheet = make_sheet(best.trace, carrier="K-001")
    record.paths.save(first, with_state(sheet, sheet.items[0].knob, "done"))
    how = RecordAs(codec="h264_high", mbps=20)
    take, path = record.takes.begin(first, how)
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, frames=90, seconds=3.0, late=0, dropped=0, bytes_written=1, parts=(path,)))
    record.readings.save(take, tape_reading)
    record.readings.choose_treatment(take, fields_treatment(tape_reading))
    ask_copy(record, record.carrier(first), recipe_for("h264", 20), None)
    rules = make_rules(record.carrier(first), "Tapes")
    again = HouseRules.model_validate_json(rules.model_dump_json(exclude_computed_fields=True))
    assert (again.record_as, again.sheet is not None and again.sheet.done) == (how, 0)
    second = record.shelf.add(label="K-002", title="", kind="vhs", standard="525i")
    assert len(prepare(record, record.carrier(second), again.sheet, again.record_as)) == 2
    planned = record.carrier(second).path
    assert planned is not None
    assert (planned.route, planned.carrier, planned.done) == (sheet.route, "K-002", 0)
    assert record.settings.capture().record_as == how
    assert prepare(record, record.carrier(second), again.sheet, again.record_as) == ()
    assert prepare(record, record.carrier(first), again.sheet, again.record_as) == ()


def _other(reading: Reading, part: str, **what: object) -> Reading:
    changed = getattr(reading, part)
    if isinstance(changed, list):
        return reading.model_copy(update={part: [one.model_copy(update=what) for one in changed]})
    return reading.model_copy(update={part: changed.model_copy(update=what)})


_ODD: dict[str, tuple[str, Callable[[Reading], Reading]]] = {
    "another scan type": ("scan", lambda r: _other(r, "scan", kind="interlaced", field_order="tff")),
    "not sure": ("scan", lambda r: _other(r, "scan", confidence=0.7)),
    "another rate": ("rate", lambda r: _other(r, "rate", nominal="30000/1001")),
    "gaps": ("losses", lambda r: _other(r, "rate", missing_frames=60)),
    "clipped": ("sound", lambda r: _other(r, "sound", clipped=3)),
    "silent": ("sound", lambda r: _other(r, "sound", peak_db=-90.0)),
    "no sound": ("sound", lambda r: r.model_copy(update={"sound": []})),
    "damage": ("damage", lambda r: r.model_copy(update={"damage": Damage(frames=4)})),
    "a fragment": ("length", lambda r: r.model_copy(update={"duration_seconds": 1.0})),
}


@pytest.mark.parametrize("what", list(_ODD))
def test_what_matters_is_asked_about(clip: tuple[Path, Reading], rules: HouseRules, what: str) -> None:
    topic, spoil = _ODD[what]
    assert differences(rules, clip[1]) == []
    found = differences(rules, spoil(clip[1]))
    assert [one.topic for one in found] == [topic]
    assert found[0].words.count("; expected ") == 1
    told = spoil(clip[1]).model_copy(update={"overruled": [topic]})
    assert differences(rules, told) == []  # a person's word stands


def test_forty_carriers_three_exceptions(record: Record, clip: tuple[Path, Reading], rules: HouseRules) -> None:
    odd = {"K-107": "another scan type", "K-119": "clipped", "K-133": "damage"}
    for number in range(100, 140):
        label = f"K-{number}"
        _put(record, label, clip[0], _ODD[odd[label]][1](clip[1]) if label in odd else clip[1])
    waiting = [view.label for view in record.carriers() if view.label != "K-001" and take_through(record, view, rules)]
    assert waiting == list(odd)
    cases = record.house.cases("waiting")
    assert [case.label for case in cases] == list(odd)
    assert "sound clipped at 3 places" in cases[1].words
    asked = {view.label: len(view.copies) for view in record.carriers()}
    assert sum(asked.values()) == 2 + 2 * 37
    assert all(asked[label] == 0 for label in odd)
    accept(record, cases[1])
    record.house.answered(cases[0].id, "by hand")
    record.house.answered(cases[2].id, "left out")
    assert record.house.cases("waiting") == []
    assert {view.label: len(view.copies) for view in record.carriers() if view.label in odd} == {"K-107": 0, "K-119": 2, "K-133": 0}
    with pytest.raises(WrongUseError, match="any more"):
        record.house.answered(cases[0].id, "accepted")
    assert any("waits for a person: sound clipped" in words for _, _, words in record.history.events())


def test_rules_for_others_do_nothing(record: Record, clip: tuple[Path, Reading], rules: HouseRules) -> None:
    with pytest.raises(WrongUseError, match="is not what"):
        take_through(record, record.carriers()[0], rules.model_copy(update={"kind": "vhs"}))
    away = rules.model_copy(update={"copies": (rules.copies[0].model_copy(update={"folder": "/nowhere/at/all"}),)})
    carrier = _put(record, "K-002", *clip)
    with pytest.raises(WrongUseError, match="is not there"):
        take_through(record, record.carrier(carrier), away)
    assert record.carrier(carrier).copies == ()
    assert record.house.cases() == []


def _rules() -> HouseRules:
    return HouseRules(key="k", words="w", copies=(SetCopy(name="a", recipe=recipe_for("h264", 20)),), limits=Limits(scan=("progressive",)))


@given(st.lists(st.tuples(st.sampled_from(["scan", "sound", "damage"]), st.booleans()), max_size=12))
def test_rules_learn_nothing_silently_and_ask_only_with_reason(told: list[tuple[str, bool]]) -> None:
    answers = [Answer((topic,), went_on) for topic, went_on in told]
    for one in proposals(_rules(), answers):
        last = [answer for answer in answers if one.topic in answer.topics][-5:]
        assert sum(answer.went_on for answer in last) >= 3
        assert one.changed != _rules()
        assert proposals(one.changed, [answer for answer in answers if one.topic in answer.topics]) == []  # not asked again
    counted = {topic: [went_on for one, went_on in told if one == topic][-5:] for topic in ("scan", "sound", "damage")}
    assert {one.topic for one in proposals(_rules(), answers)} == {topic for topic, last in counted.items() if sum(last) >= 3}


@given(st.text(max_size=60), st.integers(1, 12))
def test_names_of_copies_are_allowed_whatever_a_recipe_is_called(words: str, number: int) -> None:
    assert COPY_NAME.match(copy_name(words, number))
