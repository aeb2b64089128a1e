"""Who is on the demo shelf. All invented."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from yomikomi.core.path.equipment import Equipment, Piece
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.video.standards import FieldOrder
from yomikomi.sim.disc.spec import DiscSpec, lessons
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

# How much of the first tape the demo has captured: enough to show, made in seconds.
EXCERPT_S = 3.0

K001 = TapePlayerSpec(standard="525i", seed=1993, tape="vhs", mixture="lively", seconds=118 * 60)
# A recorder that differs from the convention of 625 lines.
K002 = TapePlayerSpec(standard="625i", field_order=FieldOrder.BFF, seed=8, tape="video8", mixture="mixed", seconds=42 * 60)
K007 = TapePlayerSpec(standard="525i", seed=7, tape="laserdisc", mixture="mixed", seconds=55 * 60, wide=True)
# Live ones, as large as they are: a console with somebody talking over it, a camera with a film's cadence and sound that comes too
# early, and a camera of 3:2 with a wide range.
K005 = FeedSpec(1920, 1080, Fraction(60000, 1001), seed=5, commentary=True)
K006 = FeedSpec(1920, 1080, Fraction(30000, 1001), interlaced=True, seed=6, cadence="film", sound_lead_ms=220, deep_sound=True)
K008 = FeedSpec(3840, 2160, Fraction(24000, 1001), seed=8, shape="3:2", hdr=True, channels=0)
K003: DiscSpec = lessons(seconds=3.0, seed=3, part_bytes=1_000_000)
K003_TITLE = "Ferry school"
K004_SEED, K004_SECONDS = 4, 3
K004_TITLE = "Bow camera at the boat race"

# What the archive has: enough to show a good path, a broken one, and what would lift it.
EQUIPMENT = Equipment(
    pieces=tuple(
        Piece(id=f"{kind}-{number}", kind=kind, words=words, where=where)
        for kind, number, words, where in (
            ("vhs_plain", 1, "", "shelf A"),
            ("svhs_deck", 1, "", "shelf A"),
            ("camcorder_8", 1, "visitors' camcorder", "drawer 2"),
            ("laser_player", 1, "", "shelf B"),
            ("disc_drive", 1, "", "desk"),
            ("card_reader", 1, "", "desk"),
            ("console_home", 1, "", "game corner"),
            ("camera_clean", 1, "interview camera", "cupboard"),
            ("camera_raw", 1, "survey camera", "cupboard"),
            ("usb_grabber", 1, "", "desk"),
            ("hd_box", 1, "", "desk"),
            ("loop_recorder", 1, "", "game corner"),
            ("computer", 1, "", "desk"),
            ("ssd", 1, "", "desk"),
            ("screen", 1, "", "desk"),
            ("headset_wired", 1, "", "desk"),
            ("microphone_usb", 1, "", "drawer 1"),
            ("card_slow", 1, "", "cupboard"),
            ("cable_s_video", 1, "", "drawer 3"),
            ("cable_composite_stereo", 1, "", "drawer 3"),
            ("cable_usb3", 1, "", "drawer 3"),
            ("cable_hdmi", 1, "", "drawer 3"),
            ("cable_hdmi", 2, "", "drawer 3"),
        )
    )
)

_FINE = Condition(looked=True)


def _carrier(
    label: str, title: str, kind: str, standard: str, minutes: float | None, note: str, player: TapePlayerSpec | FeedSpec | None = None,
    **details: Any,
) -> tuple[Intake, dict[str, Any] | None]:  # fmt: skip
    known = {"condition": _FINE, "rights": True, "wanted": ("archive", "viewing"), **details}
    intake = Intake(
        label=label, title=title, kind=kind, format=standard, seconds=60.0 * minutes if minutes else None, note=note,
        details=CarrierDetails(**known),
    )  # fmt: skip
    return intake, player.to_json() if player else None


# What stands on the shelf from the start; K-003 and K-004 come as data.
SHELF = (
    _carrier("K-001", "Lantern parade 1993", "vhs", "525i", 118, "no time-base corrector; linear mono sound", K001,
             shape="4:3", sound="mono", marked_minutes=120, speed="SP", tags=("parade", "1993")),
    _carrier("K-002", "Kiln opening", "video8", "625i", 42, "visitors' camcorder; the recorder gives the bottom field first", K002,
             shape="4:3", sound="mono", marked_minutes=60, speed="SP", tags=("kiln",),
             condition=Condition(looked=True, ticked=("shell",))),
    _carrier("K-005", "Tide Keeper, played aloud", "console", "1080p59.94", 60,
             "content protection on; headphones in the wrong place", K005,
             shape="16:9", sound="stereo and commentary", tags=("game",),
             condition=Condition(looked=True, ticked=("console_protection", "console_headphones"))),
    _carrier("K-006", "Curator interview", "camera", "1080i59.94", 45, "23.976 inside 59.94i; sound 220 ms early", K006,
             shape="16:9", sound="stereo", tags=("interview",), wanted=("edit", "archive"), rights=False),
    _carrier("K-007", "Aquarium guide", "laserdisc", "525i", 55, "squeezed 16:9", K007, shape="16:9 squeezed", sound="two languages"),
    _carrier("K-008", "Harbour survey", "camera", "2160p23.976", None, "card-limited; wide gamut; to be cropped to three shapes", K008,
             shape="3:2", sound="silent", wanted=("edit", "upload"), tags=("survey",)),
)  # fmt: skip
