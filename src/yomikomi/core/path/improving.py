"""What would lift a path: searching over additions to the equipment, not over canned tips.

Everything the catalogue could add is put on the table at once, marked as not there. Each path found then says by itself
what it would need; the fewest additions that lead to a better best path are the answer.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from yomikomi.core.path.catalogue import CATALOGUE
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.finder import find_paths
from yomikomi.core.path.ranking import Ranked, rate, score_of
from yomikomi.core.path.structure import Link, Path, Setup, Task, Wishes
from yomikomi.core.path.trace import trace
from yomikomi.core.work.text import capital

_MOST_ADDED = 3  # pieces bought for one path
_MOST_ADDED_TO_NOTHING = 6  # where there is none yet
_MOST_ANSWERS = 4
# Roles that somebody may add; the carrier's own source only where there is none at all.
_ADDABLE = {"cable", "recorder", "converter", "interface", "screen", "amplifier", "drive", "card", "microphone", "headset", "hub"}
# Points of the score (of 100) that a cable, and any other device, must bring to be worth a word.
_LEAST_GAIN, _LEAST_GAIN_DEVICE = 1.5, 4.0
_TWICE = ("cable_hdmi", "cable_stereo")  # kinds that one path may need two of


@dataclass(frozen=True)
class Improvement:
    """``adds``: kinds, each as often as it is needed; ``score``: of the path that they make, ``before``: of the one compared with."""

    adds: tuple[str, ...]
    path: Path
    score: float
    before: float
    words: str


def improvements(equipment: Equipment, task: Task, wishes: Wishes, ranked: Sequence[Ranked], chosen: Ranked | None) -> list[Improvement]:
    """Additions that lead past the chosen path (or past the best, where none is chosen), the least effort first.

    ``ranked`` : what there is now, best first.
    """
    now = chosen or (ranked[0] if ranked else None)
    before = now.score if now else 0.0
    everything, added = _with_additions(equipment, task, players=not ranked)
    found: dict[tuple[str, ...], tuple[float, Path]] = {}
    best = ranked[0].score if ranked else 0.0
    for whole in find_paths(everything, task, wishes, last=added):
        for path in _variants(whole, added):
            needed = tuple(sorted(everything.by_id[piece].kind for piece in (*path.devices, *path.cables) if piece in added))
            if not needed or len(needed) > (_MOST_ADDED if ranked else _MOST_ADDED_TO_NOTHING):
                continue
            traced = trace(Setup(everything, path, task, wishes))
            score = score_of(rate(traced), wishes, broken=bool(traced.breaks))
            # It lifts the path chosen, or else it must be better than anything there is.
            alike = now is not None and (path.source, path.recorder) == (now.path.source, now.path.recorder)
            bar = (before if alike else max(before, best)) + sum(_least_gain(key) for key in needed)
            if not traced.breaks and score >= bar and (needed not in found or score > found[needed][0]):
                found[needed] = (score, path)
    kept = _undominated(found)
    return [_improvement(adds, score, path, now, ranked) for adds, (score, path) in kept[:_MOST_ANSWERS]]


def _least_gain(kind: str) -> float:
    return _LEAST_GAIN if CATALOGUE[kind].role == "cable" else _LEAST_GAIN_DEVICE


def _variants(path: Path, added: set[str]) -> Iterator[Path]:
    """The path as found, and with what is not wanted badly left away where it would have to be bought."""
    yield path
    bought = {leg: () for leg in ("screen", "ears", "commentary", "second") if _uses(path.leg(leg), added)}
    bare = replace(path, **bought, store=None if path.store in added and path.computer else path.store)  # type: ignore[arg-type]
    if bare != path:
        yield bare
        if bare.store != path.store:
            yield replace(path, **bought)  # type: ignore[arg-type]
            yield replace(path, store=bare.store)


def _uses(links: Sequence[Link], added: set[str]) -> bool:
    return any(piece in added for link in links for piece in (link.source, link.target, link.cable))


def _with_additions(equipment: Equipment, task: Task, *, players: bool) -> tuple[Equipment, set[str]]:
    """My equipment and one of everything that could be added; and the ids of what is not there."""
    # What is mine comes first, and stays first among what is alike: additions are taken only where nothing else is free.
    more, added = equipment, set()
    for kind in CATALOGUE.values():
        here = {piece.kind for piece in equipment.pieces}
        mine = kind.key in here
        wanted = kind.role in _ADDABLE or (task.kind in kind.plays and (players or kind.corrector or kind.role == "reader"))
        if kind.role == "computer":
            wanted = not any(equipment.known[one].role == "computer" for one in here)
        if not wanted or (mine and kind.role != "cable"):
            continue
        for _ in range(2 if kind.key in _TWICE else 1):
            piece_id = more.free_id(f"new.{kind.key}")
            more = more.with_piece(kind.key, piece_id=piece_id)
            added.add(piece_id)
    return more, added


def _effort(adds: tuple[str, ...]) -> int:
    """A cable is soon had; any other device takes as much as three."""
    return sum(1 if CATALOGUE[kind].role == "cable" else 3 for kind in adds)


def _undominated(found: dict[tuple[str, ...], tuple[float, Path]]) -> list[tuple[tuple[str, ...], tuple[float, Path]]]:
    """The least effort first; an answer goes when another gives as much for no more effort, or nearly as much for a part of it."""
    rows = sorted(found.items(), key=lambda row: (_effort(row[0]), -row[1][0]))
    kept: list[tuple[tuple[str, ...], tuple[float, Path]]] = []
    for adds, (score, path) in rows:
        worth = any(mark >= score - (_LEAST_GAIN if set(other) <= set(adds) else 0) for other, (mark, _) in kept)
        if not worth:
            kept.append((adds, (score, path)))
    return kept


def _improvement(adds: tuple[str, ...], score: float, path: Path, now: Ranked | None, ranked: Sequence[Ranked]) -> Improvement:
    names = [f"{'an' if _vowel(CATALOGUE[key].words) else 'a'} {CATALOGUE[key].words}" for key in adds]
    thing = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    better = 1 + sum(one.score > score for one in ranked)
    if now is None:
        words = f"{capital(thing)} would make a path at all."
    elif better <= 1:
        words = f"{capital(thing)} would give a path better than all you have: {score:.0f} against {now.score:.0f} points."
    else:
        words = f"{capital(thing)} would lift you from {_nth(now.place)} to {_nth(better)}."
    return Improvement(adds, path, score, now.score if now else 0.0, words)


def _vowel(words: str) -> bool:
    """Whether a name is spoken with a vowel first: an S-Video cable, an HDMI cable, but a USB cable."""
    first = words.split(maxsplit=1)[0]
    return first[0].lower() in "aeio8" or first.startswith(("S-", "HDMI", "SDI", "HD "))


def _nth(place: int) -> str:
    return f"{place}{'th' if 10 <= place % 100 <= 20 else {1: 'st', 2: 'nd', 3: 'rd'}.get(place % 10, 'th')}"
