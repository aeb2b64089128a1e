"""The model of paths against published figures of links and standards, and facts of the trade."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import pytest

from tests.path.making import BOX_TABLE, GAME, GAME_TABLE, LIVE, LIVE_TABLE, TAPE_TABLE, VHS, best, by, rules_of
from yomikomi.core.path.catalogue import CATALOGUE, CONNECTORS
from yomikomi.core.path.diagnosis import Diagnosis
from yomikomi.core.path.equipment import equipment_of
from yomikomi.core.path.plan import sent_format
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.rates import captured_mbps, flow_over, link_mbps, raw_mbps, seconds_until_full_buffer
from yomikomi.core.path.structure import Setup, Task, Wishes
from yomikomi.core.path.trace import trace
from yomikomi.core.planning.formats import FORMATS


@pytest.mark.parametrize(
    ("format_key", "pixel_clock_mhz"),
    [
        # CTA-861 video timings (from memory): the clock of one pixel, blanking counted; 59.94 Hz forms are 1000/1001 of these.
        ("1080p59.94", Fraction(148_500_000, 1001) * 1000 / 10**6),
        ("1080p50", Fraction(148_500_000, 10**6)),
        ("1080i59.94", Fraction(74_250_000, 1001) * 1000 / 10**6),
        ("1080p25", Fraction(74_250_000, 10**6)),
        ("1080p23.976", Fraction(74_250_000, 1001) * 1000 / 10**6),
        ("720p59.94", Fraction(74_250_000, 1001) * 1000 / 10**6),
        ("720p50", Fraction(74_250_000, 10**6)),
        ("2160p25", Fraction(297_000_000, 10**6)),
        ("2160p59.94", Fraction(594_000_000, 1001) * 1000 / 10**6),
        # ITU-R BT.601: 858 x 525 and 864 x 625 samples a frame at 13.5 MHz, both standards.
        ("525i", Fraction(135, 10)),
        ("625i", Fraction(135, 10)),
    ],
)
def test_the_raster_of_a_format_gives_its_published_clock(format_key: str, pixel_clock_mhz: Fraction) -> None:
    row = FORMATS[format_key]
    assert row.raster[0] * row.raster[1] * row.rate == pixel_clock_mhz * 10**6


def test_serial_digital_interfaces_carry_their_formats_exactly() -> None:
    """SMPTE ST 292-1: 1.485 Gb/s and 1.485/1.001; SMPTE ST 424: twice that. 20 bits a pixel, 4:2:2 at 10 bits."""
    assert link_mbps("1080p25", "sdi_hd") == pytest.approx(1485)
    assert link_mbps("1080i59.94", "sdi_hd") == pytest.approx(1485 / 1.001)
    assert link_mbps("1080p50", "sdi_3g") == pytest.approx(2970)
    assert link_mbps("1080p59.94", "sdi_3g") == pytest.approx(2970 / 1.001)
    assert (CONNECTORS["sdi_hd"].nominal_mbps, CONNECTORS["sdi_3g"].nominal_mbps) == (1485, 2970)


def test_hdmi_links_carry_what_their_standards_say() -> None:
    """HDMI 1.4: 10.2 Gb/s on the wire, 8 of 10 bits payload; HDMI 2.0: 18 Gb/s; 2160p59.94 needs the second (from memory)."""
    for key, nominal in (("hdmi_1_4", 10_200), ("hdmi_2_0", 18_000)):
        assert CONNECTORS[key].nominal_mbps == nominal
        assert CONNECTORS[key].payload_mbps == nominal * 0.8
    need = link_mbps("2160p59.94", "hdmi_2_0")
    assert need is not None
    assert 8_160 < need < 14_400
    assert need == pytest.approx(594 / 1.001 * 24)


def test_data_plugs_have_their_nominal_rates() -> None:
    """USB 2.0: 480 Mb/s; USB 3.2 gen 1 and 2: 5 and 10 Gb/s (their specifications); PCIe tunnels 40 Gb/s; payload below that."""
    for key, nominal in (("usb2", 480), ("usb3", 5_000), ("usb3_10", 10_000), ("tunnel", 40_000)):
        assert CONNECTORS[key].nominal_mbps == nominal
        payload = CONNECTORS[key].payload_mbps
        assert payload is not None
        assert 0.5 * nominal <= payload < nominal


def test_what_needs_which_plug() -> None:
    """Analogue SD fits USB 2; uncompressed 1080p59.94 needs USB 3; 2160p needs more, or compression in the device (common
    practice, no source)."""
    tape, game = best(TAPE_TABLE, VHS), best(("console_home", "hd_box", "computer", "cable_hdmi", "cable_usb3"), GAME)
    assert captured_mbps(tape) < CONNECTORS["usb2"].payload_mbps  # type: ignore[operator]
    assert CONNECTORS["usb2"].payload_mbps < captured_mbps(game) < CONNECTORS["usb3"].payload_mbps  # type: ignore[operator]
    assert captured_mbps(game) == pytest.approx(1920 * 1080 * 60000 / 1001 * 20 / 1e6 + 2.304)
    large = Task("console", "2160p59.94", "stereo")
    raw = best(("console_home", "tunnel_recorder", "laptop_tunnel", "cable_hdmi", "cable_tunnel"), large)
    assert captured_mbps(raw) > CONNECTORS["usb3"].payload_mbps  # type: ignore[operator]
    assert not trace(raw).breaks
    squeezed = best(("console_home", "dongle_2160", "computer", "cable_hdmi"), large)
    assert not trace(squeezed).breaks, "it compresses inside"


def test_raw_over_one_link_and_what_recorders_make_of_2160p() -> None:
    """SMPTE ST 424: 3G-SDI carries 2.970 Gb/s. A mosaic of 3840x2160 at 23.976 is 1.99 Gb/s with 10 bits a sample and 2.39 with 12
    (arithmetic); as 4:2:2 video with blanking it needs 5.93. RDD 36 422 HQ of 2160p: 707 Mb/s at 23.976, 737 at 25 and 884 at 29.97 (its
    published table; from memory). USB 2 carries the 40 Mb/s of a recorder that compresses inside (common practice, no source)."""
    raw = Task("camera", "2160p23.976", "silent")
    table = ("camera_raw", "field_recorder", "drive_slot", "cable_sdi", "cable_sdi", "cable_hdmi")
    one = best(table, raw, where=by("sdi_3g"))
    needed = flow_over(one, one.path.picture[0]).needed
    assert needed == pytest.approx(3840 * 2160 * 24000 / 1001 * 12 / 1e6, abs=0.01)
    assert pytest.approx(needed * 10 / 12, abs=1) == 1989
    assert needed < CONNECTORS["sdi_3g"].payload_mbps == 2970  # type: ignore[operator]
    assert link_mbps("2160p23.976", "sdi_3g") == pytest.approx(5934, abs=1)
    assert captured_mbps(one) == needed, "recorded as it comes"
    for key, published in (("2160p23.976", 707), ("2160p25", 737), ("2160p29.97", 884), ("1080p29.97", 220), ("1080p25", 184)):
        video = best(table, replace(raw, format=key), Wishes(signal="video"), where=by("hdmi_2_0"))
        assert captured_mbps(video) == pytest.approx(published, rel=0.02), key
    loop = best(GAME_TABLE, GAME)
    assert (captured_mbps(loop), loop.path.host[0].out) == (40, "usb2_out")
    assert flow_over(loop, loop.path.host[0]).margin == 8


def test_equipment_as_the_trade_knows_it() -> None:
    """Common practice, no source: a combination deck has a corrector; an ordinary camera with clean output sends 2160p; a stills
    camera's raw buffer is half a gigabyte; docks and computers have no protection switch; component has two plugs more than S-Video."""
    assert CATALOGUE["combination"].corrector
    assert "2160p25" in CATALOGUE["camera_clean"].takes
    assert CATALOGUE["camera_raw"].buffer_mb == 500
    assert not any("protection" in CATALOGUE[key].settings for key in ("console_dock", "pc_graphics"))
    table = ("combination", "hd_box", "computer", "cable_component", "cable_stereo", "cable_usb3")
    told = {one.rule: one for one in trace(best(table, VHS, where=by("component"))).findings}
    assert "two plugs less" in told["false component"].remedy
    assert not {"no corrector", "tight"} & set(told)
    for key, hides in (("1080i59.94", True), ("1080p29.97", True), ("720p59.94", True), ("1080i50", False), ("1080p25", False)):
        assert ("hidden cadence" in rules_of(best(LIVE_TABLE, replace(LIVE, format=key)))) is hides, key


