"""Kinds of carriers. To add a kind, add a row to ``KINDS``."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class CarrierKind:
    """``edge``: colour of its edge on the shelf (from the colour-blind-safe set of Okabe and Ito); ``icon``: its glyph."""

    key: str
    words: str
    icon: str
    edge: str
    standards: tuple[str, ...]
    cautions: tuple[str, ...] = ()


_TAPE_CAUTIONS = (
    "White or coloured growth on the tape: mould. Do not play it; bag it and ask a conservator.",
    "Sticky, squealing or broken tape: stop, and ask a specialist.",
    "Do not open decks or monitors: mains and stored charge inside.",
)

KINDS: dict[str, CarrierKind] = {
    kind.key: kind
    for kind in (
        CarrierKind("vhs", "VHS", "cassette-tape", "#D55E00", ("525i", "625i"), _TAPE_CAUTIONS),
        CarrierKind("video8", "Video8", "cassette-tape", "#E69F00", ("525i", "625i"), _TAPE_CAUTIONS),
        CarrierKind(
            "laserdisc", "LaserDisc", "disc-3", "#56B4E9", ("525i", "625i"),
            ("Do not open the player: invisible laser light and mains inside.",),
        ),
        CarrierKind(
            "card", "camera card", "memory-stick", "#009E73", (),
            ("Copy the card before anything else, and erase it only when the copies are verified.",),
        ),
        CarrierKind("file", "file", "file-video", "#0072B2", ()),
    )
}  # fmt: skip

RIGHTS_CAUTION = "Copy only what you own or may copy; people in private recordings should agree. The law differs from place to place."


def kind_of(key: str) -> CarrierKind:
    """The kind, or the plain file for a key from a newer workspace."""
    return KINDS.get(key, KINDS["file"])
