"""Following the strands through a path: where each breaks, what spoils it, and what arrives.

Picture and sound are followed from their source to the recording, then the strands of those who watch, listen and speak.
A strand that is broken stops there: what lies behind the break is not looked at for it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any, Literal

from yomikomi.core.path.catalogue import SETTINGS
from yomikomi.core.path.findings import STRANDS, Finding, Found, Rule, SetOption, Site, Strand
from yomikomi.core.path.plan import format_at, planned
from yomikomi.core.path.rates import Flow, flow_over
from yomikomi.core.path.rules import RULES
from yomikomi.core.path.structure import Link, Setup
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.units import frame_rate_text

_SOUND_FIELDS = {"sound", "level", "sound_lead_ms", "drift", "commentary"}
_PICTURE_FIELDS = {one.name for one in fields(Delivery)} - _SOUND_FIELDS - {"screen", "ears"}
_GONE = {"black", "blue", "torn", "none"}
LinkState = Literal["fine", "tinted", "broken", "dead"]

_AT_DEVICE = [rule for rule in RULES.values() if rule.at == "device"]
_AT_LINK = [rule for rule in RULES.values() if rule.at == "link"]
_BY_STRAND: dict[tuple[str, Strand], list[Rule]] = {
    (at, strand): [rule for rule in rules if strand in rule.strands]
    for at, rules in (("device", _AT_DEVICE), ("link", _AT_LINK))
    for strand in STRANDS
}


@dataclass(frozen=True)
class LinkReport:
    """How one strand gets over one link. ``words``: what travels, for people; rates in Mb/s."""

    link: Link
    strand: Strand
    state: LinkState
    words: str
    flow: Flow


@dataclass(frozen=True)
class Trace:
    """``findings``: in the order the signal meets them; ``delivery``: what arrives at the recording."""

    setup: Setup
    findings: tuple[Finding, ...]
    delivery: Delivery
    states: dict[tuple[Strand, Link], LinkState]

    @cached_property
    def links(self) -> tuple[LinkReport, ...]:
        """What travels over each link, made when asked for."""
        return tuple(
            LinkReport(link, strand, state, _link_words(self.setup, link, strand), flow_over(self.setup, link))
            for (strand, link), state in self.states.items()
        )

    @property
    def breaks(self) -> tuple[Finding, ...]:
        return tuple(one for one in self.findings if one.weight == "break")

    @property
    def degradations(self) -> tuple[Finding, ...]:
        return tuple(one for one in self.findings if one.weight == "degrade")

    @cached_property
    def broken(self) -> frozenset[Strand]:
        """Strands that do not reach their end."""
        return frozenset(strand for one in self.breaks for strand in one.strands)

    @property
    def mark(self) -> str:
        """fine, look here, or wrong."""
        if self.breaks:
            return "fault"
        return "check" if self.degradations else "fine"


def trace(setup: Setup) -> Trace:
    """Follow all strands of a path as it is set."""
    walk = _Walk(setup)
    path = setup.path
    kind = setup.kind(path.source)
    main = [path.computer or path.store] if not (path.picture or path.host) else []
    walk.follow("picture", path.source, (*path.twin, *path.picture, *path.host), [one for one in (*main, path.store) if one])
    if not setup.task.silent:
        straight = path.sound[-1].target == path.computer if path.sound else False
        host = () if straight else path.host
        ends = [path.computer] if straight and path.computer else []
        embedded = not path.sound and (setup.reads_data or path.recorder == path.source)
        walk.follow("sound", path.sound_source or path.source, (*path.sound, *host), ends, skip=embedded and not host)
    wishes = setup.wishes
    if path.screen:
        walk.values["screen"] = "late" if kind.lag_ms > 500 else "at once"
        walk.branch("screen", path.screen)
    if wishes.headphones or path.ears:
        walk.values["ears"] = "at once" if path.ears else "none"
        if path.ears:
            walk.branch("ears", path.ears)
    if wishes.commentary or path.commentary:
        walk.values["commentary"] = "own" if path.commentary else "none"
        if path.commentary:
            walk.follow("commentary", path.commentary[0].source, path.commentary, [])
    return walk.result()


class _Walk:
    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self.values: dict[str, Any] = {}
        self.findings: dict[tuple[str, str, Link | None], Finding] = {}
        self.states: dict[tuple[Strand, Link], LinkState] = {}
        # Where along its way a strand broke: place in the sequence of devices; and which devices it passed.
        self.broken_at: dict[Strand, str] = {}
        self.passed: dict[Strand, list[str]] = {strand: [] for strand in STRANDS}

    def follow(self, strand: Strand, first: str, links: tuple[Link, ...], ends: list[str], *, skip: bool = False) -> None:
        """From a device over links; ``ends`` are devices at the end that no link of this strand leads to."""
        if not skip or strand == "picture":
            self._device(strand, first, None, first=True)
        for link in links:
            self._link(strand, link)
            if link not in self.setup.path.twin:  # it enters the same device as the picture's own
                self._device(strand, link.target, link, first=False)
        for piece in ends:
            if piece not in self.passed[strand]:
                self._device(strand, piece, None, first=False)

    def branch(self, strand: Strand, links: tuple[Link, ...]) -> None:
        """A strand that leaves the main ones at a device."""
        if self._dead_before(strand, links[0].source):
            self.values[strand] = "none"
            self.states.update({(strand, link): "dead" for link in links})
            self.broken_at[strand] = links[0].source
            return
        self._device(strand, links[0].source, None, first=True)
        for link in links:
            self._link(strand, link)
            self._device(strand, link.target, link, first=False)

    def _dead_before(self, strand: Strand, piece: str) -> bool:
        """Whether what the branch needs has not come as far as the device it leaves."""
        if strand == "screen":
            broken = self.broken_at.get("picture")
            if broken is None or not self._at_or_after(piece, broken):
                return False
            # A loop-through copies what comes in: protection and a wrong standard in the recorder do not hurt it.
            state = self.values.get("picture")
            return state in {"none", "blue"} or (state == "torn" and piece != broken)
        if self.values.get("screen") == "none" and self.setup.path.screen and piece == self.setup.path.screen[-1].target:
            return True
        broken = self.broken_at.get("sound")
        source_side = broken is not None and broken == (self.setup.path.sound_source or self.setup.path.source)
        protected = any(rule == "protection=on" for rule, _, _ in self.findings) and not self._sent_to_headset()
        own = piece == self.setup.path.source and self.setup.port_out(self.setup.path.ears[0]).takes_away
        # A screen plays what is protected; only recorders are refused.
        return source_side and not own and not protected and self.values.get("sound") == "none" and not self._by_optical(piece)

    def _sent_to_headset(self) -> bool:
        return self.setup.options.get((self.setup.path.source, "sound_to")) == "headset"

    def _by_optical(self, piece: str) -> bool:
        """Sound that leaves the source by another socket is not taken away by what happens at HDMI."""
        return piece == self.setup.path.source and self.setup.port_out(self.setup.path.ears[0]).connector == "optical"

    def _at_or_after(self, piece: str, broken: str) -> bool:
        passed = self.passed["picture"]
        return piece not in passed or broken not in passed or passed.index(piece) >= passed.index(broken)

    def _link(self, strand: Strand, link: Link) -> None:
        if strand in self.broken_at:
            self.states[strand, link] = "dead"
            return
        site = Site(self.setup, strand, link.target, link, first=False)
        for rule in _BY_STRAND["link", strand]:
            found = rule.check(site)
            if found is not None:
                self._apply(rule.key, rule.weight, strand, link.target, found, link)
        if link.cable:
            self._options(strand, link.cable, ("plugged",), link)
        state: LinkState = "tinted" if self._tinted(strand) else "fine"
        self.states[strand, link] = "broken" if strand in self.broken_at else state

    def _tinted(self, strand: Strand) -> bool:
        """Something has spoilt the strand before."""
        return any(strand in one.strands and one.weight == "degrade" for one in self.findings.values())

    def _device(self, strand: Strand, piece: str, link: Link | None, *, first: bool) -> None:
        self.passed[strand].append(piece)
        if strand in self.broken_at:
            return
        self._options(strand, piece, self.setup.kind(piece).all_settings, None)
        site = Site(self.setup, strand, piece, link, first=first)
        settings = self.setup.kind(piece).all_settings
        for rule in _BY_STRAND["device", strand]:
            if not rule.needs or rule.needs in settings:
                found = rule.check(site)
                if found is not None:
                    self._apply(rule.key, rule.weight, strand, piece, found, None)

    def _options(self, strand: Strand, piece: str, keys: tuple[str, ...], link: Link | None) -> None:
        """What single options spoil by themselves."""
        for key in keys if self.setup.options else ():
            setting = SETTINGS[key]
            chosen = self.setup.options.get((piece, key))
            if chosen is None or not (setting.wrong or key == "plugged") or planned(self.setup, piece, key) is None:
                continue
            for wrong in setting.wrong:
                if wrong.option == chosen:
                    right = dict(self.setup.kind(piece).options(key)).get(setting.right, setting.right)
                    name = self.setup.words(piece)
                    mend = (SetOption((piece, key), setting.right),)
                    args = {"device": name, "says": wrong.says, "knob": setting.words, "right": right}
                    found = Found("wrong option", args, mend, wrong.effect)
                    self._apply(f"{key}={wrong.option}", wrong.weight, strand, piece, found, link, option=(key, wrong.option))
            if key == "plugged" and chosen == "loose":
                mend, effect = (SetOption((piece, key), "home"),), {"picture": "none", "sound": "none"}
                found = Found("not plugged in", {"device": self.setup.words(piece)}, mend, effect)
                self._apply("plugged=loose", "break", strand, piece, found, link, option=(key, chosen))

    def _apply(
        self, rule: str, weight: Any, strand: Strand, place: str, found: Found, link: Link | None, *, option: tuple[str, str] | None = None
    ) -> None:  # fmt: skip
        if strand in self.broken_at:
            return
        effect = _effect_on(strand, found.effect)
        if not effect and found.effect:
            return  # it touches other strands only
        # A cable breaks a strand at the device that it leads to.
        self._spoil(strand, link.target if link is not None else place, effect)
        key = (rule, place, link)
        known = self.findings.get(key)
        strands = (*known.strands, strand) if known and strand not in known.strands else known.strands if known else (strand,)
        merged = {**(known.effect if known else {}), **effect}
        self.findings[key] = Finding(
            rule, found.weight or weight, strands, place, found.says, found.args, found.changes, merged, link, option
        )  # fmt: skip

    def _spoil(self, strand: Strand, place: str, effect: dict[str, Any]) -> None:
        for name, value in effect.items():
            if name == "marks":
                self.values[name] = tuple(dict.fromkeys((*self.values.get(name, ()), *value)))
            elif name == "stops_after":
                self.values[name] = min(value, self.values.get(name) or value)
            elif name in {"screen", "ears", "commentary"} and self.values.get(name) == "none":
                continue
            else:
                self.values[name] = value
        broke = (
            (strand == "picture" and effect.get("picture") in _GONE)
            or (strand == "sound" and effect.get("sound") == "none")
            or (strand in {"screen", "ears", "commentary"} and effect.get(strand) == "none")
        )
        if broke:
            self.broken_at[strand] = place

    def result(self) -> Trace:
        return Trace(self.setup, tuple(self.findings.values()), Delivery(**self.values), self.states)


def _effect_on(strand: Strand, effect: Any) -> dict[str, Any]:
    """The part of an effect that touches a strand; what takes picture or sound away takes it from watchers and listeners too."""
    if strand == "picture":
        return {name: value for name, value in effect.items() if name in _PICTURE_FIELDS or name == "screen"}
    if strand == "sound":
        return {name: value for name, value in effect.items() if name in _SOUND_FIELDS or name == "ears"}
    if strand in effect:
        return {strand: effect[strand]}
    carried = "picture" if strand == "screen" else "sound"
    return {strand: "none"} if effect.get(carried) in _GONE - {"black"} else {}


def _link_words(setup: Setup, link: Link, strand: Strand) -> str:
    path = setup.path
    if link in path.host:
        return "data"
    if strand in {"picture", "screen"}:
        key = format_at(setup, link.target) if link in path.picture else format_at(setup, path.recorder)
        name, frames = re.match(r"(\d+[ip])(.*)", key).groups()  # type: ignore[union-attr]
        return f"{name} {frames or frame_rate_text(FORMATS[key].rate)}"
    return setup.port_out(link).words
