"""The type that printed sheets are set in: the shipped fonts, and for Japanese what every reader of PDF brings along."""

from __future__ import annotations

import io
from importlib.resources import files

_JAPANESE = "HeiseiKakuGo-W5"


def font_for(words: str, wanted: str) -> str:
    """The shipped type, or for Japanese the type that every reader of PDF brings along."""
    from reportlab.pdfbase.cidfonts import UnicodeCIDFont
    from reportlab.pdfbase.pdfmetrics import getFont, getRegisteredFontNames, registerFont

    known = getFont(wanted).face.charToGlyph
    if all(ord(character) in known for character in words):
        return wanted
    if _JAPANESE not in getRegisteredFontNames():
        registerFont(UnicodeCIDFont(_JAPANESE))
    return _JAPANESE


def shipped_fonts() -> tuple[str, str]:
    """The shipped type, made known to reportlab once."""
    from reportlab.pdfbase.pdfmetrics import getRegisteredFontNames, registerFont
    from reportlab.pdfbase.ttfonts import TTFont

    folder = files("yomikomi") / "assets" / "fonts"
    for name, file in (("PlexSans", "IBMPlexSans-Regular.ttf"), ("PlexMono", "IBMPlexMono-Medium.ttf")):
        if name not in getRegisteredFontNames():
            registerFont(TTFont(name, io.BytesIO((folder / file).read_bytes())))
    return "PlexSans", "PlexMono"
