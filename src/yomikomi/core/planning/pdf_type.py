"""The type that printed sheets are set in: the shipped fonts, and for Japanese what every reader of PDF brings along."""

from __future__ import annotations

import io
from importlib.resources import files
from typing import Any
from xml.sax.saxutils import escape

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


class PrintedPage:
    """The styles of a printed page, and its size and margins; ``say`` sets words in one of them, whatever script they are in."""

    def __init__(self) -> None:
        from reportlab.lib.styles import ParagraphStyle

        self.font, _figures = shipped_fonts()
        self.small = ParagraphStyle("small", fontName=self.font, fontSize=8, leading=10.5, textColor="#5F6268")
        self.body = ParagraphStyle("body", fontName=self.font, fontSize=9.5, leading=12.5)
        self.head = ParagraphStyle("head", fontName=self.font, fontSize=11.5, leading=15, spaceBefore=8, spaceAfter=3)
        self.title = ParagraphStyle("title", fontName=self.font, fontSize=16, leading=21)

    def say(self, words: str, style: Any) -> Any:
        from reportlab.lib.styles import ParagraphStyle
        from reportlab.platypus import Paragraph

        font = font_for(words, self.font)
        return Paragraph(escape(words), style if font == self.font else ParagraphStyle("other", parent=style, fontName=font))

    def built(self, story: list[object], title: str) -> bytes:
        """A4 pages with these things on them, one after another."""
        from reportlab.lib.pagesizes import A4
        from reportlab.platypus import SimpleDocTemplate

        out = io.BytesIO()
        document = SimpleDocTemplate(out, pagesize=A4, leftMargin=36, rightMargin=36, topMargin=36, bottomMargin=36, invariant=True)
        document.title = title
        document.build(story)
        return out.getvalue()