def test_a_narrow_link_is_told_with_its_margin() -> None:
    setup = best(TAPE_TABLE, VHS)
    flow = flow_over(setup, setup.path.host[0])
    assert flow.needed == pytest.approx(720 * 480 * 30000 / 1001 * 16 / 1e6 + 2.304)
    assert flow.margin == pytest.approx(320 / flow.needed)  # 1.9 times, as on USB 2


def test_a_card_limited_recording_stops_after_buffer_over_excess() -> None:
    """Time until stop = buffer ÷ (rate − write rate): common practice, no source."""
    assert seconds_until_full_buffer(buffer_mb=1000, rate_mbps=8 * 140, write_mbps=8 * 40) == pytest.approx(10)
    setup = best(("camera_raw", "card_slow"), Task("camera", "2160p23.976", "silent"))
    rate = 3840 * 2160 * 12 * 24000 / 1001 / 1e6 * 0.55
    assert raw_mbps(setup) == pytest.approx(rate)
    stops = trace(setup).delivery.stops_after
    assert stops == pytest.approx(CATALOGUE["camera_raw"].buffer_mb * 8 / (rate - 40 * 8), abs=0.1)
    bare = setup.changed((("camera_raw-1", "raw_compression"), "none"))
    assert trace(bare).delivery.stops_after < stops  # type: ignore[operator]


