"""Words that came from elsewhere, made safe to show: names of files, tags, labels."""

from __future__ import annotations

import re
import unicodedata
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pydantic import ValidationError

# Control characters, which a terminal would obey; those that change the direction of writing; stand-ins for bytes that are no text;
# what is assigned to nothing; separators of lines and paragraphs.
_HIDDEN = frozenset({"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"})
_KEPT = "\n\t"


def printable(words: str) -> str:
    """The same words with the sign for what cannot be shown in the place of every character that has no picture."""
    if words.isascii() and words.isprintable():
        return words
    return "".join("\ufffd" if unicodedata.category(c) in _HIDDEN and c not in _KEPT else c for c in words)


# What a spreadsheet runs as a formula, and what we put before it; a text that begins like that of itself gets one more.
_FORMULA = re.compile(r"'*[=+\-@\t\r]")


def spreadsheet_cell(words: str) -> str:
    """A text as a cell of a table that a spreadsheet may open: never run as a formula. :func:`from_spreadsheet_cell` takes it back."""
    return f"'{words}" if _FORMULA.match(words) else words


def from_spreadsheet_cell(words: str) -> str:
    return words[1:] if words.startswith("'") and _FORMULA.match(words) else words


def capital(words: str) -> str:
    """As words stand at the beginning of a sentence; what is written large within them stays so."""
    return words[:1].upper() + words[1:]


def shortened(words: str, most: int = 60) -> str:
    """The beginning of what somebody typed, for a message about it."""
    return words if len(words) <= most else f"{words[:most]}…"


def what_is_wrong(error: ValidationError) -> str:
    """The first thing that a document was refused for: where it stands, and why."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"]) or "the whole of it"
    return f"{where}: {first['msg']}"
