"""Ranking paths: seven sides, each 0…1, weighed; and the reason of each rank, made from comparing it with another."""

from __future__ import annotations

import math
from dataclasses import dataclass

from yomikomi.core.path.catalogue import CONNECTORS
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.finder import find_paths
from yomikomi.core.path.findings import Finding
from yomikomi.core.path.rates import flow_over
from yomikomi.core.path.sentences import said
from yomikomi.core.path.structure import Path, Setup, Task, Wishes
from yomikomi.core.path.trace import Trace, trace
from yomikomi.core.video.delivery import Delivery

# What a symptom leaves of the picture's worth, of the sound's, of steadiness. Our own weights, used for ranking only.
_PICTURE_COSTS = {
    "levels": 0.7, "colours": 0.5, "marks": 0.35, "fields": 0.75, "order": 0.6, "shape": 0.75, "detail": 0.8,
}  # fmt: skip
_SOUND_COSTS = {"level": 0.5, "sound_lead_ms": 0.6, "drift": 0.6}
_STEADINESS_COSTS = {"wobble": 0.45, "noise_bars": 0.6, "drops": 0.6, "stops_after": 0.3}
_RISK = 0.9  # each thing that may go wrong
_BROKEN = 0.4  # what a break leaves of the whole
_WHOLE = Delivery()

SIDES: dict[str, str] = {
    "picture": "picture", "sound": "sound", "steadiness": "steadiness", "lag": "lag", "margin": "room on the links",
    "boxes": "few boxes", "wishes": "requirements met",
}  # fmt: skip


@dataclass(frozen=True)
class Side:
    """``value`` 0…1; ``because``: what it rests on, as a clause: said("S-Video")."""

    value: float
    because: str


@dataclass(frozen=True)
class Ranked:
    """``score`` 0…100; ``place`` from 1; ``reasons``: sentences."""

    place: int
    path: Path
    trace: Trace
    sides: dict[str, Side]
    score: float
    reasons: tuple[str, ...]

    @property
    def mark(self) -> str:
        return self.trace.mark


def rank_paths(equipment: Equipment, task: Task, wishes: Wishes | None = None) -> list[Ranked]:
    """Every path with what is planned for its settings, best first. Paths without a break come before all others."""
    wishes = wishes or Wishes()
    rated = []
    for path in find_paths(equipment, task, wishes):
        traced = trace(Setup(equipment, path, task, wishes))
        sides = rate(traced)
        rated.append(
            (bool(traced.breaks), -score_of(sides, wishes, broken=bool(traced.breaks)), len(path.devices), path.key, traced, sides)
        )
    rated.sort(key=lambda row: row[:4])
    made: list[Ranked] = []
    for number, (_broken, minus_score, _boxes, _key, traced, sides) in enumerate(rated):
        other = rated[1] if number == 0 and len(rated) > 1 else rated[0] if number else None
        reasons = _reasons(traced, sides, (other[4], other[5]) if other else None, wishes, first=number == 0)
        made.append(Ranked(number + 1, traced.setup.path, traced, sides, -minus_score, reasons))
    return made


def score_of(sides: dict[str, Side], wishes: Wishes, *, broken: bool) -> float:
    """0…100: the weighted mean of the sides; a break leaves 0.4 of it."""
    total = sum(wishes.weight(side) for side in SIDES)
    mean = sum(wishes.weight(side) * sides[side].value for side in SIDES) / total if total else 0.0
    return 100 * mean * (_BROKEN if broken else 1.0)


def rate(traced: Trace) -> dict[str, Side]:
    return {
        "picture": _picture(traced), "sound": _sound(traced), "steadiness": _steadiness(traced), "lag": _lag(traced),
        "margin": _margin(traced), "boxes": _boxes(traced), "wishes": _wishes(traced),
    }  # fmt: skip


def route_words(setup: Setup) -> str:
    """``plain VHS deck → S-Video + stereo line → USB grabber``: how a path is called in a list."""
    path = setup.path
    if path.recorder == path.source:
        end = path.computer or path.store
        return f"{setup.words(path.source)} → {setup.words(end)}" if end else setup.words(path.source)
    words = setup.words(path.source)
    for link in path.picture:
        plugs = setup.port_out(link).words
        beside = [one for one in path.sound if one not in path.picture and one.target == link.target and one.cable is not None]
        if beside:
            plugs += f" + {setup.port_out(beside[0]).words}"
        words += f" → {plugs} → {setup.words(link.target)}"
    if path.sound and path.sound[0] not in path.picture and path.sound[-1].target not in {link.target for link in path.picture}:
        words += f", sound by {setup.words(path.sound[0].target)}"
    elif (not path.sound or path.sound[0].cable is None) and not setup.task.silent:
        words += ", no sound"
    return words


def _costs(delivery: Delivery, table: dict[str, float]) -> float:
    return math.prod(cost for name, cost in table.items() if getattr(delivery, name) != getattr(_WHOLE, name))


def _worst(traced: Trace, fields: set[str]) -> Finding | None:
    """The finding that weighs most among those that touch some fields."""
    order = {"break": 0, "degrade": 1, "risk": 2}
    touching = [one for one in traced.findings if fields & set(one.effect)]
    return min(touching, key=lambda one: order[one.weight], default=None)


def _picture(traced: Trace) -> Side:
    setup, delivery = traced.setup, traced.delivery
    if delivery.picture != "there":
        worst = _worst(traced, {"picture"})
        return Side(0.0, worst.clause if worst else said("no picture"))
    names = []
    for link in setup.path.picture:
        port = setup.port_out(link)
        false = port.connector == "component" and not setup.kind(link.source).true_component
        names.append("s_video" if false else port.connector)
    fidelity = math.prod(CONNECTORS[name].fidelity for name in names)
    value = fidelity * _costs(delivery, _PICTURE_COSTS)
    worst = _worst(traced, {*_PICTURE_COSTS, "crawl"})
    if worst is not None:
        return Side(value, worst.clause)
    return Side(value, _CONNECTOR_WORDS.get(names[-1] if names else "", said("as data")))


