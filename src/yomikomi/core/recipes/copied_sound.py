"""Sound that a copy takes over as it is: where that can be."""

from __future__ import annotations

from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.sound import HELD
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Fade


def check_copied_sound(recipe: Recipe, treatment: Treatment, reading: Reading) -> None:
    """Raises WrongUseError where a recipe wants sound as it is and the treatment, or the kind of file, does not allow it."""
    if not recipe.sound_copied or recipe.untouched:
        return
    if treatment.sound or treatment.joined:
        raise WrongUseError("The treatment changes the sound, so it cannot be copied as it is.", remedy="Choose a sound codec.")
    if treatment.get(CutOut) is not None or treatment.get(Fade) is not None:
        raise WrongUseError("Sound is faded or cut within the take, so it cannot be copied as it is.", remedy="Choose a sound codec.")
    held = HELD.get(recipe.container)
    for sound in reading.sound:
        if held is not None and treatment.takes_sound(sound.index) and sound.codec not in held:
            raise WrongUseError(
                f"The take's {sound.codec.upper()} sound is not put into {recipe.container.upper()} files.",
                remedy="Use MKV, which holds it, or choose a sound codec.",
            )
