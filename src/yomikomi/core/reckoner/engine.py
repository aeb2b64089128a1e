"""Two-way sheets: when one side changes, the least recently touched side that is not pinned gives way.

A sheet is a handful of fields and the relations between them. A relation knows how to work out some of its fields from the
others; nothing is ever solved by trying numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from yomikomi.core.errors import WrongUseError
from yomikomi.core.reckoner.quantities import KINDS, parse, write
from yomikomi.core.work.text import shortened

Values = dict[str, Any]
_MOST_STEPS = 60  # a sheet has a handful of relations; more steps than this lead nowhere


class ReckonError(WrongUseError):
    """The sides contradict each other, or have no answer."""


@dataclass(frozen=True)
class Field:
    """One side of a sheet.

    Parameters
    ----------
    start : what stands there at first, as it would be typed.
    steady : gives way only when nothing else can.
    choices : for a field that is picked from a list; key and words.
    place : what of a carrier it can be sent to: ``length``, ``shape``; empty for the note.
    """

    key: str
    words: str
    kind: str
    start: str
    steady: bool = False
    choices: tuple[tuple[str, str], ...] = ()
    place: str = ""


@dataclass(frozen=True)
class Relation:
    """``solve``: for each field that can be worked out, how, in the order in which they give way; ``uses``: all its fields."""

    uses: tuple[str, ...]
    solve: Mapping[str, Callable[[Values], Any]]


@dataclass(frozen=True)
class Sheet:
    """``explain`` says in words how the values hang together."""

    key: str
    words: str
    fields: tuple[Field, ...]
    relations: tuple[Relation, ...]
    explain: Callable[[Values], list[str]]

    def field(self, key: str) -> Field:
        found = next((one for one in self.fields if one.key == key), None)
        if found is None:
            known = ", ".join(one.key for one in self.fields)
            raise WrongUseError(f"{self.words} has no side {shortened(key)!r}.", remedy=f"It has: {known}.")
        return found


@dataclass
class Reckoning:
    """A sheet being filled in.

    Attributes
    ----------
    values : by field key: exact fractions, or words for choices and timecode.
    pinned : keys that must not move.
    followed : keys that the last change moved, in order: the result.
    """

    sheet: Sheet
    values: Values = field(default_factory=dict)
    pinned: set[str] = field(default_factory=set)
    followed: list[str] = field(default_factory=list)
    _touched: dict[str, int] = field(default_factory=dict)
    _clock: int = 0

    def __post_init__(self) -> None:
        if not self.values:
            for one in self.sheet.fields:
                self.values[one.key] = _read(self.sheet, one.key, one.start)
            first = self.sheet.relations
            for relation in first:
                target = next(iter(relation.solve))
                self.values[target] = relation.solve[target](self.values)

    def type(self, key: str, words: str) -> None:
        """A person typed ``words`` into a side; the others follow. Raises WrongUseError, and leaves all as it was."""
        self.set(key, _read(self.sheet, key, words))

    def set(self, key: str, value: Any) -> None:
        before = dict(self.values)
        self._clock += 1
        touched_before = self._touched.get(key)
        self._touched[key] = self._clock
        self.values[key] = value
        try:
            self._follow(key)
        except (ReckonError, ZeroDivisionError, OverflowError, ValueError) as error:
            self.values = before
            if touched_before is None:
                del self._touched[key]
            else:
                self._touched[key] = touched_before
            if isinstance(error, WrongUseError):
                raise
            raise ReckonError("These sides have no answer together.", remedy="Change one of them.") from error

    def text(self, key: str) -> str:
        return write(self.sheet.field(key).kind, self.values[key])

    def explain(self) -> list[str]:
        return self.sheet.explain(self.values)

    def _follow(self, changed: str) -> None:
        """Each relation that a change reaches is solved for the side that gives way most easily, and again for the same side
        when a later one moves what it rests on."""
        moved = [changed]
        solved: dict[int, str] = {}
        news = [changed]
        for _ in range(_MOST_STEPS):
            if not news:
                self.followed = moved[1:]
                return
            news_key = news.pop(0)
            for number, relation in enumerate(self.sheet.relations):
                if news_key not in relation.uses or solved.get(number) == news_key:
                    continue
                target = solved.get(number) or self._gives_way(relation, moved)
                if target is None:
                    self._must_hold(relation)
                    continue
                solved[number] = target
                before = self.values[target]
                self.values[target] = relation.solve[target](self.values)
                if target not in moved:
                    moved.append(target)
                if self.values[target] != before:
                    news.append(target)
        raise ReckonError("These sides chase each other.", remedy="Pin one of them.")

    def _gives_way(self, relation: Relation, moved: list[str]) -> str | None:
        free = [key for key in relation.solve if key not in self.pinned and key not in moved]
        order = list(relation.solve)
        return min(free, key=lambda key: (self.sheet.field(key).steady, self._touched.get(key, 0), order.index(key)), default=None)

    def _must_hold(self, relation: Relation) -> None:
        target = next(iter(relation.solve))
        found = relation.solve[target](self.values)
        if write(self.sheet.field(target).kind, found) != self.text(target):
            raise ReckonError("All other sides are pinned; nothing can give way.", remedy="Unpin one of them.")


def reckon(sheet: Sheet, given: Mapping[str, str]) -> Reckoning:
    """A sheet with some sides given; they stand, the rest follows.

    Raises WrongUseError for a side that does not exist, is not understood, or contradicts the others.
    """
    made = Reckoning(sheet)
    values = {key: _read(sheet, key, words) for key, words in given.items()}
    made.pinned = set(given)
    # All given sides stand before the first relation is solved, so that none is worked out from a beginning's value.
    made.values |= values
    for key, value in values.items():
        made.set(key, value)
    return made


def _read(sheet: Sheet, key: str, words: str) -> Any:
    one = sheet.field(key)
    if one.choices:
        plain = words.strip().lower()
        for choice, spoken in one.choices:
            if plain in {choice.lower(), spoken.lower()}:
                return choice
        known = ", ".join(choice for choice, _ in one.choices)
        raise WrongUseError(f"{one.words} cannot be {shortened(words)!r}.", remedy=f"Use one of: {known}.")
    value = parse(one.kind, words)
    if value is None:
        raise WrongUseError(f"{shortened(words)!r} is no {one.kind}.", remedy=f"Write it as {KINDS[one.kind].example}.")
    return value


def positive(value: Fraction, what: str) -> Fraction:
    """For results that make sense only above nothing."""
    if value <= 0:
        raise ReckonError(f"That leaves nothing for {what}.", remedy="Change another side.")
    return value
