"""What a trace finds at a place of the path, and how it is mended."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from yomikomi.core.path import sentences
from yomikomi.core.path.catalogue import DeviceKind, Weight
from yomikomi.core.path.plan import option_of
from yomikomi.core.path.structure import Knob, Link, Setup
from yomikomi.core.work.text import capital

Strand = Literal["picture", "sound", "screen", "ears", "commentary"]
STRANDS: tuple[Strand, ...] = ("picture", "sound", "screen", "ears", "commentary")


@dataclass(frozen=True)
class SetOption:
    """Mend by setting a knob."""

    knob: Knob
    option: str


@dataclass(frozen=True)
class AddPiece:
    """Mend by having one more piece of a kind."""

    kind: str


Change = SetOption | AddPiece


@dataclass(frozen=True)
class Finding:
    """``effect`` names fields of ``Delivery``; ``strands``: which ones it touches, in the order of ``STRANDS``;
    ``place``: a device or cable; ``link``: where it lies on a link rather than in a device; ``says``, ``args``: the row of
    ``sentences.SAYS`` that tells it, and what fills it; ``option``: the setting, and what it is at, where that alone does it."""

    rule: str
    weight: Weight
    strands: tuple[Strand, ...]
    place: str
    says: str
    args: Mapping[str, object] = field(default_factory=dict)
    changes: tuple[Change, ...] = ()
    effect: Mapping[str, Any] = field(default_factory=dict)
    link: Link | None = None
    option: tuple[str, str] | None = None

    @property
    def clause(self) -> str:
        """What is so, as it stands within a sentence."""
        return sentences.clause(self.says, self.args)

    @property
    def remedy(self) -> str:
        """What to do about it."""
        return sentences.remedy(self.says, self.args)

    @property
    def cause(self) -> str:
        """What is so, as a sentence."""
        return f"{capital(self.clause)}."


@dataclass(frozen=True)
class Found:
    """What a rule answers when it applies, by a row of ``sentences.SAYS`` and what fills it; the trace adds place and strands."""

    says: str
    args: Mapping[str, object] = field(default_factory=dict)
    changes: tuple[Change, ...] = ()
    effect: Mapping[str, Any] = field(default_factory=dict)
    weight: Weight | None = None


@dataclass(frozen=True)
class Site:
    """A place that a strand passes: a device, or the link into it.

    Parameters
    ----------
    leg : which part of the path brings the strand here; ``link`` : the one it comes by; None at its beginning.
    """

    setup: Setup
    strand: Strand
    piece: str
    link: Link | None
    first: bool

    @property
    def kind(self) -> DeviceKind:
        return self.setup.kind(self.piece)

    @property
    def words(self) -> str:
        return self.setup.words(self.piece)

    @property
    def is_recorder(self) -> bool:
        return self.piece == self.setup.path.recorder

    @property
    def is_computer(self) -> bool:
        return self.piece == self.setup.path.computer

    def option(self, key: str) -> str | None:
        return option_of(self.setup, self.piece, key)

    def option_words(self, key: str, option: str) -> str:
        return dict(self.kind.options(key)).get(option, option)

    def set_to(self, key: str, option: str) -> SetOption:
        return SetOption((self.piece, key), option)


Check = Callable[[Site], Found | None]


@dataclass(frozen=True)
class Rule:
    """``at``: evaluated for each device, or each link, that one of ``strands`` passes; ``needs``: only in devices with that
    setting."""

    key: str
    words: str
    at: Literal["device", "link"]
    strands: tuple[Strand, ...]
    weight: Weight
    check: Check
    needs: str = ""


def the(words: str) -> str:
    """``USB grabber`` as it stands in the middle of a sentence."""
    return f"the {words}"


def gone(site: Site) -> dict[str, object]:
    """The effect of taking away the strand that is followed."""
    return {site.strand: "none"}
