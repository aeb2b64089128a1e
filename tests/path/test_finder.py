"""Properties of the paths that are found and of their ranking, over random equipment; and additions that really lift."""

from __future__ import annotations

import itertools
from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.path.making import BOX_TABLE, GAME, GAME_TABLE, LIVE, TAPE_TABLE, VHS, best, by, by_recorder
from yomikomi.core.path.catalogue import CATALOGUE, SETTINGS, joins
from yomikomi.core.path.equipment import Equipment, equipment_of
from yomikomi.core.path.finder import find_paths
from yomikomi.core.path.improving import improvements
from yomikomi.core.path.plan import planned
from yomikomi.core.path.ranking import SIDES, rank_paths, route_words
from yomikomi.core.path.rates import flow_over, link_mbps
from yomikomi.core.path.schools import schools_of
from yomikomi.core.path.structure import Setup, Task, Wishes
from yomikomi.core.path.trace import trace
from yomikomi.demo.scenario import EQUIPMENT, SHELF

_TASKS = (
    VHS,
    GAME,
    LIVE,
    Task("video8", "625i", "mono"),
    Task("laserdisc", "525i", "stereo"),
    Task("disc"),
    Task("card"),
    Task("camera", "2160p25", "silent"),
)
_WISHES = st.builds(
    Wishes, watch=st.booleans(), headphones=st.booleans(), commentary=st.booleans(), second=st.booleans(), fast_sport=st.booleans()
)
_TABLES = st.lists(st.sampled_from(sorted(CATALOGUE)), min_size=6, max_size=24).map(
    lambda kinds: equipment_of(*kinds, "computer", "usb_grabber", "cable_usb3")
)


@given(equipment=_TABLES, task=st.sampled_from(_TASKS), wishes=_WISHES)
def test_a_path_uses_what_is_there_as_it_can_be_used(equipment: Equipment, task: Task, wishes: Wishes) -> None:
    paths = find_paths(equipment, task, wishes)
    assert len({path.key for path in paths}) == len(paths)
    for path in paths:
        setup = Setup(equipment, path, task, wishes)
        assert task.kind in setup.kind(path.source).plays
        used: Counter[tuple[str, int]] = Counter()
        inputs: Counter[tuple[str, str]] = Counter()
        for link in path.links:
            out, into = setup.port_out(link), setup.port_in(link)
            assert (out.way, into.way) == ("out", "in")
            inputs[link.target, link.into] += 1
            if link.cable:
                pair = joins(setup.kind(link.cable), out.connector, into.connector)
                assert pair is not None
                used[link.cable, pair] += 1
            elif link.cable == "":
                assert out.own or into.own or out.connector == "slot"
        assert all(count == 1 for count in used.values()), "one pair of plugs joins two things"
        assert all(count == 1 for count in inputs.values()), "two cables in one socket"
        if path.computer is None:
            assert path.store is not None


@given(equipment=_TABLES, task=st.sampled_from(_TASKS), wishes=_WISHES)
def test_the_ranking_keeps_its_word(equipment: Equipment, task: Task, wishes: Wishes) -> None:
    ranked = rank_paths(equipment, task, wishes)
    broken = [bool(one.trace.breaks) for one in ranked]
    assert broken == sorted(broken), "a broken path before a whole one"
    for before, after in itertools.pairwise(ranked):
        assert before.score >= after.score or bool(before.trace.breaks) < bool(after.trace.breaks)
        assert after.place == before.place + 1
    for one in ranked:
        assert 0 <= one.score <= 100
        assert set(one.sides) == set(SIDES)
        assert all(0 <= side.value <= 1 for side in one.sides.values())
        assert one.reasons
        assert one.mark in {"fine", "check"} or one.trace.breaks
        assert trace(one.trace.setup).findings == one.trace.findings


def test_more_equipment_never_makes_the_best_path_worse() -> None:
    kinds: list[str] = ["svhs_deck", "usb_grabber", "computer", "cable_composite_stereo"]
    score = rank_paths(equipment_of(*kinds), VHS)[0].score
    for kind in (
        "cable_s_video",
        "ssd",
        "hd_box",
        "cable_usb3",
        "vhs_corrector",
        "screen",
        "hub_usb2",
        "upscaler",
        "laptop_usb2",
        "camera_clean",
    ):
        kinds.append(kind)
        now = rank_paths(equipment_of(*kinds), VHS)[0].score
        assert now >= score - 1e-9, kind
        score = now


