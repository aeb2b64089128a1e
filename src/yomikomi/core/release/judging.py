"""Whether a take may go: each rule by itself, with what was found and what would satisfy it. Pure: facts in, judgement out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.release.rules import ReleaseRules
from yomikomi.core.video.units import counted


@dataclass(frozen=True)
class LocationFacts:
    """A file of a copy in one place. ``checked_at``: when it was last read whole."""

    disk: str
    state: str
    checked_at: datetime


@dataclass(frozen=True)
class CopyFacts:
    """A copy of the take that was made. ``kinds``: all that it counts as (codec, outlet, lossless); ``looked``: spots found good by a
    person; ``objected``: spots found poor or wrong since."""

    name: str
    state: str
    kinds: frozenset[str]
    looked: int = 0
    objected: int = 0
    locations: tuple[LocationFacts, ...] = ()


@dataclass(frozen=True)
class TakeFacts:
    """``ours``: its files lie in the workspace; ``needed``: what still wants it (copies that wait); ``findings``: what is open about it."""

    label: str
    state: str
    made_at: datetime
    ours: bool
    rights: bool
    needed: tuple[str, ...]
    findings: tuple[str, ...]
    copies: tuple[CopyFacts, ...]


class RuleResult(BaseModel):
    """``needed``: what would satisfy it; empty where it holds."""

    model_config = ConfigDict(frozen=True)

    rule: str
    held: bool
    found: str
    needed: str = ""


class Judgement(BaseModel):
    """All rules must hold."""

    model_config = ConfigDict(frozen=True)

    label: str
    may: bool
    results: tuple[RuleResult, ...] = Field(description="those that fail first")


def judge(rules: ReleaseRules, facts: TakeFacts, now: datetime) -> Judgement:
    """``now`` and all times of the facts know their time zone. A time that lies ahead counts for nothing: some clock was wrong."""
    good = [one for one in facts.copies if one.state == "verified"]
    sound = [one for one in good if any(place.state == "whole" for place in one.locations)]
    results = [
        _ours(facts), _needed(facts), _copies(rules, sound, good), *(_kind(kind, sound) for kind in rules.kinds),
        _rehashed(rules, sound, now), _disks(rules, sound), _looked(rules, sound), _age(rules, facts, now),
    ]  # fmt: skip
    if rules.rights:
        results.append(_made("rights", facts.rights, "settled", "not settled", "Say on the Shelf that we hold the rights or may copy it."))
    if rules.no_findings:
        results.append(_findings(facts))
    return Judgement(
        label=facts.label, may=all(one.held for one in results), results=tuple(sorted(results, key=lambda one: one.held))
    )  # fmt: skip


def _made(rule: str, held: bool, good: str, bad: str, needed: str) -> RuleResult:
    return RuleResult(rule=rule, held=held, found=good if held else bad, needed="" if held else needed)


def _ours(facts: TakeFacts) -> RuleResult:
    held = facts.ours and facts.state in {"whole", "mended"}
    bad = "its file lies outside the workspace, and is not ours to move" if not facts.ours else f"the take is {facts.state}"
    return _made("take", held, "whole, in the workspace", bad, "Only takes of the workspace that are there are released.")


def _needed(facts: TakeFacts) -> RuleResult:
    bad = f"still needed: {', '.join(facts.needed)}"
    return _made("no work waits", not facts.needed, "nothing waits for it", bad, "Let the run finish, or remove those copies from it.")


def _copies(rules: ReleaseRules, sound: Sequence[CopyFacts], good: Sequence[CopyFacts]) -> RuleResult:
    words = counted(len(sound), "verified copy", "verified copies") + " there and whole"
    lost = f" ({len(good) - len(sound)} more on record are not)" if len(good) > len(sound) else ""
    needed = f"{counted(rules.copies, 'verified copy', 'verified copies')}; make more, or repair what is damaged."
    return _made("copies", len(sound) >= rules.copies, words + lost, words + lost, needed)


def _kind(kind: str, sound: Sequence[CopyFacts]) -> RuleResult:
    return _made(
        f"a copy: {kind}", any(kind in one.kinds for one in sound), "there", "none", f"Make and verify a copy that is {kind}."
    )  # fmt: skip


def _rehashed(rules: ReleaseRules, sound: Sequence[CopyFacts], now: datetime) -> RuleResult:
    """Of every copy that counts, at least one file on each drive that counts: so of all that are whole."""
    limit = timedelta(hours=rules.rehashed_hours)
    places = [place for one in sound for place in one.locations if place.state == "whole"]
    old = [place for place in places if not timedelta(0) <= now - place.checked_at <= limit]
    bad = f"{len(old)} of {counted(len(places), 'file', 'files')} not read within {rules.rehashed_hours:g} h" if places else "no file"
    words = f"all {len(places)} read within {rules.rehashed_hours:g} h"
    return _made("checked again", bool(places) and not old, words, bad, "Check the copies again.")


def _disks(rules: ReleaseRules, sound: Sequence[CopyFacts]) -> RuleResult:
    """Drives that hold a verified copy each; one that cannot be told may be any of the others."""
    disks = {place.disk for one in sound for place in one.locations if place.state == "whole"}
    count = len(disks - {""}) or len(disks)
    words = f"on {counted(count, 'drive', 'drives')}"
    return _made("drives", count >= rules.disks, words, words, f"Copy them to a place on another drive, {rules.disks} in all.")


def _looked(rules: ReleaseRules, sound: Sequence[CopyFacts]) -> RuleResult:
    most = max((one.looked for one in sound if not one.objected), default=0)
    words = f"{counted(most, 'spot', 'spots')} looked at and good"
    return _made("looked at", most >= rules.looked, words, words, f"Look at {rules.looked} spots of one copy.")


def _age(rules: ReleaseRules, facts: TakeFacts, now: datetime) -> RuleResult:
    days = (now - facts.made_at).total_seconds() / 86_400
    words = f"made {days:.0f} days ago" if days >= 0 else "made in the future, as the clock says"
    return _made("age", days >= max(0.0, rules.age_days), words, words, f"Wait until it is {rules.age_days:g} days old.")


def _findings(facts: TakeFacts) -> RuleResult:
    open_ = [*facts.findings]
    for one in facts.copies:
        if one.state == "doubtful":
            open_.append(f"{one.name} failed a check")
        if one.objected:
            open_.append(f"{one.name} was found poor when looked at")
        open_ += [f"a file of {one.name} is {place.state}" for place in one.locations if place.state != "whole"]
    bad = "; ".join(open_[:4]) + ("…" if len(open_) > 4 else "")
    return _made("no open finding", not open_, "none", bad, "Settle each: repair, copy again, or say why it may stay.")


