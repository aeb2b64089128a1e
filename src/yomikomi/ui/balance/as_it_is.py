"""The take's own streams as a copy: whether it is offered, and whether outlets play it, which only its bytes tell."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.leaving import as_it_is
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.outlets.conforming import Violation, judge
from yomikomi.core.outlets.facts import Facts, facts_of
from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.ui.state import AppState


class AsItIs:
    """``changed`` is called when it became known where a take plays."""

    def __init__(self, state: AppState, changed: Callable[[], None]) -> None:
        self._state, self._changed = state, changed
        self._facts: dict[tuple[int, str | None], Facts | None] = {}  # by take and content; None while nobody knows
        self._found: dict[tuple[int, str | None, str], tuple[Violation, ...]] = {}

    def point(self, view: CarrierView | None, viewing: Viewing, outlet: Outlet | None, *, of_several: bool) -> PlanePoint | None:
        """None where the take wants an encode, where it does not play, and as long as nobody knows. ``of_several``: outlets were chosen,
        also where they have nothing in common."""
        if view is None or view.take is None or view.judged is None or view.treatment is None:
            return None
        found = as_it_is(view.take.path, view.judged, view.treatment, viewing)
        if found is None or not of_several:
            return found
        if outlet is None or not self._known(view) or self.wrong(view, outlet):
            return None
        recipe = found.prediction.recipe
        return PlanePoint(found.prediction.model_copy(update={"recipe": recipe.model_copy(update={"container": _kind(recipe, outlet)})}))

    def wrong(self, view: CarrierView | None, outlet: Outlet) -> tuple[Violation, ...]:
        """What of the take an outlet does not take; empty as long as nobody knows, and where the take wants an encode anyhow."""
        if view is None or view.take is None or view.judged is None or view.treatment is None:
            return ()
        if as_it_is(view.take.path, view.judged, view.treatment) is None or not self._known(view):
            return ()
        key = (view.take.id, view.judged.content, outlet.model_dump_json())
        facts = self._facts[view.take.id, view.judged.content]
        if key not in self._found and facts is not None:
            # The copy of it comes into another container where it has to, with its index in front.
            mended = {"index"} | ({"container"} if set(outlet.containers) & set(CODECS["source"].containers) else set())
            self._found[key] = tuple(one for one in judge(facts, outlet).violations if one.limit not in mended)
        return self._found.get(key, ())

    def asks(self, view: CarrierView | None) -> bool:
        """It is being found out where this take plays."""
        if view is None or view.take is None or view.judged is None:
            return False
        key = (view.take.id, view.judged.content)
        return key in self._facts and self._facts[key] is None

    def _known(self, view: CarrierView) -> bool:
        assert view.take is not None
        assert view.judged is not None
        key, path = (view.take.id, view.judged.content), view.take.path
        if key not in self._facts:
            self._facts[key] = None
            self._state.calls.call(
                "plays as it is", lambda: _facts_with_peaks(path), partial(self._learn, key), partial(self._forget, key), stale_allowed=True
            )
        return self._facts[key] is not None

    def _learn(self, key: tuple[int, str | None], facts: Facts) -> None:
        self._facts[key] = facts
        self._changed()

    def _forget(self, key: tuple[int, str | None], _error: YomikomiError) -> None:
        """Of a file that cannot be read more is said elsewhere; it is asked again when it is looked at again."""
        self._facts.pop(key, None)


def _kind(recipe: Recipe, outlet: Outlet) -> str:
    """The container that the streams come into: their own where the outlet takes it."""
    wished = (recipe.container, *outlet.containers)
    return next((kind for kind in wished if kind in outlet.containers and kind in recipe.row.containers), "mkv")


def _facts_with_peaks(path: Path) -> Facts:
    """With its peaks over every outlet's buffer, which take a moment in a long take."""
    facts = facts_of(path)
    for seconds in {one.buffer_seconds for one in outlets().values()}:
        facts.peak_kbps(seconds)
    return facts
