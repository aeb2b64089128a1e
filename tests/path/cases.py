"""For every rule a setup that sets it off and one, as like it as may be, that does not."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from tests.path.making import BOX_TABLE, GAME, GAME_TABLE, LIVE, LIVE_TABLE, TAPE_TABLE, VHS, best, by
from yomikomi.core.path.catalogue import CATALOGUE, SETTINGS
from yomikomi.core.path.equipment import Equipment, Piece
from yomikomi.core.path.plan import planned
from yomikomi.core.path.structure import OWN_CABLE, Link, Setup, Task, Wishes

Case = Callable[[], tuple[Setup, Setup]]
_RAW = Task("camera", "2160p23.976", "silent")
_MIC = (*LIVE_TABLE[1:], "camera_silent", "microphone_usb")
_FIELD = ("camera_silent", "field_recorder", "drive_slot", "cable_hdmi", "cable_mic")

_RAW_TABLE = ("camera_raw", "field_recorder", "drive_slot", "cable_sdi", "cable_sdi")
_POCKET = ("console_home", "field_recorder", "drive_slot", "cable_hdmi")


def tape(**knobs: str) -> Setup:
    return _set(best(BOX_TABLE, VHS), "hd_box-1", knobs)


def _set(setup: Setup, piece: str, knobs: dict[str, str]) -> Setup:
    return setup.changed(*(((piece, key), option) for key, option in knobs.items()))


def _knob(kinds: tuple[str, ...], task: Task, piece: str, key: str, wrong: str) -> Case:
    """The same path with one knob as planned and turned."""

    def case() -> tuple[Setup, Setup]:
        setup = best(kinds, task)
        return setup.changed(((piece, key), wrong)), setup

    return case


def _kinds(task: Task, wrong: tuple[str, ...], right: tuple[str, ...], wishes: Wishes | None = None) -> Case:
    return lambda: (best(wrong, task, wishes), best(right, task, wishes))


def _unplugged_cable() -> tuple[Setup, Setup]:
    right = best(TAPE_TABLE, VHS)
    return best(tuple(kind for kind in TAPE_TABLE if kind != "cable_composite_stereo"), VHS), right


def _slow_link() -> tuple[Setup, Setup]:
    """The console's gigabits squeezed into the older plug."""
    boxed = tuple("hd_box" if kind == "loop_recorder" else kind for kind in GAME_TABLE)
    right = best(boxed, GAME)
    table = ("laptop_usb2" if kind == "computer" else "cable_usb2" if kind == "cable_usb3" else kind for kind in boxed)
    recorder, laptop = "hd_box-1", "laptop_usb2-1"
    wrong = best((*table, "computer", "cable_usb3"), GAME)
    slow = Link(recorder, "usb3_out", laptop, "usb2_in", "cable_usb2-1")
    return replace(wrong, path=replace(wrong.path, computer=laptop, host=(slow,))), right


def _hub() -> tuple[Setup, Setup]:
    straight = best(TAPE_TABLE, VHS)
    table = best((*TAPE_TABLE, "hub_usb2"), VHS)
    first = Link("usb_grabber-1", "usb2_out", "hub_usb2-1", "usb2_in", OWN_CABLE)
    second = Link("hub_usb2-1", "usb2_out", "computer-1", "usb2_in", OWN_CABLE)
    return replace(table, path=replace(table.path, host=(first, second))), straight


def _tight() -> tuple[Setup, Setup]:
    """A recorder whose stream just goes through USB 2, and one with room to spare."""

    def table(mbps: float) -> Setup:
        loop = CATALOGUE["loop_recorder"].model_copy(update={"key": "own_loop", "compresses_to_mbps": mbps})
        kinds = ("console_home", "own_loop", "computer", "ssd", "cable_hdmi", "cable_usb2")
        pieces = tuple(Piece(id=f"{kind}-1", kind=kind) for kind in kinds)
        return best(Equipment(kinds=(loop,), pieces=pieces), GAME)

    return table(300.0), table(100.0)


def _measured(ffv1: float) -> Task:
    return replace(VHS, pixel_rates={"ffv1": ffv1, "h264_high": 30e6})


