"""Settings that a person makes, and those of the last copy: both are offered beside what stands out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from pydantic import ValidationError
from PySide6.QtWidgets import QWidget

from yomikomi.core.balance.by_hand import told_by_hand
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
    """``on_made`` is called when there are other settings by hand, then ``pick`` with their point."""

    def __init__(
        self, state: AppState, parent: QWidget, on_made: Callable[[], None], pick: Callable[[PlanePoint], None]
    ) -> None:
        self._state, self._parent, self._on_made, self._pick = state, parent, on_made, pick
        self._made: tuple[int, str, Prediction] | None = None  # of a take as it is treated
        self._last = _kept_recipe()
        self.box: SettingsBox | None = None

    def open(self, view: CarrierView | None, offer: Offer, picked: PlanePoint | None) -> None:
        """The box, with what is picked."""
        if view is None or view.take is None or view.judged is None or view.treatment is None or offer.footage is None:
            return
        start = picked.prediction.recipe if picked is not None and not picked.prediction.recipe.untouched else None
        fields = offer.footage.treatment.leaves_fields
        recipe = start or next(one for one in usual_recipes(fields=fields) if one.quality == one.row.probes[1])
        key = (view.take.id, view.treatment.digest)
        self.box = SettingsBox(self._state, view, replace(offer, by_hand=None, last=None), recipe, self._parent)
        self.box.chosen.connect(lambda prediction: self._take(key, prediction))
        self.box.open()

    def _take(self, key: tuple[int, str], prediction: Prediction) -> None:
        self._made = (*key, prediction)
        self._on_made()
        self._pick(PlanePoint(prediction))

    def beside(self, view: CarrierView | None, offer: Offer) -> Offer:
        """An offer with the settings made by hand for this take, and those of the last copy where they suit it."""
        if view is None or view.take is None or view.treatment is None or offer.footage is None:
            return offer
        made = self._made
        by_hand = PlanePoint(made[2]) if made is not None and made[:2] == (view.take.id, view.treatment.digest) else None
        told = told_by_hand(offer, self._last) if self._last is not None and offer.trials is not None else None
        prediction = told.prediction if told is not None and not told.remarks else None
        limit = offer.limit_bytes
        suits = prediction is not None and (limit is None or prediction.size_bytes.high <= limit)
        return replace(offer, by_hand=by_hand, last=PlanePoint(prediction) if prediction is not None and suits else None)

    def remember(self, recipe: Recipe) -> None:
        """A copy was put into the run: its settings are those of last time from now on."""
        if recipe.untouched:
            return
        self._last = recipe
        try:
            keep(_SUBJECT, recipe.model_dump(mode="json"))
        except YomikomiError as error:
            self._state.tell_error(error)


def _kept_recipe() -> Recipe | None:
    try:
        return Recipe.model_validate(read_kept(_SUBJECT))
    except ValidationError:
        return None
