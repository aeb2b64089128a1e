"""Who is on the demo shelf. All invented."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from yomikomi.core.path.equipment import Equipment, Piece
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.video.standards import FieldOrder
from yomikomi.sim.disc.spec import DiscSpec, lessons
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

K001 = TapePlayerSpec(standard="525i", seed=1993, tape="vhs_used", mixture="festival", seconds=118 * 60)
# A recorder that differs from the convention of 625 lines.
K002 = TapePlayerSpec(standard="625i", field_order=FieldOrder.BFF, seed=8, tape="video8_used", mixture="kiln", seconds=42 * 60)
K007 = TapePlayerSpec(standard="525i", seed=7, tape="laserdisc", mixture="aquarium", seconds=55 * 60, wide=True)
K009 = TapePlayerSpec(standard="525i", seed=61, tape="vhs_used", mixture="race", seconds=31 * 60)
# Live ones, as large as they are: a console with somebody talking over it, a camera with a film's cadence and sound that comes too
# early, and a camera of 3:2 with a wide range.
K005 = FeedSpec(1920, 1080, Fraction(60000, 1001), seed=5, commentary=True)
K006 = FeedSpec(1920, 1080, Fraction(30000, 1001), interlaced=True, seed=6, cadence="film", sound_lead_ms=220, deep_sound=True)
K008 = FeedSpec(3840, 2160, Fraction(24000, 1001), seed=8, shape="3:2", hdr=True, channels=0)

@dataclass(frozen=True)
class Lengths:
    """How much of each carrier the demo holds, in seconds: enough to judge by, made in minutes."""

    first_pass: float = 20.0
    second_pass: float = 20.0
    lossy: float = 20.0
    cut_off: float = 20.0
    failing: float = 20.0
    lesson: float = 10.0
    card: int = 12


LENGTHS = Lengths()
# Half an hour a lesson, as such discs have; the files that stand for them hold seconds, and say so.
LESSON_S = 27 * 60
K003_TITLE = "Ferry school"
K004_SEED = 4
K004_TITLE = "Bow camera at the boat race"
K004_QUALITY = 22


def ferry_school(lengths: Lengths) -> DiscSpec:
    """The disc of lessons; its tables tell the running times of the real one."""
    plain = lessons(seconds=lengths.lesson, seed=3, part_bytes=4_000_000)
    scenes = ("race", "aquarium", "festival", "festival", "still")
    titles = tuple(replace(title, scenes=name) for title, name in zip(plain.titles, scenes, strict=True))
    return replace(plain, titles=titles, told_times=Fraction(LESSON_S) / Fraction(lengths.lesson))


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
    _carrier("K-009", "Boat race 1989", "vhs", "525i", 31, "its take lies on a failing drive: something changed after it was read", K009,
             shape="4:3", sound="mono", marked_minutes=60, speed="SP", tags=("race", "1989")),
)  # fmt: skip

_PEOPLE = ("school", "harbour office", "fire brigade", "weavers", "drum group", "ferry crew", "fish market", "choir")
_EVENTS = (
    "summer festival", "sports day", "new year", "launch of the ferry", "typhoon and after", "rice planting", "graduation", "concert",
)  # fmt: skip
# Kind, standard, minutes marked on it and what is usual to find: by turns.
_KINDS = (
    ("vhs", "525i", 120, ()), ("vhs", "525i", 60, ("mould",)), ("svhs", "525i", 60, ()), ("video8", "625i", 90, ("shell",)),
    ("hi8", "525i", 60, ()), ("vhs", None, 120, ()), ("disc", "525i", None, ()), ("laserdisc", "525i", 60, ()), ("card", None, None, ()),
    ("vhs", "525i", 30, ("smell",)),
)  # fmt: skip


def backlog(count: int = 40) -> list[Intake]:
    """What waits on the shelf besides, as a volunteer wrote it down: some unfit, some of unknown length, some without a right to copy."""
    rng = random.Random(1911)
    made = []
    for number in range(count):
        kind, standard, marked, ticked = _KINDS[number % len(_KINDS)]
        group, event, year = rng.choice(_PEOPLE), rng.choice(_EVENTS), rng.randrange(1979, 2004)
        known = [key for key in ticked if key in kind_of(kind).checks]
        details = CarrierDetails(
            shape="4:3" if standard else "", sound="mono" if standard else "", marked_minutes=marked if kind_of(kind).speeds else None,
            speed="SP" if kind_of(kind).speeds and marked else "", condition=Condition(looked=bool(number % 4), ticked=tuple(known)),
            rights=rng.random() < 0.7, wanted=("archive",) if number % 3 else ("viewing", "archive"), tags=(group, str(year)),
        )  # fmt: skip
        seconds = 60.0 * marked * rng.choice((0.45, 0.8, 0.97, 1.0)) if marked and rng.random() < 0.6 else None
        title = f"{event.capitalize()} {year}, {group}"
        made.append(Intake(label=f"K-{number + 10:03d}", title=title, kind=kind, format=standard, seconds=seconds, details=details))
    return made
