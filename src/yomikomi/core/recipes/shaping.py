"""The treatment of a copy whose recipe asks for smaller pictures."""

from __future__ import annotations

from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Size


def treated_for(recipe: Recipe, treatment: Treatment, source: PictureFormat) -> Treatment:
    """The treatment, with pictures of as many lines as a recipe allows at most; nothing is ever enlarged by it. ``source``: what goes into
    the treatment."""
    if recipe.lines is None or recipe.untouched or treatment.formats(source)[-1].geometry.height <= recipe.lines:
        return treatment
    return treatment.having(Size(height=recipe.lines))
