"""File names made from what people wrote."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yomikomi.core.ledger.views import CarrierView
    from yomikomi.core.recipes.recipe import Recipe


def next_label(taken: Iterable[str], prefix: str = "K") -> str:
    """A label that is free: the prefix with the next number."""
    tails = [label.removeprefix(f"{prefix}-") for label in taken if label.startswith(f"{prefix}-")]
    numbers = [int(tail) for tail in tails if tail.isdigit()]
    return f"{prefix}-{max(numbers, default=0) + 1:03d}"


def safe_name(text: str) -> str:
    """A file name from a person's words: letters and digits of any script kept, the rest joined by hyphens."""
    kept = "".join(c if c.isalnum() else "-" for c in text.strip().lower())
    while "--" in kept:
        kept = kept.replace("--", "-")
    # Names longer than 255 bytes are refused by most file systems; suffixes need room too.
    while len(kept.encode()) > 120:
        kept = kept[:-1]
    return kept.strip("-") or "unnamed"


def copy_stem(carrier: CarrierView, recipe: Recipe) -> str:
    return f"{safe_name(f'{carrier.label} {carrier.title}')}-{recipe.file_words}"