def test_connectors_come_in_the_order_of_the_trade() -> None:
    """Component where it is truly sent, then S-Video, then composite: common practice, no source."""
    table = equipment_of(
        "console_old", "hd_box", "computer", "ssd", "cable_component", "cable_s_video", "cable_composite_stereo", "cable_usb3"
    )
    old = Task("console", "525i", "stereo")
    order = [
        one.trace.setup.port_out(one.path.picture[0]).connector for one in rank_paths(table, old) if one.path.sound[-1].target == "hd_box-1"
    ]
    assert order == ["component", "s_video", "composite"]
    combination = equipment_of(*("combination" if piece.kind == "console_old" else piece.kind for piece in table.pieces))
    worth = {one.trace.setup.port_out(one.path.picture[0]).connector: one.sides["picture"].value for one in rank_paths(combination, VHS)}
    assert worth["component"] == worth["s_video"] > worth["composite"]


def test_data_are_copied_rather_than_played() -> None:
    table = equipment_of("disc_player", "disc_drive", "hd_box", "computer", "ssd", "cable_hdmi", "cable_usb3")
    first, *others = rank_paths(table, Task("disc"))
    assert first.trace.setup.reads_data
    assert others
    assert not any(one.trace.setup.reads_data for one in others)


def test_weights_turn_the_ranking() -> None:
    """A far deck with a corrector by composite against a near one by S-Video: which is first follows from what counts."""
    table = equipment_of("vhs_corrector", "svhs_deck", "usb_grabber", "computer", "ssd", "cable_composite_stereo", "cable_s_video")
    steady = rank_paths(table, VHS, Wishes(weights={"picture": 0.0, "steadiness": 6.0}))
    assert steady[0].path.source == "vhs_corrector-1"
    few = Wishes(weights={**dict.fromkeys(SIDES, 0.0), "boxes": 1.0})
    boxes = [len(one.path.devices) for one in rank_paths(table, VHS, few)]
    assert boxes == sorted(boxes)
    nothing = rank_paths(table, VHS, Wishes(weights=dict.fromkeys(SIDES, 0.0)))
    assert {one.score for one in nothing} == {0.0}


def test_reasons_are_made_from_the_comparison() -> None:
    ranked = rank_paths(equipment_of(*TAPE_TABLE), VHS)
    composite = next(one for one in ranked if by("composite")(one) and one.path.sound[-1].target == "usb_grabber-1")
    assert any("composite mixes colour into detail" in words for words in composite.reasons)
    assert "S-Video" in route_words(ranked[0].trace.setup)
    only = rank_paths(equipment_of("svhs_deck", "usb_grabber", "computer", "cable_composite_stereo"), VHS)[0]
    assert rank_paths(equipment_of("disc_drive", "computer"), Task("disc"))[0].reasons == ("It is the only path with this equipment.",)
    assert only.place == 1


@pytest.mark.parametrize("number", range(len(SHELF)))
def test_what_is_said_to_lift_lifts_when_it_is_had(number: int) -> None:
    """On the demo's shelf and a bare table: the pieces are added for real, and the search made anew."""
    intake = SHELF[number][0]
    task, wishes = Task.of(intake), Wishes.usual(intake)
    bare = equipment_of("svhs_deck", "camcorder_8", "laser_player", "console_dock", "camera_clean", "usb_grabber", "computer", "cable_hdmi")
    for equipment in (EQUIPMENT, bare):
        ranked = rank_paths(equipment, task, wishes)
        found = improvements(equipment, task, wishes, ranked, None)
        before = ranked[0].score if ranked else 0.0
        if equipment is bare:
            assert found, "a bare table can be bettered"
        for one in found:
            more = equipment
            for kind in one.adds:
                more = more.with_piece(kind)
            best_now = rank_paths(more, task, wishes)[0]
            assert not best_now.trace.breaks
            assert best_now.score >= one.score - 1e-6
            assert one.score > before
            assert all(CATALOGUE[kind].words in one.words for kind in one.adds)


def test_a_better_plug_lifts_a_chosen_path_to_a_named_rank() -> None:
    table = equipment_of("svhs_deck", "vhs_plain", "usb_grabber", "hd_box", "computer", "ssd", "cable_composite_stereo", "cable_usb3")
    ranked = rank_paths(table, VHS)
    chosen = next(one for one in ranked if (one.path.source, one.path.recorder) == ("svhs_deck-1", "usb_grabber-1"))
    found = improvements(table, VHS, Wishes(), ranked, chosen)
    assert ("cable_s_video",) in {one.adds for one in found}
    words = next(one.words for one in found if one.adds == ("cable_s_video",))
    assert words.startswith("An S-Video cable would ")


