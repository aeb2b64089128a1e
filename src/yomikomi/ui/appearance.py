"""How the window looks to this person: the form of the theme, and how large everything is. Kept for all workspaces."""

from __future__ import annotations

import contextlib
import os
from dataclasses import asdict, dataclass
from typing import Literal, get_args

from yomikomi.ui.kept import keep, read_kept

FormKey = Literal["light", "dark", "contrast"]
FORM_WORDS: dict[FormKey, str] = {"light": "Light", "dark": "Dark", "contrast": "High contrast"}
# Everything is drawn so many times as large: text, icons, plots.
SCALES = (0.9, 1.0, 1.1, 1.25, 1.5, 1.75, 2.0)


@dataclass(frozen=True)
class Appearance:
    """``form`` of the theme, ``scale`` of all that is drawn, one of ``SCALES``."""

    form: FormKey = "light"
    scale: float = 1.0

    def larger(self, steps: int) -> Appearance:
        """So many steps larger, or smaller; at the ends it stays."""
        at = SCALES.index(self.scale)
        return Appearance(self.form, SCALES[max(0, min(len(SCALES) - 1, at + steps))])

    def next_form(self) -> Appearance:
        keys = list(FORM_WORDS)
        return Appearance(keys[(keys.index(self.form) + 1) % len(keys)], self.scale)

    @property
    def words(self) -> str:
        return f"{FORM_WORDS[self.form]}, size {self.scale * 100:.0f} %"


def read_appearance() -> Appearance:
    """What was chosen last; the usual where nothing was, or where the file is damaged. ``YOMIKOMI_FORM`` and ``YOMIKOMI_SCALE`` in
    the environment come before it."""
    found = read_kept("appearance")
    form, scale = os.environ.get("YOMIKOMI_FORM", found.get("form")), os.environ.get("YOMIKOMI_SCALE", found.get("scale"))
    with contextlib.suppress(TypeError, ValueError):
        scale = float(scale)  # type: ignore[arg-type]
    return Appearance(
        next((one for one in get_args(FormKey) if one == form), "light"), next((one for one in SCALES if one == scale), 1.0)
    )


def keep_appearance(chosen: Appearance) -> None:
    """Raises YomikomiError where the folder for settings cannot be written to."""
    keep("appearance", asdict(chosen))


APPEARANCE = read_appearance()