CASES: dict[str, Case] = {
    "cable missing": _unplugged_cable,
    "no way for sound": _kinds(
        LIVE, ("camera_silent", *LIVE_TABLE[1:]), (*_MIC,),
    ),
    "too narrow": _slow_link,
    "tight": _tight,
    "raw not taken": _knob(
        ("camera_raw", "tunnel_recorder", "laptop_tunnel", "cable_sdi", "cable_tunnel"), replace(_RAW, format="1080p25"), "camera_raw-1",
        "signal", "raw",
    ),
    "focus rate": lambda: (
        best(LIVE_TABLE, replace(LIVE, format="1080p29.97")), best(LIVE_TABLE, replace(LIVE, format="1080p25"))
    ),
    "composite": lambda: (best(TAPE_TABLE, VHS, where=by("composite")), best(TAPE_TABLE, VHS, where=by("s_video"))),
    "false component": lambda: (
        best(("combination", "hd_box", "computer", "cable_component", "cable_stereo", "cable_usb3"), VHS, where=by("component")),
        best(("console_old", "hd_box", "computer", "cable_component", "cable_stereo", "cable_usb3"), replace(GAME, format="525i")),
    ),
    "takes sound away": _kinds(GAME, (*_POCKET, "headset_wired"), GAME_TABLE, Wishes(headphones=True)),
    "unfed": lambda: (best(BOX_TABLE, VHS).changed((("cable_usb3-1", "plugged"), "loose")), best(BOX_TABLE, VHS)),
    "marks stay": _kinds(LIVE, ("camera_unclean", *LIVE_TABLE[1:]), LIVE_TABLE),
    "disc captured": lambda: (
        best(("disc_player", "hd_box", "computer", "cable_hdmi", "cable_usb3"), Task("disc", "525i")),
        best(("disc_drive", "computer"), Task("disc", "525i")),
    ),
    "interlaced sport": lambda: (
        best(LIVE_TABLE, LIVE, Wishes(fast_sport=True, scan="interlaced 1080")), best(LIVE_TABLE, LIVE, Wishes(fast_sport=True))
    ),
    "unpowered microphone": lambda: (
        best((*_FIELD, "microphone_passive"), LIVE), best((*_FIELD, "microphone_powered"), LIVE)
    ),
    "wrong output": _knob(
        ("combination", "hd_box", "computer", "cable_s_video", "cable_stereo", "cable_usb3"), VHS, "combination-1", "output",
        "composite_out",
    ),
    "wrong input": _knob(BOX_TABLE, VHS, "hd_box-1", "input", "composite_in"),
    "cannot take": lambda: (
        best(("camera_raw", "loop_recorder", "computer", "cable_hdmi", "cable_usb3"), LIVE).changed((("camera_raw-1", "send"), "2160p25")),
        best(("camera_raw", "loop_recorder", "computer", "cable_hdmi", "cable_usb3"), LIVE),
    ),
    "wrong standard": _knob(TAPE_TABLE, VHS, "usb_grabber-1", "standard", "625i"),
    "converts": lambda: (
        best(("svhs_deck", "upscaler", "loop_recorder", "computer", "cable_s_video", "cable_stereo", "cable_hdmi", "cable_usb3"), VHS),
        best(BOX_TABLE, VHS),
    ),
    "range differs": _knob(GAME_TABLE, GAME, "loop_recorder-1", "range", "full"),
    "blends": _knob(BOX_TABLE, VHS, "hd_box-1", "deinterlace", "blend"),
    "enlarges": _knob(BOX_TABLE, VHS, "hd_box-1", "size", "enlarged"),
    "two links": _knob(("camera_sdi", "field_recorder", "drive_slot", "cable_sdi"), LIVE, "field_recorder-1", "links", "two"),
    "head switching": lambda: (
        best(TAPE_TABLE, VHS), best(("laser_player", *TAPE_TABLE[1:]), Task("laserdisc", "525i", "stereo"))
    ),
    "smaller than asked": lambda: (
        best(LIVE_TABLE, replace(LIVE, format="2160p25")), best(LIVE_TABLE, LIVE)
    ),
    "no corrector": _kinds(VHS, BOX_TABLE, ("vhs_corrector", *BOX_TABLE[1:])),
    "hidden cadence": lambda: (best(LIVE_TABLE, LIVE), best(LIVE_TABLE, replace(LIVE, format="1080p25"))),
    "level differs": _knob(BOX_TABLE, VHS, "hd_box-1", "level", "professional"),
    "sound ahead": lambda: (
        best((*_FIELD, "microphone_powered"), LIVE).changed((("field_recorder-1", "sound_delay"), "none")),
        best((*_FIELD, "microphone_powered"), LIVE),
    ),
    "sound behind": _knob(BOX_TABLE, VHS, "hd_box-1", "sound_delay", "matched"),
    "shares hub": _hub,
    "two clocks": lambda: (
        best(TAPE_TABLE, VHS, where=lambda one: one.path.sound[-1].target == "computer-1"), best(TAPE_TABLE, VHS)
    ),
    "silent input": _knob(TAPE_TABLE, VHS, "computer-1", "sound_input", "recorder"),
    "matrix differs": _knob(TAPE_TABLE, VHS, "computer-1", "matrix", "bt709"),
    "order differs": _knob(TAPE_TABLE, VHS, "computer-1", "field_order", "tff"),
    "encoder too slow": lambda: (best(TAPE_TABLE, _measured(5e6)), best(TAPE_TABLE, _measured(20e6))),
    "system drive": _knob(TAPE_TABLE, VHS, "computer-1", "record_to", "system"),
    "drive too slow": lambda: (
        best(("console_home", "hd_box", "computer", "cable_hdmi", "cable_usb3"), GAME).changed((("computer-1", "codec"), "device")),
        best(GAME_TABLE, GAME),
    ),
    "drive full": lambda: (best(BOX_TABLE, replace(VHS, free_gb=20)), best(BOX_TABLE, replace(VHS, free_gb=80))),
    "side bars": lambda: (best(LIVE_TABLE, replace(LIVE, shape="3:2")), best(LIVE_TABLE, replace(LIVE, shape="16:9"))),
    "squeezed": lambda: (best(BOX_TABLE, replace(VHS, shape="16:9 squeezed")), best(BOX_TABLE, replace(VHS, shape="4:3"))),
    "card too slow": lambda: (best(("camera_raw", "card_slow"), _RAW), best(("camera_raw", "card_fast"), _RAW)),
    "watches preview": lambda: (
        best(("console_home", "loop_recorder", "computer", "ssd", "cable_hdmi", "cable_usb3"), GAME, Wishes(watch=True)),
        best(GAME_TABLE, GAME, Wishes(watch=True)),
    ),
    "hears preview": lambda: (
        best((*(kind for kind in GAME_TABLE if kind != "screen"),), GAME, Wishes(headphones=True)),
        best(GAME_TABLE, GAME, Wishes(headphones=True)),
    ),
}  # fmt: skip