_CONNECTOR_WORDS = {
    "composite": said("composite"), "s_video": said("S-Video"),
    "component": said("component"),
}  # fmt: skip


def _sound(traced: Trace) -> Side:
    if traced.setup.task.silent:
        return Side(1.0, said("silent"))
    if traced.delivery.sound != "there":
        worst = _worst(traced, {"sound"})
        return Side(0.0, worst.clause if worst else said("no sound"))
    worst = _worst(traced, set(_SOUND_COSTS))
    worth, converter = _converter(traced.setup)
    return Side(worth * _costs(traced.delivery, _SOUND_COSTS), worst.clause if worst else converter)


def _converter(setup: Setup) -> tuple[float, str]:
    """What converts the sound to numbers: a separate interface often beats a recorder's own converter (common practice)."""
    last = next((link for link in setup.path.sound if setup.port_in(link).analogue), None)
    if last is None:
        return 1.0, said("sound complete")
    role = setup.kind(last.target).role
    if role == "computer":
        return 0.93, said("own line input")
    return (1.0, said("sound interface")) if role == "interface" else (0.96, said("recorder converts"))


def _steadiness(traced: Trace) -> Side:
    risks = [one for one in traced.findings if one.weight == "risk"]
    value = _costs(traced.delivery, _STEADINESS_COSTS) * _RISK ** len(risks)
    worst = _worst(traced, set(_STEADINESS_COSTS)) or (risks[0] if risks else None)
    if worst is not None:
        return Side(value, worst.clause)
    corrected = any(traced.setup.kind(piece).corrector for piece in traced.setup.path.devices)
    return Side(value, said("corrected") if corrected else said("steady"))


def _lag(traced: Trace) -> Side:
    delivery = traced.delivery
    worst = {"late": 0.3, "none": 0.0}
    value = min(worst.get(delivery.screen, 1.0), worst.get(delivery.ears, 1.0))
    finding = _worst(traced, {"screen", "ears"})
    return Side(value, finding.clause if finding and value < 1 else said("no lag"))


def _margin(traced: Trace) -> Side:
    flows = (flow_over(traced.setup, link) for _, link in traced.states)
    margins = [flow.margin for flow in flows if flow.margin is not None]
    lowest = min(margins, default=4.0)
    # Twice what is needed is half of the way to comfortable, four times is comfortable.
    return Side(max(0.0, min(1.0, math.log2(max(lowest, 1.0)) / 2)), said("tightest link", margin=lowest))


def _boxes(traced: Trace) -> Side:
    count = len(traced.setup.path.devices)
    return Side(1 / (1 + 0.15 * max(0, count - 2)), said("devices", count=count))


def _wishes(traced: Trace) -> Side:
    wishes, path, delivery = traced.setup.wishes, traced.setup.path, traced.delivery
    asked = {
        "watching without lag": (wishes.watch, delivery.screen == "at once"),
        "headphones": (wishes.headphones, delivery.ears == "at once"),
        "commentary on its own track": (wishes.commentary, delivery.commentary == "own"),
        "a second recording": (wishes.second, bool(path.second)),
    }
    wanted = {name: met for name, (wanted, met) in asked.items() if wanted}
    missing = [name for name, met in wanted.items() if not met]
    value = 1 - len(missing) / len(wanted) if wanted else 1.0
    return Side(value, said("requirements missed", missing=" and ".join(missing)) if missing else said("requirements met"))


_SIDE_FIELDS: dict[str, set[str]] = {
    "picture": {*_PICTURE_COSTS, "crawl", "picture"}, "sound": {*_SOUND_COSTS, "sound"}, "steadiness": set(_STEADINESS_COSTS),
    "lag": {"screen", "ears"},
}  # fmt: skip


def _sets_apart(worse: Trace, better: Trace, side: str) -> str:
    """What the worse of two paths suffers from on a side, and the better does not; empty where that is no finding."""
    fields = _SIDE_FIELDS.get(side, set())
    shared = {one.rule for one in better.findings}
    apart = [
        one for one in worse.findings
        if one.rule not in shared and (fields & set(one.effect) or (side == "steadiness" and one.weight == "risk"))
    ]  # fmt: skip
    return apart[0].clause if apart else ""


def _reasons(
    traced: Trace, sides: dict[str, Side], other: tuple[Trace, dict[str, Side]] | None, wishes: Wishes, *, first: bool
) -> tuple[str, ...]:
    """Sentences made from what sets a path apart from the best one (the best: from the next)."""
    if other is None:
        return (said("only path"),)
    if traced.breaks and not other[0].breaks:
        return tuple(said("breaks", clause=one.clause) for one in traced.breaks[:2])
    gains = {side: wishes.weight(side) * (sides[side].value - other[1][side].value) for side in SIDES}
    sign = 1 if first else -1
    telling = sorted((side for side in SIDES if sign * gains[side] > 0.02), key=lambda side: -sign * gains[side])
    lines = []
    for side in telling[:2]:
        worse, better = (other[0], traced) if first else (traced, other[0])
        because = _sets_apart(worse, better, side) or (other[1] if first else sides)[side].because
        lines.append(
            said("ahead" if first else "behind", side=SIDES[side], because=because)
        )
    if not lines:
        return (said("equal to next" if first else "equal to best", because=sides["boxes"].because),)
    return tuple(lines)
