"""The settings sheet: what it asks, what stays ticked, how it is compared, printed and kept; and the choices of two schools."""

from __future__ import annotations

import io
import math
from dataclasses import replace

import pypdfium2
import pytest

from tests.path.making import BOX_TABLE, GAME, GAME_TABLE, LIVE, LIVE_TABLE, TAPE_TABLE, VHS, best, by
from yomikomi.core.path.catalogue import SETTINGS
from yomikomi.core.path.equipment import Piece, equipment_of
from yomikomi.core.path.known import known_options
from yomikomi.core.path.plan import plan
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.schools import schools_of
from yomikomi.core.path.sheet import PathSheet, differences, make_sheet, with_state
from yomikomi.core.path.sheet_export import sheet_markdown, sheet_pdf
from yomikomi.core.path.structure import Setup, Task, Wishes
from yomikomi.core.path.trace import trace
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake

_DEEP = ("camera_raw", "tunnel_recorder", "laptop_tunnel", "cable_hdmi", "cable_tunnel")


def _sheet(setup: Setup, **more: object) -> PathSheet:
    return make_sheet(trace(setup), **more)  # type: ignore[arg-type]


def _item(sheet: PathSheet, key: str, piece: str = "") -> str:
    return next(item.option for item in sheet.items if item.key == key and (not piece or item.piece == piece))


def test_a_tape_is_captured_as_the_trade_asks() -> None:
    """Native size and rate, fields kept, limited range, BT.601, constant rate, consumer level (common practice, no source)."""
    sheet = _sheet(best(BOX_TABLE, VHS))
    wanted = {
        "input": "s_video_in", "standard": "525i", "range": "limited", "deinterlace": "none", "size": "native", "shape": "keep",
        "level": "consumer", "matrix": "bt601", "rate_mode": "constant", "codec": "ffv1", "record_to": "separate",
        "other_programs": "closed", "sleep": "off", "field_order": "bff",
    }  # fmt: skip
    assert {key: _item(sheet, key) for key in wanted} == wanted
    facts = {fact.name: fact.value for fact in sheet.capture}
    assert facts["size"] == "720 × 480"
    assert facts["rate"] == "29.97 fps, constant (59.94 fields)"
    assert all(item.why and item.see for item in sheet.items)


@pytest.mark.parametrize(
    ("setup", "key", "option"),
    [
        (lambda: best(TAPE_TABLE, VHS), "sound_input", "default"),  # the one under the grabber's name is silent
        (lambda: best(LIVE_TABLE, LIVE), "matrix", "bt709"),
        (lambda: best(_DEEP, LIVE), "matrix", "bt709"),
        (lambda: best(_DEEP, LIVE, Wishes(gamut="wide")), "matrix", "bt2020"),
        (lambda: best(LIVE_TABLE, LIVE, Wishes(fast_sport=True)), "send", "720p59.94"),
        (lambda: best(LIVE_TABLE, replace(LIVE, format="1080i50"), Wishes(fast_sport=True)), "send", "720p50"),
        (lambda: best(BOX_TABLE, replace(VHS, sound="hi-fi stereo")), "level", "consumer"),  # its tracks do not change what a player gives
        (lambda: best(BOX_TABLE, VHS, Wishes(fields="finished")), "deinterlace", "blend"),
        (
            lambda: best((*BOX_TABLE, "sound_interface", "cable_usb2"), VHS, where=lambda one: len(one.path.sound) == 2),
            "sound_input",
            "interface",
        ),
        (lambda: best(("console_home", "dongle_2160", "computer", "cable_hdmi"), GAME), "codec", "device"),
        (lambda: best(("camera_raw", "card_fast"), Task("camera", "2160p23.976", "silent")), "raw_compression", "lossless"),
        (lambda: best(TAPE_TABLE[:3] + TAPE_TABLE[4:], VHS), "record_to", "system"),
    ],
)
def test_settings_follow_from_the_path_and_the_school(setup: object, key: str, option: str) -> None:
    assert _item(_sheet(setup()), key) == option  # type: ignore[operator]


@pytest.mark.parametrize("asked", [key for key in FORMATS if key[:4] in {"1080", "2160", "720p"}])
def test_what_is_sent_stays_in_its_family_of_rates(asked: str) -> None:
    """2160p at 25 gave 1080p at 59.94, which judders. Families: common practice, no source."""
    families = {"24": {24, 48}, "25": {25, 50, 100}, "30": {30, 60, 120}}
    setup = best(LIVE_TABLE, replace(LIVE, format=asked))
    planned = plan(setup).get((setup.path.source, "send"))
    assert planned is not None
    wanted, sent = (next(name for name, whole in families.items() if round(FORMATS[key].rate) in whole) for key in (asked, planned.option))
    assert sent == wanted or (wanted, sent) == ("24", "30")  # film travels inside it


