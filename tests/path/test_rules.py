"""Every rule is set off by what it is about and by nothing else; every break goes when its remedy is followed."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.path.cases import CASES, setting_case, setting_cases, tape
from tests.path.making import BOX_TABLE, GAME, GAME_TABLE, VHS, best, rules_of
from yomikomi.core.path.catalogue import SETTINGS
from yomikomi.core.path.findings import AddPiece, Finding, SetOption
from yomikomi.core.path.plan import plan
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.rules import RULES
from yomikomi.core.path.structure import Setup, Wishes
from yomikomi.core.path.telling import headline, told
from yomikomi.core.path.trace import Trace, trace
from yomikomi.core.video.delivery import SYMPTOMS, Delivery, symptoms_of


def test_every_rule_has_its_case() -> None:
    assert set(CASES) == set(RULES)


@pytest.mark.parametrize("rule", sorted(CASES))
def test_a_rule_is_set_off_by_what_it_is_about_and_not_otherwise(rule: str) -> None:
    wrong, right = CASES[rule]()
    assert rule in rules_of(wrong)
    assert rule not in rules_of(right)
    found = next(one for one in trace(wrong).findings if one.rule == rule)
    assert found.weight == RULES[rule].weight
    assert found.cause.endswith(".")
    assert found.remedy


@pytest.mark.parametrize(("key", "option"), setting_cases())
def test_a_wrong_option_is_found_and_its_remedy_mends_it(key: str, option: str) -> None:
    wrong, right = setting_case(key, option)
    rule = f"{key}={option}"
    assert rule in rules_of(wrong)
    assert rule not in rules_of(right)
    found = next(one for one in trace(wrong).findings if one.rule == rule)
    mended = _follow(wrong, found)
    assert rule not in rules_of(mended)
    assert trace(mended).delivery == trace(right).delivery
    written = next(one for one in SETTINGS[key].wrong if one.option == option)
    assert symptoms_of(trace(wrong).delivery) - symptoms_of(trace(right).delivery), "nobody would notice"
    assert found.weight == written.weight


@pytest.mark.parametrize("rule", [key for key, one in RULES.items() if one.weight == "break"])
def test_a_break_goes_when_its_remedy_is_followed(rule: str) -> None:
    wrong, _ = CASES[rule]()
    found = next(one for one in trace(wrong).breaks if one.rule == rule)
    assert found.changes, "a break without a remedy that a machine could follow"
    mended = _follow(wrong, found)
    assert rule not in {one.rule for one in trace(mended).breaks}


def _follow(setup: Setup, finding: Finding) -> Setup:
    """Do what the remedy says: turn knobs; or have the pieces, and take the best path they make from the same source."""
    knobs = [(change.knob, change.option) for change in finding.changes if isinstance(change, SetOption)]
    if knobs:
        return setup.changed(*knobs)
    equipment = setup.equipment
    for change in finding.changes:
        assert isinstance(change, AddPiece)
        equipment = equipment.with_piece(change.kind)
    ranked = rank_paths(equipment, setup.task, setup.wishes)
    return next(one.trace.setup for one in ranked if one.path.source == setup.path.source or finding.rule == "unpowered microphone")


# -- how strands run


def _state(traced: Trace, strand: str) -> list[str]:
    return [report.state for report in traced.links if report.strand == strand]


def test_a_strand_stops_where_it_breaks_and_the_others_run_on() -> None:
    setup = best(GAME_TABLE, GAME, Wishes(watch=True, headphones=True))
    whole = trace(setup)
    assert not whole.breaks
    assert set(_state(whole, "picture")) | set(_state(whole, "screen")) == {"fine"}
    silent = trace(setup.changed((("console_home-1", "sound_to"), "headset")))
    assert _state(silent, "sound") == ["dead", "dead"]
    assert _state(silent, "picture") == ["fine", "fine"]
    assert silent.delivery.picture == "there"
    unplugged = trace(setup.changed(((setup.path.host[0].cable, "plugged"), "loose")))
    assert _state(unplugged, "picture") == ["fine", "dead"]
    assert unplugged.delivery.screen == "none", "a bus-powered box passes nothing until the computer feeds it"
    assert {one.rule for one in unplugged.breaks} == {"unfed"}


def test_a_loop_through_shows_what_protection_keeps_from_the_recorder() -> None:
    setup = best(GAME_TABLE, GAME, Wishes(watch=True))
    protected = trace(setup.changed((("console_home-1", "protection"), "on")))
    assert (protected.delivery.picture, protected.delivery.sound, protected.delivery.screen) == ("black", "none", "at once")
    heard = trace(best(GAME_TABLE, GAME, Wishes(headphones=True)).changed((("console_home-1", "protection"), "on")))
    assert (heard.delivery.sound, heard.delivery.ears) == ("none", "at once"), "a screen plays what a recorder is refused"
    off = trace(setup.changed((("console_home-1", "power"), "off")))
    assert (off.delivery.picture, off.delivery.screen) == ("none", "none")
    dark = trace(setup.changed((("screen-1", "power"), "off")))
    assert (dark.delivery.picture, dark.delivery.screen) == ("there", "none")


def test_what_lies_behind_a_break_is_not_looked_at_for_that_strand() -> None:
    both = tape(input="composite_in", range="full", level="professional")
    rules = rules_of(both)
    assert "wrong input" in rules
    assert "range differs" not in rules, "there is no picture whose range could differ"
    assert "level differs" in rules, "the sound comes beside it"


def test_a_plan_sets_off_nothing_that_a_setting_could_mend() -> None:
    """What is planned is what the rules ask for: the two are written apart and must agree."""
    for rule in CASES:
        for setup in CASES[rule]():
            bare = replace(setup, options={})
            if {"interlaced sport", "cable missing"} & rules_of(bare):
                continue  # asked for by a wish, or not joined
            for finding in trace(bare).findings:
                turned = [change for change in finding.changes if isinstance(change, SetOption)]
                assert not turned or finding.rule in {"encoder too slow", "drive full"}, (
                    f"{rule}: {finding.rule} with everything as planned"
                )


@given(st.data())
def test_turning_knobs_is_never_better_than_the_plan(data: st.DataObject) -> None:
    """A wrong knob adds symptoms or leaves them; it takes none away, unless it takes the strand away with them."""
    setup = best(GAME_TABLE, GAME, Wishes(watch=True)) if data.draw(st.booleans()) else tape()
    knobs = [knob for knob in plan(setup) if setup.kind(knob[0]).options(knob[1])]
    knob = data.draw(st.sampled_from(knobs))
    option = data.draw(st.sampled_from([key for key, _ in setup.kind(knob[0]).options(knob[1])]))
    before, after = trace(setup), trace(setup.changed((knob, option)))
    lost = symptoms_of(before.delivery) - symptoms_of(after.delivery)
    gone = after.delivery.picture != "there" or after.delivery.sound != "there"
    assert not lost or gone
    assert len(after.breaks) >= len(before.breaks)
    assert trace(setup.changed((knob, option))).findings == after.findings


def test_every_symptom_can_come_about_and_is_told_in_words() -> None:
    """No symptom is asked for that no path shows; what is heard on the screen reader names every break."""
    shown: set[str] = set()
    for rule in CASES:
        wrong, right = CASES[rule]()
        for setup in (wrong, right):
            shown |= symptoms_of(trace(setup).delivery)
    for key, option in setting_cases():
        traced = trace(setting_case(key, option)[0])
        shown |= symptoms_of(traced.delivery)
        assert all(any(one.cause in line for line in told(traced)) for one in traced.breaks)
    shown |= symptoms_of(trace(tape().changed((("cable_s_video-1", "plugged"), "loose"))).delivery)
    dark = best(GAME_TABLE, GAME, Wishes(watch=True)).changed((("screen-1", "power"), "off"))
    full = best(("pc_graphics", *GAME_TABLE[1:]), GAME).changed((("pc_graphics-1", "range_out"), "full"))
    dull = best(BOX_TABLE, VHS).changed((("hd_box-1", "level"), "professional"))
    hot = best(BOX_TABLE, VHS).changed((("hd_box-1", "level"), "mic"))
    for setup in (dark, full, dull, hot):
        shown |= symptoms_of(trace(setup).delivery)
    nowhere = best(GAME_TABLE[:-2], GAME, Wishes(headphones=True, commentary=True))
    shown |= symptoms_of(trace(nowhere).delivery)
    # No rule of the trade's list takes the colour away; a plug that is half home may, and people must be able to say so.
    assert set(SYMPTOMS) - shown == {"no colour"}
    assert symptoms_of(Delivery()) == frozenset()


def test_the_headline_names_the_place_of_the_first_break() -> None:
    broken = trace(tape(input="hdmi_1_4_in"))
    words, remedy = headline(broken)
    assert words == "The picture is lost at the HD box."
    assert "Set its input to S-Video." in remedy
    no_cable = trace(CASES["cable missing"]()[0])
    assert headline(no_cable)[0] == "The sound is lost between the S-VHS deck and the USB grabber."
    assert "stereo cable" in headline(no_cable)[1]
    stops = trace(CASES["card too slow"]()[0])
    assert headline(stops)[0].startswith("The recording stops by itself")
    fine = trace(best(("laser_player", *(GAME_TABLE[1:]), "cable_s_video", "cable_stereo", "hd_box"), replace(VHS, kind="laserdisc")))
    assert headline(fine)[0].startswith("The path is whole")
