"""Recipes as files: what "Save this recipe…" writes, and what ``--recipe`` takes."""

from __future__ import annotations

from pathlib import Path

from pydantic import ConfigDict

from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.work.document_file import read_document
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import write_over


class _RecipeFile(Recipe):
    """A name that is mistyped would be passed over, and the setting it was meant for be another."""

    model_config = ConfigDict(frozen=True, extra="forbid")


def read_recipe(path: Path) -> Recipe:
    """Raises WrongUseError for what is no recipe, and for one whose settings do not go together."""
    found = read_document(path, _RecipeFile, words="recipe", remedy="yomikomi predict --json prints one.")
    recipe = Recipe.model_validate(found.model_dump(exclude={"quality"}))
    recipe.check()
    return recipe


def write_recipe(path: Path, recipe: Recipe) -> None:
    """In the place of what was there: the person said so. Raises YomikomiError where the folder or drive does not take it."""
    try:
        write_over(path, recipe.model_dump_json(indent=1).encode())
    except OSError as error:
        raise drive_error(error, path) from error
