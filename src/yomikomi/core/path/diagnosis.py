"""Where has it gone? From what is seen and heard back to what causes it on this path.

The rules of the trace, run backwards: every knob of the path is turned wrong in thought, one at a time, and the trace says
what would be seen and heard. What fits the symptoms is probable, weighed by how often such a thing is found wrong. The next
question is the one that is expected to tell most for the minutes it takes.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Set
from dataclasses import dataclass, field
from functools import cached_property

from yomikomi.core.path.catalogue import SETTINGS
from yomikomi.core.path.findings import Finding
from yomikomi.core.path.plan import plan
from yomikomi.core.path.structure import Knob, Setup
from yomikomi.core.path.trace import Trace, trace
from yomikomi.core.video.delivery import SYMPTOMS, Delivery, symptoms_of
from yomikomi.core.work.text import capital

# How people report. A symptom that is there is noticed nearly always when it is the one complained of, and left unsaid often
# enough when it is not; one that is said and not there is rare, but happens. Our own figures.
_SAID_THOUGH_ABSENT = 0.01
_UNSAID_THOUGH_THERE = 0.4
_UNSAID_THOUGH_PLAIN = 0.05  # that there is no picture, nobody overlooks
_MISREAD = 0.03  # a test read wrongly
_VERIFIED = 0.15  # what a tick on the sheet leaves of the odds: it may have been wrong, or changed since
_UNSURE = 1.5  # what could not be verified is a little more suspect
_DELIVERED = 2.0  # wrong as it comes from the shop: found wrong more often
_INHERENT = 0.25  # odds that a cost of the path itself is what is complained of
_INHERENT_BREAK = 5.0  # where the path as it stands is broken just so, that is all but certainly it
_ELSEWHERE = 0.02  # odds that it is nothing this program knows of
_SURE = 0.9  # probability at which looking further is not worth it, once somebody looked at the thing itself
_SURE_UNSEEN = 0.985  # and when nobody did
_PROBE_MINUTES = 2.0  # carrying a screen or headphones to a device

# Whoever says one of these may see any of the others: people do not tell them apart by name.
_NO_PICTURE = {"no picture", "black", "blue", "torn"}


@dataclass(frozen=True)
class Cause:
    """A thing that may be wrong. ``knob``: None for what the path costs by itself, and for what is not known here;
    ``options``: what the knob may be at for these symptoms; ``words`` tell of the first."""

    key: str
    words: str
    remedy: str
    odds: float
    symptoms: frozenset[str]
    delivery: Delivery
    knob: Knob | None = None
    options: tuple[str, ...] = ()
    broken_at: Mapping[str, str] = field(default_factory=dict, hash=False, compare=False)


@dataclass(frozen=True)
class Test:
    """A quick look or try. ``answers``: words for each outcome; ``outcome_of``: what each cause would answer."""

    key: str
    question: str
    how: str
    minutes: float
    answers: tuple[str, ...]
    outcome_of: Mapping[str, str] = field(hash=False)


@dataclass(frozen=True)
class Suspect:
    cause: Cause
    probability: float


class Diagnosis:
    """One hunt. ``seen``: keys of ``SYMPTOMS``; answers narrow it and never rule anything out wholly.

    Parameters
    ----------
    setup : the path as it is thought to be set.
    verified, unsure : knobs ticked on the sheet, and those that could not be seen.
    """

    __test__ = False

    def __init__(self, setup: Setup, seen: Iterable[str], *, verified: Iterable[Knob] = (), unsure: Iterable[Knob] = ()) -> None:
        self.setup = setup
        self.seen = frozenset(seen)
        unknown = self.seen - set(SYMPTOMS)
        if unknown:
            raise KeyError(f"no such symptom: {', '.join(sorted(unknown))}")
        self.causes = _causes(setup, set(verified), set(unsure))
        self.answers: dict[str, str] = {}
        self._weights = {cause.key: self._odds(cause) * _fit(cause.symptoms, self.seen) for cause in self.causes}

    def _odds(self, cause: Cause) -> float:
        """What the path costs anyway is no suspect for what it does not explain."""
        of_the_path = cause.knob is None and cause.key != "elsewhere"
        return cause.odds * (_SAID_THOUGH_ABSENT if of_the_path and not cause.symptoms & self.seen else 1.0)

    @cached_property
    def tests(self) -> tuple[Test, ...]:
        return (*_looks(self.setup, self.causes), *_probes(self.setup, self.causes))

    def suspects(self) -> list[Suspect]:
        """All causes, most probable first; the probabilities sum to 1."""
        total = sum(self._weights.values())
        rows = [Suspect(cause, self._weights[cause.key] / total) for cause in self.causes]
        return sorted(rows, key=lambda row: (-row.probability, row.cause.key))

    @property
    def sure(self) -> Cause | None:
        """The cause that is all but sure, where there is one: by what is to be done about it, not by every detail."""
        chances: dict[object, float] = {}
        suspects = self.suspects()
        for one in suspects:
            what = one.cause.knob or one.cause.key
            chances[what] = chances.get(what, 0.0) + one.probability
        first = suspects[0].cause
        looked = first.knob is None or self.answers.get(_look_key(first.knob)) == "no"
        return first if chances[first.knob or first.key] >= (_SURE if looked else _SURE_UNSEEN) else None

    def answer(self, test_key: str, outcome: str) -> None:
        """Take an answer in: causes that would have answered otherwise become improbable."""
        test = next(one for one in self.tests if one.key == test_key)
        if outcome not in test.answers:
            raise KeyError(f"{test_key} can be answered with {', '.join(test.answers)}")
        self.answers[test_key] = outcome
        for cause in self.causes:
            self._weights[cause.key] *= (1 - _MISREAD) if test.outcome_of[cause.key] == outcome else _MISREAD

    def next_test(self, skipped: Set[str] = frozenset()) -> Test | None:
        """The open question with most expected information for its minutes, but for those ``skipped``; None when one cause is
        all but sure, or when nothing is left to ask."""
        if self.sure is not None:
            return None
        open_tests = [test for test in self.tests if test.key not in self.answers and test.key not in skipped]
        best = max(open_tests, key=lambda test: (self._worth(test), test.key), default=None)
        return best if best is not None and self._worth(best) > 1e-4 else None

    def _worth(self, test: Test) -> float:
        return self.expected_bits(test) / test.minutes

    def expected_bits(self, test: Test) -> float:
        """Mutual information of the causes and the test's answer, in bits (Shannon 1948), with misreading counted in."""
        total = sum(self._weights.values())
        chances = dict.fromkeys(test.answers, 0.0)
        for cause in self.causes:
            chances[test.outcome_of[cause.key]] += self._weights[cause.key] / total
        others = max(1, len(test.answers) - 1)
        read = {one: p * (1 - _MISREAD) + (1 - p) * _MISREAD / others for one, p in chances.items()}
        noise = -(1 - _MISREAD) * math.log2(1 - _MISREAD) - _MISREAD * math.log2(_MISREAD / others)
        return max(0.0, -sum(p * math.log2(p) for p in read.values() if p > 0) - noise)