def test_devices_come_in_the_order_of_the_signal_and_only_what_matters_is_asked() -> None:
    setup = best(BOX_TABLE, VHS)
    sheet = _sheet(setup)
    pieces = list(dict.fromkeys(item.piece for item in sheet.items))
    assert pieces == ["svhs_deck-1", "cable_s_video-1", "cable_composite_stereo-1", "hd_box-1", "cable_usb3-1", "computer-1"]
    for piece in pieces:
        orders = [SETTINGS[item.key].order for item in sheet.items if item.piece == piece]
        assert orders == sorted(orders)
    assert "plug" not in {item.key for item in sheet.items}, "it matters for composite only"
    assert "plug" in {item.key for item in _sheet(best(BOX_TABLE, VHS, where=by("composite"))).items}
    assert {item.knob for item in sheet.items} == set(plan(setup))
    copied = _sheet(best(("disc_drive", "computer", "ssd"), Task("disc")))
    assert {item.key for item in copied.items} == {"other_programs", "record_to", "sleep"}
    assert copied.capture[0].value == "the data as they are"


def test_ticks_stay_where_the_sheet_asks_for_the_same() -> None:
    first = _sheet(best(BOX_TABLE, VHS))
    knob, other = ("hd_box-1", "input"), ("hd_box-1", "deinterlace")
    ticked = with_state(with_state(first, knob, "done"), other, "done")
    assert (ticked.done, first.done) == (2, 0)
    again = _sheet(best(BOX_TABLE, VHS, Wishes(fields="finished")), before=ticked)
    states = {item.knob: item.state for item in again.items}
    assert states[knob] == "done"
    assert states[other] == "open", "it is to be at something else now"
    wrong = _sheet(best(BOX_TABLE, VHS).changed((knob, "composite_in")), before=ticked)
    item = next(item for item in wrong.items if item.knob == knob)
    assert (item.state, item.at, item.at_words, item.words) == ("open", "composite_in", "composite", "S-Video")
    assert wrong.options == {knob: "composite_in"}
    assert wrong.delivery.picture == "blue"
    assert any("composite" in words for words in wrong.warnings)
    unsure = with_state(first, knob, "unsure")
    assert [item.knob for item in unsure.unsure] == [knob]


def test_as_last_time_tells_what_differs() -> None:
    now, last = _sheet(best(BOX_TABLE, VHS)), _sheet(best(TAPE_TABLE, VHS))
    assert differences(now, now) == []
    lines = differences(now, with_state(last, ("usb_grabber-1", "input"), "unsure"))
    assert lines[0] == "another way: S-VHS deck → S-Video + stereo line → USB grabber then, S-VHS deck → S-Video + stereo line → HD box now"
    assert (
        "Desk computer, sound input of the program: the computer's default line then, the one listed under the recorder's name now" in lines
    )
    assert "HD box, input: S-Video; not on the last sheet" in lines
    assert "USB grabber, input: could not be verified then" in lines
    turned = _sheet(best(BOX_TABLE, VHS).changed((("hd_box-1", "level"), "professional")))
    levels = "+4 dBu (professional, less sensitive) then, −10 dBV (consumer, more sensitive) now"
    assert differences(now, turned) == [f"HD box, sound level: {levels}"]


def test_a_sheet_comes_back_from_json_as_it_was() -> None:
    for setup in (best(BOX_TABLE, VHS), best(GAME_TABLE, GAME, Wishes(watch=True, headphones=True))):
        knob = (setup.path.source, "power")
        sheet = with_state(_sheet(setup.changed((knob, "off"))), knob, "unsure")
        assert PathSheet.model_validate_json(sheet.model_dump_json()) == sheet
        assert PathSheet.model_validate(sheet.model_dump(mode="json")).path.key == setup.path.key


def test_paper_and_text_hold_every_line() -> None:
    setup = best(BOX_TABLE, VHS)
    sheet = with_state(
        with_state(_sheet(setup, carrier="K-001 Lantern parade"), ("hd_box-1", "input"), "done"), ("hd_box-1", "range"), "unsure"
    )
    document = pypdfium2.PdfDocument(io.BytesIO(sheet_pdf(sheet)))
    text = " ".join("".join(page.get_textpage().get_text_bounded() for page in document).split())
    for item in sheet.items:
        assert item.setting in text
        assert item.words.split(",")[0] in text
    for words in ("K-001 Lantern parade", "not verified", "What is recorded", "720 × 480", "No time-base corrector"):
        assert words in text
    markdown = sheet_markdown(sheet)
    assert markdown.count("- [ ]") == len(sheet.items) - 2
    assert "- [x] **Input**: S-Video" in markdown
    assert "- [?] **Range**" in markdown
    assert sheet_pdf(sheet) == sheet_pdf(sheet), "the same sheet makes the same file"


