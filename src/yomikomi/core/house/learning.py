"""What a person's answers say of the rules. Nothing is changed by itself: it is asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from yomikomi.core.house.rules import HouseRules

# So many of the last so many answers on one topic that go the other way are worth a question.
OF_LAST, OTHERWISE = 5, 3


@dataclass(frozen=True)
class Answer:
    """To one carrier that differed: ``went_on``: it was taken through as the rules say all the same."""

    topics: tuple[str, ...]
    went_on: bool


@dataclass(frozen=True)
class Proposal:
    """``changed``: the rules as they would be."""

    topic: str
    words: str
    changed: HouseRules


def proposals(rules: HouseRules, answers: Sequence[Answer]) -> list[Proposal]:
    """``answers``: the newest last."""
    found = []
    for topic in dict.fromkeys(topic for answer in answers for topic in answer.topics):
        last = [answer for answer in answers if topic in answer.topics][-OF_LAST:]
        went_on = sum(answer.went_on for answer in last)
        if went_on >= OTHERWISE and (changed := _without(rules, topic)) is not None:
            words = f"You went on all the same on {went_on} of the last {len(last)} with a difference in {topic}. Change the rules?"
            found.append(Proposal(topic, words, changed))
    return found


def _without(rules: HouseRules, topic: str) -> HouseRules | None:
    """The rules that do not ask about that any more; None where they cannot but ask."""
    changes: dict[str, dict[str, object]] = {
        "scan": {"certainty": 0.0, "field_order": "", "scan": ()}, "rate": {"rate": ""}, "losses": {"lost_an_hour": 1e6},
        "sound": {"clipped": True, "silent": True}, "damage": {"damaged": True}, "length": {"shortest_seconds": 0.0},
        "size": {"bytes_an_hour": None},
    }  # fmt: skip
    if topic not in changes:
        return None
    limits = rules.limits.model_copy(update=changes[topic])
    return rules.model_copy(update={"limits": limits}) if limits != rules.limits else None