def _fit(shown: frozenset[str], seen: frozenset[str]) -> float:
    """How likely people report ``seen`` when ``shown`` is there."""
    likely = 1.0
    for one in seen:
        alike = _NO_PICTURE if one in _NO_PICTURE else {one}
        likely *= 0.95 if one in shown else 0.3 if alike & shown else _SAID_THOUGH_ABSENT
    for one in shown - seen:
        if not (one in _NO_PICTURE and seen & _NO_PICTURE):
            likely *= _UNSAID_THOUGH_PLAIN if one in _NO_PICTURE else _UNSAID_THOUGH_THERE
    return likely


def _causes(setup: Setup, verified: set[Knob], unsure: set[Knob]) -> list[Cause]:
    base = trace(setup)
    own = symptoms_of(base.delivery)
    found = [cause for knob in plan(setup) for cause in _wrong_turns(setup, knob, own, verified, unsure)]
    for one in base.findings:
        shown = symptoms_of(Delivery(**one.effect)) if one.effect else frozenset()
        if shown:
            key = f"path.{one.rule}.{one.place}"
            odds = _INHERENT_BREAK if one.weight == "break" else _INHERENT
            found.append(Cause(key, one.cause, one.remedy, odds, shown, base.delivery, broken_at=_broken(base)))
    other = "It is something this program does not know of: a worn cable, a broken device."
    found.append(Cause("elsewhere", other, "Exchange one piece after the other.", _ELSEWHERE, own, base.delivery))
    return found


