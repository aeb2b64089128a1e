"""A sheet of labels to print: what stands on a carrier, and a QR code that holds its label (ISO/IEC 18004, by reportlab)."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.pdf_type import font_for, shipped_fonts

_MM = 72 / 25.4  # points in a millimetre


@dataclass(frozen=True)
class LabelText:
    """What one label says. ``code`` goes into the QR code: the label alone, so that any reader finds the carrier."""

    code: str
    title: str
    line: str


@dataclass(frozen=True)
class Sheet:
    """A page of labels. Lengths in millimetres; labels lie close together in ``columns`` x ``rows``, centred on the page."""

    words: str
    page: tuple[float, float]
    columns: int
    rows: int
    label: tuple[float, float]

    @property
    def count(self) -> int:
        return self.columns * self.rows


_A4, _LETTER = (210.0, 297.0), (215.9, 279.4)
SHEETS: dict[str, Sheet] = {
    "a4-24": Sheet("A4, 3 × 8 labels of 70 × 36 mm", _A4, 3, 8, (70.0, 36.0)),
    "a4-40": Sheet("A4, 4 × 10 labels of 48.5 × 25.4 mm", _A4, 4, 10, (48.5, 25.4)),
    "letter-30": Sheet("Letter, 3 × 10 labels of 66.7 × 25.4 mm", _LETTER, 3, 10, (66.7, 25.4)),
    "a4-14": Sheet("A4, 1 × 14 spine labels of 147 × 19 mm", _A4, 1, 14, (147.0, 19.0)),
}


def label_sheet(labels: Sequence[LabelText], *, sheet: str = "a4-24", skip: int = 0) -> bytes:
    """A PDF with one label for each carrier.

    Parameters
    ----------
    sheet : key of ``SHEETS``.
    skip : places at the start of the first page that are used up already.

    Raises
    ------
    WrongUseError : there is nothing to print, or ``skip`` leaves no place on the page.
    """
    layout = SHEETS[sheet]
    if not labels:
        raise WrongUseError("There are no carriers to print labels for.", remedy="Take some in, or clear the filter.")
    if not 0 <= skip < layout.count:
        raise WrongUseError(f"A page of this sheet has {layout.count} labels.", remedy=f"Skip 0 to {layout.count - 1}.")
    from reportlab.pdfgen.canvas import Canvas

    regular, figures = shipped_fonts()
    out = io.BytesIO()
    page = (layout.page[0] * _MM, layout.page[1] * _MM)
    canvas = Canvas(out, pagesize=page, invariant=True)
    canvas.setTitle("Labels")
    left = (layout.page[0] - layout.columns * layout.label[0]) / 2
    top = (layout.page[1] - layout.rows * layout.label[1]) / 2
    for number, text in enumerate(labels):
        place = (number + skip) % layout.count
        if number and place == 0:
            canvas.showPage()
        row, column = divmod(place, layout.columns)
        x = (left + column * layout.label[0]) * _MM
        y = (layout.page[1] - top - (row + 1) * layout.label[1]) * _MM
        _draw(canvas, text, x, y, layout.label, regular, figures)
    canvas.save()
    return out.getvalue()


def _draw(canvas: object, text: LabelText, x: float, y: float, size: tuple[float, float], regular: str, figures: str) -> None:
    from reportlab.graphics import renderPDF
    from reportlab.graphics.barcode.qr import QrCodeWidget
    from reportlab.graphics.shapes import Drawing
    from reportlab.pdfbase.pdfmetrics import stringWidth
    from reportlab.pdfgen.canvas import Canvas

    assert isinstance(canvas, Canvas)
    width, height = size[0] * _MM, size[1] * _MM
    margin = 2.5 * _MM
    side = min(height - 2 * margin, width * 0.35)
    code = QrCodeWidget(text.code, barLevel="M", barWidth=side, barHeight=side, barBorder=2)
    drawing = Drawing(side, side)
    drawing.add(code)
    renderPDF.draw(drawing, canvas, x + margin, y + (height - side) / 2)
    room = width - side - 3 * margin
    words_x, big = x + side + 2 * margin, min(15.0, height / 4.4)
    small = big * 0.6
    baseline = y + height - margin - big
    for wanted, points, words in ((figures, big, text.code), (regular, small, text.title), (regular, small, text.line)):
        font = font_for(words, wanted)
        while words and stringWidth(words, font, points) > room:
            words = words[:-2].rstrip() + "…" if len(words) > 2 else ""  # noqa: PLW2901  shortened until it fits
        canvas.setFont(font, points)
        canvas.drawString(words_x, baseline, words)
        baseline -= points * 1.5