def test_wishes_are_met_where_the_trade_says_they_belong() -> None:
    """Watch at the loop-through, hear at the screen, speak on a track of one's own."""
    setup = best((*GAME_TABLE, "microphone_usb"), GAME, Wishes(watch=True, headphones=True, commentary=True))
    path = setup.path
    assert setup.port_out(path.screen[0]).loop
    assert path.ears[0].source == path.screen[-1].target
    assert path.commentary[-1].target == path.computer
    assert trace(setup).delivery.commentary == "own"
    optical = best(
        ("console_home", "loop_recorder", "computer", "cable_hdmi", "cable_usb3", "cable_optical", "headset_optical"),
        GAME,
        Wishes(headphones=True),
    )
    assert optical.port_out(optical.path.ears[0]).connector == "optical"
    assert trace(optical).delivery.sound == "there", "optical sound leaves HDMI alone"
    twice = best((*BOX_TABLE, "loop_recorder", "cable_hdmi"), VHS, Wishes(second=True), where=lambda one: one.path.recorder == "hd_box-1")
    assert twice.path.second[0].target == "loop_recorder-1"


def test_one_link_or_two_by_what_travels_and_by_choice() -> None:
    """Video of 2160p at 23.976 needs 5.93 Gb/s: two 3G-SDI links, alternate frames, to be merged afterwards. Raw fits one."""
    kinds = ("camera_raw", "field_recorder", "drive_slot", "cable_sdi", "cable_sdi")
    raw, recorder = Task("camera", "2160p23.976", "silent"), by_recorder("field_recorder-1")
    one = best(kinds, raw, where=recorder)
    assert not trace(one).breaks
    assert not one.path.twin
    signal = planned(one, "camera_raw-1", "signal")
    assert signal is not None
    assert (signal.option, signal.why) == ("raw", SETTINGS["signal"].why)
    two = best(kinds, raw, Wishes(links="two"), where=recorder)
    assert [flow_over(way, way.path.picture[0]).needed for way in (one, two)] == pytest.approx([2386.4, 1193.2], abs=0.1)
    signals, links = (next(s for s in schools_of(one, []) if s.key == key) for key in ("signal", "links"))
    assert [(option.key, len(option.path.twin)) for option in (*signals.options, *links.options)] == [
        ("raw", 0), ("video", 1), ("as needed", 0), ("two", 1),
    ]  # fmt: skip
    # Nothing but a camera that can send raw is taken to do so, and only what can send wide colour to send it.
    truck = best(("camera_sdi", *kinds[1:]), LIVE, Wishes(gamut="wide"))
    assert flow_over(truck, truck.path.picture[0]).needed == link_mbps("1080i59.94", "sdi_3g")
    plain = best(("camera_clean", "tunnel_recorder", "laptop_tunnel", "cable_hdmi", "cable_tunnel"), LIVE, Wishes(gamut="wide"))
    assert planned(plain, "laptop_tunnel-1", "matrix").option == "bt709"  # type: ignore[union-attr]
    setup = best(kinds, raw, Wishes(signal="video"), where=recorder)
    assert len(setup.path.twin) == 1
    traced = trace(setup)
    assert not traced.breaks
    assert "two links" in {one.rule for one in traced.findings}
    margins = [report.flow.margin for report in traced.links if report.strand == "picture"][:2]
    assert margins == pytest.approx([1.001, 1.001])
    single = trace(setup.changed((("field_recorder-1", "links"), "one")))
    assert {one.rule for one in single.breaks} == {"too narrow"}
    assert not trace(setup.changed((single.breaks[0].changes[0].knob, "two"))).breaks  # type: ignore[union-attr]
    lone = best(kinds[:-1], raw, Wishes(signal="video"), where=recorder)
    assert {one.rule for one in trace(lone).breaks} == {"too narrow"}
    assert not best(kinds, LIVE, where=recorder).path.twin


def test_nothing_is_found_where_nothing_plays_and_that_is_said() -> None:
    table = equipment_of("usb_grabber", "computer")
    assert rank_paths(table, VHS) == []
    found = improvements(table, VHS, Wishes(), [], None)
    assert found
    assert all("would make a path at all" in one.words for one in found)
    assert rank_paths(Equipment(), VHS) == []