_OPTICAL = ("console_home", "loop_recorder", "computer", "cable_hdmi", "cable_usb3", "cable_optical", "headset_optical")

# Settings that spoil something by themselves: a path on which each one matters, and the piece it belongs to.
_SETTING_PATHS: dict[str, tuple[tuple[str, ...], Task, Wishes, str]] = {
    "power": (BOX_TABLE, VHS, Wishes(), "svhs_deck-1"),
    "tracking": (BOX_TABLE, VHS, Wishes(), "svhs_deck-1"),
    "protection": (GAME_TABLE, GAME, Wishes(watch=True), "console_home-1"),
    "sound_to": (GAME_TABLE, GAME, Wishes(), "console_home-1"),
    "screen_sound": (("pc_graphics", *GAME_TABLE[1:]), GAME, Wishes(), "pc_graphics-1"),
    "dub": (("combination", *BOX_TABLE[1:]), VHS, Wishes(), "combination-1"),
    "plug": ((*BOX_TABLE[:4], "cable_composite_stereo", "cable_usb3"), VHS, Wishes(), "hd_box-1"),
    "shape": (BOX_TABLE, VHS, Wishes(), "hd_box-1"),
    "mic_power": ((*_FIELD, "microphone_powered"), LIVE, Wishes(), "microphone_powered-1"),
    "rate_mode": (BOX_TABLE, VHS, Wishes(), "computer-1"),
    "other_programs": (BOX_TABLE, VHS, Wishes(), "computer-1"),
    "sleep": (BOX_TABLE, VHS, Wishes(), "computer-1"),
    "main_codec": (_RAW_TABLE, _RAW, Wishes(), "camera_raw-1"),
    "optical_sound": (_OPTICAL, GAME, Wishes(headphones=True), "console_home-1"),
    "base_fed": (_OPTICAL, GAME, Wishes(headphones=True), "headset_optical-1"),
    "commentary_track": ((*GAME_TABLE, "microphone_usb"), GAME, Wishes(commentary=True), "computer-1"),
    **{
        key: (LIVE_TABLE, LIVE, Wishes(), "camera_clean-1")
        for key in (
            "information", "focus_marks", "grids", "power_saving", "heat_limit", "proxy", "phone_link", "hdmi_size", "noise_reduction",
        )
    },
}  # fmt: skip


def setting_cases() -> list[tuple[str, str]]:
    """Every option of every setting that is written down as wrong."""
    return [(key, wrong.option) for key, setting in SETTINGS.items() for wrong in setting.wrong]


def setting_case(key: str, option: str) -> tuple[Setup, Setup]:
    kinds, task, wishes, piece = _SETTING_PATHS[key]
    setup = best(kinds, task, wishes, where=lambda one: piece in one.path.devices and planned(one.trace.setup, piece, key) is not None)
    return setup.changed(((piece, key), option)), setup
