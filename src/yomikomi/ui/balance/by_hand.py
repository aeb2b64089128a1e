"""Settings that a person makes, and those of the last copy: both are offered beside what stands out."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import ValidationError
from PySide6.QtWidgets import QWidget

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.offer import Offer
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.recipe import Recipe, usual_recipes
from yomikomi.ui.balance.settings_box import SettingsBox
from yomikomi.ui.kept import keep, read_kept
from yomikomi.ui.state import AppState

_SUBJECT = "last-recipe"


class SettingsByHand:
    """``last``: recipe of the last copy that was put into the run.
    ``on_made`` is called when there are other settings by hand, then ``pick`` with their point."""

    def __init__(
        self, state: AppState, parent: QWidget, on_made: Callable[[], None], pick: Callable[[PlanePoint], None]
    ) -> None:
        self._state, self._parent, self._on_made, self._pick = state, parent, on_made, pick
        self._made: tuple[int, str, Prediction] | None = None  # of a take as it is treated
        self.last = _kept_recipe()
        self.box: SettingsBox | None = None

    def open(self, view: CarrierView | None, offer: Offer, picked: PlanePoint | None) -> None:
        """The box, with what is picked."""
        if view is None or view.take is None or view.judged is None or view.treatment is None or offer.footage is None:
            return
        start = picked.prediction.recipe if picked is not None and not picked.prediction.recipe.untouched else None
        fields = offer.footage.treatment.leaves_fields
        recipe = start or next(one for one in usual_recipes(fields=fields) if one.quality == one.row.probes[1])
        key = (view.take.id, view.treatment.digest)
        self.box = SettingsBox(self._state, view, offer, recipe, self._parent)
        self.box.chosen.connect(lambda prediction: self._take(key, prediction))
        self.box.open()

    def _take(self, key: tuple[int, str], prediction: Prediction) -> None:
        self._made = (*key, prediction)
        self._on_made()
        self._pick(PlanePoint(prediction))

    def made_for(self, view: CarrierView | None) -> PlanePoint | None:
        """The settings made by hand for a take as it is treated now."""
        made = self._made
        if made is None or view is None or view.take is None or view.treatment is None:
            return None
        return PlanePoint(made[2]) if made[:2] == (view.take.id, view.treatment.digest) else None

    def remember(self, recipe: Recipe) -> None:
        """A copy was put into the run: its settings are those of last time from now on."""
        if recipe.untouched:
            return
        self.last = recipe
        try:
            keep(_SUBJECT, recipe.model_dump(mode="json"))
        except YomikomiError as error:
            self._state.tell_error(error)


def _kept_recipe() -> Recipe | None:
    try:
        return Recipe.model_validate(read_kept(_SUBJECT))
    except ValidationError:
        return None
