"""Which titles of a disc are the programme, episodes, extras or menus: by running time, repetition and structure.

Every title gets evidence for its kind, each piece with a weight and its words; the certainty is the logistic of the sum.
Running times of hour slots, films and extras: common practice, no source.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from yomikomi.core.disc.contents import TitleData
from yomikomi.core.video.timecode import spoken

TitleKind = Literal["programme", "episode", "extra", "menu"]

_FILM_S = 70 * 60  # from here on a single title is a film's length
_SLOT_S = (17 * 60, 65 * 60)  # half-hour and hour slots with and without breaks
_EXTRA_S = 60  # extras last under a minute, or at any rate much less than the programme
_LIKE = 0.25  # episodes differ by less than this part of their middle length
_MUCH_SHORTER = 0.45
_MOMENT_S = 0.001  # broken tables tell of titles that last no time at all; shorter ones count as this


@dataclass(frozen=True)
class Judged:
    """``same_as``: a title with the same pictures; ``joins``: titles that this one plays one after another."""

    title: TitleData
    kind: TitleKind
    confidence: float
    reason: str
    same_as: int | None = None
    joins: tuple[int, ...] = ()


Evidence = list[tuple[float, str]]


def judge_titles(titles: Sequence[TitleData]) -> list[Judged]:
    """One judgement for each title, in their order."""
    same = _repeats(titles)
    joined = _joined(titles, same)
    whole = [t for t in titles if not _menu_like(t) and t.entry.index not in same and t.entry.index not in joined]
    longest = max((float(t.seconds) for t in whole), default=0.0)
    parts = {index for members in joined.values() for index in members}
    like = _like_lengths([t for t in whole if float(t.seconds) >= _MUCH_SHORTER * longest])
    judged: dict[int, Judged] = {}
    for title in titles:
        index = title.entry.index
        if index in same:
            continue
        if _menu_like(title):
            judged[index] = _made(title, "menu", _menu_evidence(title))
        elif index in joined:
            names = _and([str(member) for member in joined[index]])
            judged[index] = _made(title, "programme", [(2.2, f"plays titles {names} one after another")], joins=joined[index])
        elif index in parts or (index in like and len(like) >= 2 and float(title.seconds) < _FILM_S):
            judged[index] = _made(title, "episode", _episode_evidence(title, whole, like, parts))
        elif float(title.seconds) > _MUCH_SHORTER * longest and (index in like or float(title.seconds) == longest):
            judged[index] = _made(title, "programme", _programme_evidence(title, whole))
        else:
            judged[index] = _made(title, "extra", _extra_evidence(title, whole, longest))
    for index, original in same.items():
        title = next(t for t in titles if t.entry.index == index)
        first = judged[original]
        words = f"the same pictures as title {original}"
        judged[index] = Judged(title, first.kind, first.confidence, words, same_as=original, joins=first.joins)
    return [judged[title.entry.index] for title in titles]


def _made(title: TitleData, kind: TitleKind, evidence: Evidence, joins: tuple[int, ...] = ()) -> Judged:
    confidence = 1 / (1 + math.exp(-sum(weight for weight, _ in evidence)))
    words = "; ".join(words for _, words in sorted(evidence, key=lambda one: -abs(one[0])) if words)
    return Judged(title, kind, round(min(0.99, confidence), 3), words, joins=joins)


def _extent(title: TitleData) -> tuple[int, tuple[tuple[int, int], ...]]:
    return title.entry.set_number, tuple((cell.first, cell.last) for cell in title.cells)


def _repeats(titles: Sequence[TitleData]) -> dict[int, int]:
    """Titles that play the very cells of an earlier one."""
    first: dict[object, int] = {}
    found = {}
    for title in titles:
        original = first.setdefault(_extent(title), title.entry.index)
        if original != title.entry.index:
            found[title.entry.index] = original
    return found


def _joined(titles: Sequence[TitleData], same: dict[int, int]) -> dict[int, tuple[int, ...]]:
    """Titles whose cells are those of two or more others, one after another."""
    found: dict[int, tuple[int, ...]] = {}
    for title in titles:
        set_number, cells = _extent(title)
        if title.entry.index in same:
            continue
        members, at = [], 0
        others = {
            _extent(t)[1]: t.entry.index
            for t in titles
            if t is not title and t.entry.set_number == set_number and t.entry.index not in same
        }
        while at < len(cells):
            step = next((inner for inner in others if len(inner) < len(cells) and cells[at : at + len(inner)] == inner), None)
            if step is None:
                break
            members.append(others[step])
            at += len(step)
        if at == len(cells) and len(set(members)) >= 2:
            found[title.entry.index] = tuple(members)
    return found


def _menu_like(title: TitleData) -> bool:
    return title.still or (float(title.seconds) < 30 and not title.sounds)


def _menu_evidence(title: TitleData) -> Evidence:
    evidence: Evidence = [(2.5, "stands still until a button is pressed")] if title.still else []
    if not title.sounds:
        evidence.append((1.2, "no sound"))
    if float(title.seconds) < 30:
        evidence.append((0.6, f"{float(title.seconds):.1f} s long"))
    return evidence


def _like_lengths(titles: Sequence[TitleData]) -> set[int]:
    """The largest group of titles whose lengths lie close together."""
    best: set[int] = set()
    for centre in titles:
        group = {t.entry.index for t in titles if abs(float(t.seconds) / float(centre.seconds) - 1) <= _LIKE} if centre.seconds else set()
        if len(group) > len(best):
            best = group
    return best if len(best) >= 2 else set()


def _episode_evidence(title: TitleData, whole: Sequence[TitleData], like: set[int], parts: set[int]) -> Evidence:
    seconds = float(title.seconds)
    group = [t for t in whole if t.entry.index in like]
    evidence: Evidence = []
    if title.entry.index in parts:
        evidence.append((2.4, "another title plays it together with others"))
    if len(group) >= 2:
        middle = statistics.median(float(t.seconds) for t in group)
        evidence.append((0.8 + 0.35 * min(4, len(group)), f"{len(group)} titles of about {spoken(middle)}"))
        if len({(len(t.sounds), len(t.subtitles)) for t in group}) == 1:
            evidence.append((0.5, "with the same tracks"))
        if len({len(t.chapter_starts) for t in group}) == 1 and len(title.chapter_starts) > 1:
            evidence.append((0.3, "and as many chapters"))
    if _SLOT_S[0] <= seconds <= _SLOT_S[1]:
        evidence.append((0.9, "the length of a broadcast slot"))
    elif seconds < _EXTRA_S:
        evidence.append((-0.7, "short for an episode"))
    return evidence


def _programme_evidence(title: TitleData, whole: Sequence[TitleData]) -> Evidence:
    seconds = float(title.seconds)
    others = sorted((float(t.seconds) for t in whole if t is not title), reverse=True)
    evidence: Evidence = []
    if not others:
        evidence.append((1.6, "the only title with content"))
    elif seconds >= others[0]:
        times = max(seconds, _MOMENT_S) / max(others[0], _MOMENT_S)
        evidence.append((min(2.2, 1.1 * math.log2(times) + 0.4), f"{times:.1f} times as long as the next"))
    if seconds >= _FILM_S:
        evidence.append((1.6, "the length of a film"))
    elif _SLOT_S[0] <= seconds <= _SLOT_S[1]:
        evidence.append((0.7, "the length of a broadcast slot"))
    elif seconds < _EXTRA_S:
        evidence.append((-0.6, "short for a programme"))
    if others and len(title.chapter_starts) > max(len(t.chapter_starts) for t in whole if t is not title):
        evidence.append((0.6, f"{len(title.chapter_starts)} chapters, more than any other"))
    if others and len(title.sounds) + len(title.subtitles) > max(len(t.sounds) + len(t.subtitles) for t in whole if t is not title):
        evidence.append((0.5, "more tracks than any other"))
    return evidence


def _extra_evidence(title: TitleData, whole: Sequence[TitleData], longest: float) -> Evidence:
    seconds = float(title.seconds)
    share = seconds / longest if longest else 1.0
    evidence: Evidence = [(min(2.2, 3.2 * (_MUCH_SHORTER + 0.1 - share) + 0.3), f"{100 * share:.0f} % of the longest title")]
    if seconds < _EXTRA_S:
        evidence.append((0.8, "under a minute"))
    main = [t for t in whole if float(t.seconds) >= _MUCH_SHORTER * longest and t is not title]
    if main and len(title.sounds) + len(title.subtitles) < min(len(t.sounds) + len(t.subtitles) for t in main):
        evidence.append((0.7, "fewer tracks"))
    if main and len(title.chapter_starts) < min(len(t.chapter_starts) for t in main):
        evidence.append((0.4, "fewer chapters"))
    return evidence


def _and(words: Sequence[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]]) if len(words) > 1 else words[0]
