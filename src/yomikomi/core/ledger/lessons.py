"""What the copies of the record teach the next predictions, and how predictions did."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Literal

from sqlalchemy import select

from yomikomi.core.balance.learning import Account, Actual, Lesson, Outcome, accounts, lesson
from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.schema import Carrier, Copy, Take
from yomikomi.core.ledger.store import Room
from yomikomi.core.recipes.codecs import TRIED
from yomikomi.core.work.processors import machine_name

Grouping = Literal["codec", "material", "machine"]
# The newest copies of a workspace that teach: more say hardly more, and take longer than a window should wait.
_NEWEST = 300
# A copy that is less than so many seconds long says nothing of how long copies take.
_SHORTEST_S = 5.0


class LessonRoom(Room):
    def of(self, material: str) -> dict[str, Lesson]:
        """For each codec of the plane of which there were copies, what they say of the next one of a carrier of this kind, on this
        machine."""
        return self._taught([_outcome(*one) for one in self._made() if _teaches(one[1])], material)

    def accounts(self, by: Grouping = "codec") -> list[Account]:
        """How predictions did as they were told, by codec, by kind of carrier or by machine."""
        made = [one for one in self._made() if not one[1].recipe.untouched]
        groups = [{"codec": told.recipe.codec, "material": kind, "machine": result.machine}[by] for kind, told, result in made]
        found = accounts((group, told, _actual(told, result)) for group, (_, told, result) in zip(groups, made, strict=True))
        if by != "codec":
            return found
        taught = self._taught([_outcome(*one) for one in made if _teaches(one[1])], "")
        return [replace(one, next=taught.get(one.group, Lesson())) for one in found]

    @staticmethod
    def _taught(outcomes: list[Outcome], material: str) -> dict[str, Lesson]:
        found = {codec: lesson(outcomes, codec=codec, material=material, machine=machine_name()) for codec in TRIED}
        return {codec: one for codec, one in found.items() if one.copies}

    def _made(self) -> Iterator[tuple[str, Prediction, CopyResult]]:
        """Copies that were predicted and made, the newest first: kind of carrier, what was told, what came out."""
        with self._store.session() as session:
            query = select(Carrier.kind, Copy.predicted, Copy.result).join(Take, Copy.take_id == Take.id).join(Carrier)
            made = query.where(Copy.state.in_(("verified", "kept")), Copy.predicted.is_not(None), Copy.result.is_not(None))
            rows = session.execute(made.order_by(Copy.id.desc()).limit(_NEWEST)).all()
        for kind, told, result in rows:
            try:
                yield kind, Prediction.model_validate(told), CopyResult.model_validate(result)
            except (ValueError, TypeError):
                continue  # a damaged row teaches nothing; it is told among the record's troubles


def _teaches(told: Prediction) -> bool:
    """What was aimed at says nothing of how trials judge sizes."""
    return told.recipe.rate.kind in {"quality", "capped"}


def _actual(told: Prediction, made: CopyResult) -> Actual:
    return Actual(made.size_bytes, made.quiet_seconds, made.fidelity(told.fidelity.viewing) if told.fidelity is not None else None)


def _outcome(kind: str, told: Prediction, made: CopyResult) -> Outcome:
    raw = told.before_lessons
    seconds = made.quiet_seconds if made.duration_seconds >= _SHORTEST_S else math.nan
    return Outcome(told.recipe.codec, kind, made.machine, raw.size_bytes, made.size_bytes, raw.encode_seconds, seconds)