def test_hostile_names_stay_names() -> None:
    """A device's name with markup, line breaks and other scripts neither breaks the paper nor forges a line of text."""
    name = "deck]</para><b>\n# K-666\n- [x] done | `rm` 提灯"
    pieces = tuple(
        piece.model_copy(update={"words": name[:80]}) if piece.kind == "svhs_deck" else piece for piece in equipment_of(*BOX_TABLE).pieces
    )
    sheet = _sheet(best(equipment_of().model_copy(update={"pieces": pieces}), VHS))
    markdown = sheet_markdown(sheet)
    assert not any(line.startswith(("# K-666", "- [x]")) for line in markdown.splitlines())
    assert sheet_pdf(sheet).startswith(b"%PDF")
    with pytest.raises(ValueError, match="at most 80"):
        Piece(id="a", kind="svhs_deck", words="x" * 81)


def test_what_the_condition_check_found_is_known_before_anybody_looks() -> None:
    intake = Intake(
        label="K-005", kind="console", format="1080p59.94",
        details=CarrierDetails(
            sound="stereo and commentary", condition=Condition(looked=True, ticked=("console_protection", "console_headphones")),
        ),
    )  # fmt: skip
    wishes = Wishes.usual(intake)
    assert (wishes.watch, wishes.commentary) == (True, True)
    setup = best((*GAME_TABLE, "microphone_usb"), Task.of(intake), wishes)
    options = known_options(setup, intake.details.condition.ticked)
    assert options == {("console_home-1", "protection"): "on", ("console_home-1", "sound_to"): "headset"}
    assert trace(replace(setup, options=options)).delivery.picture == "black"
    assert known_options(best(BOX_TABLE, VHS), ("shell", "console_protection")) == {}


# -- two schools


def test_both_schools_stand_side_by_side_with_what_they_cost() -> None:
    table = equipment_of(*BOX_TABLE)
    ranked = rank_paths(table, VHS)
    setup = ranked[0].trace.setup
    schools = {school.key: school for school in schools_of(setup, ranked)}
    assert set(schools) == {"fields", "size", "connector", "level", "codec"}
    for school in schools.values():
        assert school.chosen in {option.key for option in school.options}
        assert len(school.options) >= 2
        assert all(option.gives and option.figure for option in school.options)
    points = {key: {option.key: option.points for option in school.options} for key, school in schools.items()}
    assert points["fields"]["kept"] > points["fields"]["finished"], "the default school, because it can be undone"
    assert points["size"]["native"] > points["size"]["enlarged"]
    assert points["connector"]["s_video"] > points["connector"]["composite"]
    assert points["level"]["consumer"] > points["level"]["professional"]
    followed = schools["size"].options[1]
    assert trace(replace(setup, wishes=followed.wishes)).delivery.detail == "soft"
    figures = {option.key: option.figure for option in schools["codec"].options}
    assert figures["ffv1"] == "59.8 GB for 1 h 58 min"  # (720 × 480 × 29.97 × 6.3 bits + PCM) ÷ 8 × 7080 s


def test_line_levels_lie_as_far_apart_as_their_definitions_say() -> None:
    """−10 dBV is 0.316 V, +4 dBu is 1.228 V (0 dBu: 0.7746 V, one milliwatt in 600 ohms; IEC 60268-15, from memory). Wishes kept by an
    earlier version, which named the levels by a tape's tracks, are read as what they meant."""
    apart = 20 * math.log10(0.7746 * 10 ** (4 / 20) / 10 ** (-10 / 20))
    ranked = rank_paths(equipment_of(*BOX_TABLE), VHS)
    level = next(school for school in schools_of(ranked[0].trace.setup, ranked) if school.key == "level")
    assert f"{apart:.1f} dB lower" in {option.figure for option in level.options}
    assert [Wishes.model_validate({"level": old}).level for old in ("by the tape", "hi-fi")] == ["consumer", "professional"]


def test_sport_has_its_choice_and_copies_have_none() -> None:
    ranked = rank_paths(equipment_of(*LIVE_TABLE), LIVE)
    schools = {school.key: school for school in schools_of(ranked[0].trace.setup, ranked)}
    scan = schools["scan"]
    assert [option.key for option in scan.options] == ["progressive 720", "interlaced 1080"]
    assert scan.chosen == "interlaced 1080"
    assert scan.options[0].figure == "720 lines, 59.94 progressive frames per second"
    copied = rank_paths(equipment_of("card_reader", "computer"), Task("card"))
    assert schools_of(copied[0].trace.setup, copied) == []