# -- facts of the trade: common practice, no source


def _first(kinds: tuple[str, ...], task: Task, wishes: Wishes | None = None) -> Setup:
    return rank_paths(equipment_of(*kinds), task, wishes)[0].trace.setup


@pytest.mark.parametrize("connector", ["s_video", "component"])
def test_s_video_and_component_carry_no_sound(connector: str) -> None:
    assert CONNECTORS[connector].carries == ("picture",)
    table = ("combination", "hd_box", "computer", f"cable_{connector}", "cable_usb3")
    assert trace(_first(table, VHS)).delivery.sound == "none"
    assert trace(_first((*table, "cable_stereo"), VHS)).delivery.sound == "there"


def test_a_deck_with_a_corrector_avoids_skew_and_laser_discs_need_none() -> None:
    assert trace(_first(BOX_TABLE, VHS)).delivery.wobble
    assert not trace(_first((*BOX_TABLE, "vhs_corrector"), VHS)).delivery.wobble
    outboard = _first((*BOX_TABLE, "corrector_box", "cable_s_video"), VHS)
    assert not trace(outboard).delivery.wobble
    assert not trace(_first(("laser_player", *BOX_TABLE[1:]), Task("laserdisc", "525i", "stereo"))).delivery.wobble


def test_wrong_settings_give_what_the_trade_says_they_give() -> None:
    tape, game, live = best(BOX_TABLE, VHS), best(GAME_TABLE, GAME), best(LIVE_TABLE, LIVE)
    for setup, knob, option, field, value in (
        (game, ("console_home-1", "protection"), "on", "picture", "black"),
        (game, ("console_home-1", "sound_to"), "headset", "sound", "none"),
        (tape, ("hd_box-1", "range"), "full", "levels", "washed out"),  # full on a limited signal looks flat
        (tape, ("hd_box-1", "deinterlace"), "blend", "fields", "blended"),
        (tape, ("hd_box-1", "shape"), "fill", "shape", "stretched"),
        (tape, ("hd_box-1", "level"), "professional", "level", "quiet"),  # −10 dBV at an input for +4 dBu
        (tape, ("hd_box-1", "level"), "mic", "level", "hot"),
        (tape, ("hd_box-1", "standard"), "625i", "picture", "torn"),
        (tape, ("computer-1", "matrix"), "bt709", "colours", "wrong"),
        (live, ("camera_clean-1", "information"), "on", "marks", ("information",)),
        (live, ("camera_clean-1", "focus_marks"), "on", "marks", ("focus squares",)),
    ):
        assert getattr(trace(setup).delivery, field) != value
        assert getattr(trace(setup.changed((knob, option))).delivery, field) == value
    grabber = best(TAPE_TABLE, VHS)
    named = grabber.changed((("computer-1", "sound_input"), "recorder"))
    assert trace(named).delivery.sound == "none", "the one listed under the recorder's name is silent"


def test_sound_of_a_camera_that_is_gone_past_comes_early() -> None:
    """The demo's interview: sound 220 ms early, because the microphone goes to the recorder and the picture through the camera."""
    table = ("camera_silent", "field_recorder", "drive_slot", "cable_hdmi", "cable_mic", "microphone_powered")
    setup = best(table, LIVE).changed((("field_recorder-1", "sound_delay"), "none"))
    assert trace(setup).delivery.sound_lead_ms == 220
    assert trace(setup.bare).delivery.sound_lead_ms == 0


def test_composite_is_taken_on_the_green_plug_and_crawls() -> None:
    setup = best(BOX_TABLE, VHS, where=by("composite"))
    assert trace(setup).delivery.crawl
    plug = next(suspect for suspect in Diagnosis(setup, ["blue"]).suspects() if suspect.cause.knob)
    assert plug.cause.knob in {("hd_box-1", "plug"), ("hd_box-1", "input")}


def test_the_preview_lags_and_the_loop_through_does_not() -> None:
    with_screen = best(GAME_TABLE, GAME, Wishes(watch=True))
    without = best(tuple(kind for kind in GAME_TABLE if kind != "screen"), GAME, Wishes(watch=True))
    assert (trace(with_screen).delivery.screen, trace(without).delivery.screen) == ("at once", "late")


def test_fast_sport_is_taken_progressive() -> None:
    """Where source and recorder offer both, 720p rather than 1080i."""
    sport = best(LIVE_TABLE, LIVE, Wishes(fast_sport=True))
    calm = best(LIVE_TABLE, LIVE)
    assert (sent_format(sport), sent_format(calm)) == ("720p59.94", "1080i59.94")