def _wrong_turns(setup: Setup, knob: Knob, own: frozenset[str], verified: set[Knob], unsure: set[Knob]) -> Iterable[Cause]:
    """What is seen when a knob is wrong: one cause for each set of symptoms that its options give."""
    piece, key = knob
    kind, setting, right = setup.kind(piece), SETTINGS[key], plan(setup)[knob]
    options = [option for option, _ in kind.options(key) if option != right.option]
    groups: dict[frozenset[str], list[tuple[str, Trace]]] = {}
    for option in options:
        wrong = trace(setup.changed((knob, option)))
        shown = symptoms_of(wrong.delivery)
        if not shown <= own:  # else nobody would notice
            groups.setdefault(shown, []).append((option, wrong))
    for shown, members in groups.items():
        option, wrong = members[0]
        odds = setting.odds * len(members) / len(options)
        odds *= _DELIVERED if kind.delivered.get(key) in {one for one, _ in members} else 1.0
        odds *= _VERIFIED if knob in verified else _UNSURE if knob in unsure else 1.0
        blamed = _blamed(wrong, knob)
        words = blamed.cause if blamed and len(members) == 1 else f"{setting.words} of the {setup.words(piece)} is set wrong."
        remedy = blamed.remedy if blamed else f"Set it to {dict(kind.options(key))[right.option]}."
        yield Cause(
            f"{piece}.{key}={option}", words, remedy, odds, shown, wrong.delivery, knob, tuple(one for one, _ in members), _broken(wrong)
        )


def _blamed(traced: Trace, knob: Knob) -> Finding | None:
    return next((one for one in traced.findings if any(getattr(change, "knob", None) == knob for change in one.changes)), None)


def _broken(traced: Trace) -> dict[str, str]:
    """Where each strand breaks: strand to device."""
    return {strand: one.place for one in reversed(traced.breaks) for strand in one.strands}


def _looks(setup: Setup, causes: list[Cause]) -> Iterable[Test]:
    """Look whether a knob is where it should be."""
    by_knob: dict[Knob, list[Cause]] = {}
    for cause in causes:
        if cause.knob is not None:
            by_knob.setdefault(cause.knob, []).append(cause)
    planned = plan(setup)
    for knob, suspects in by_knob.items():
        piece, key = knob
        setting = SETTINGS[key]
        right = dict(setup.kind(piece).options(key)).get(planned[knob].option, planned[knob].option)
        wrong = {cause.key for cause in suspects}
        yield Test(
            _look_key(knob), f"{setting.words} of the {setup.words(piece)}: is it “{right}”?", setting.see,
            setting.minutes, ("yes", "no"),
            {cause.key: "no" if cause.key in wrong else "yes" for cause in causes},
        )  # fmt: skip


def _look_key(knob: Knob) -> str:
    return f"look {knob[0]}.{knob[1]}"


def _probes(setup: Setup, causes: list[Cause]) -> Iterable[Test]:
    """Look or listen along the way: is the strand still there behind a device?"""
    path = setup.path
    ways = {"picture": (path.source, *(link.target for link in path.picture[:-1])), "sound": tuple(link.source for link in path.sound)}
    tools = {"picture": "a screen", "sound": "headphones (start low)"}
    for strand, devices in ways.items():
        for place, piece in enumerate(devices):
            outs = setup.kind(piece).outs("picture" if strand == "picture" else "sound")
            if not outs:
                continue
            before = set(devices[: place + 1])
            yield Test(
                f"probe {strand} {piece}", f"{capital(tools[strand])} straight at the {setup.words(piece)}: is the {strand} there?",
                f"Plug {tools[strand]} into its output for a moment.", _PROBE_MINUTES, ("yes", "no"),
                {cause.key: "no" if cause.broken_at.get(strand) in before else "yes" for cause in causes},
            )  # fmt: skip
