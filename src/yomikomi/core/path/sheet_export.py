"""A settings sheet on paper and as text: PDF (by reportlab) and Markdown."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path

from yomikomi.core.path.sheet import PathSheet, SheetItem
from yomikomi.core.planning.pdf_type import PrintedPage
from yomikomi.core.work.new_file import write_small

_BOX = {"done": "[x]", "open": "[ ]", "unsure": "[?]"}
_STATE = {"done": "done", "open": "", "unsure": "not verified"}


def write_sheet(sheet: PathSheet, path: Path, *, over: bool = False) -> None:
    """A PDF, or Markdown where the name ends in .md. ``over`` and errors: see :func:`write_small`."""
    content = sheet_markdown(sheet).encode() if path.suffix.lower() == ".md" else sheet_pdf(sheet)
    write_small(path, content, over=over)


def sheet_markdown(sheet: PathSheet) -> str:
    lines = [f"# Settings sheet{': ' + _plain(sheet.carrier) if sheet.carrier else ''}", "", _plain(sheet.route), ""]
    for device, items in groupby(sheet.items, key=lambda item: item.device):
        lines += [f"## {_plain(device)}", ""]
        for item in items:
            lines.append(f"- {_BOX[item.state]} **{item.setting}**: {_plain(item.words)}{_now(item)}")
            lines.append(f"  {_plain(item.why)} To see: {_plain(item.see)}")
        lines.append("")
    if sheet.capture:
        lines += ["## What is recorded", "", "| what | value | why |", "|---|---|---|"]
        lines += [f"| {fact.name} | {_plain(fact.value)} | {_plain(fact.why)} |" for fact in sheet.capture]
        lines.append("")
    if sheet.warnings:
        lines += ["## To keep in mind", "", *(f"- {_plain(words)}" for words in sheet.warnings), ""]
    return "\n".join(lines)


def sheet_pdf(sheet: PathSheet) -> bytes:
    """An A4 page or more, with a box before each thing to do."""
    from reportlab.platypus import KeepTogether, Spacer, Table

    page = PrintedPage()
    small, body, head, title, paragraph = page.small, page.body, page.head, page.title, page.say
    story: list[object] = [paragraph(f"Settings sheet {sheet.carrier}".rstrip(), title), paragraph(sheet.route, body), Spacer(1, 6)]
    for device, items in groupby(sheet.items, key=lambda item: item.device):
        rows = [
            [
                _box(item), [paragraph(item.setting, small), paragraph(item.words + _now(item), body)],
                [paragraph(item.why, small), paragraph(f"To see: {item.see}", small)], paragraph(_STATE[item.state], small),
            ]
            for item in items
        ]  # fmt: skip
        table = Table(
            rows, colWidths=[20, 165, 280, 55], style=[("VALIGN", (0, 0), (-1, -1), "TOP"), ("BOTTOMPADDING", (0, 0), (-1, -1), 4)]
        )
        story += [KeepTogether([paragraph(device, head), table])]
    for name, lines in (
        ("What is recorded", [f"{fact.name}: {fact.value}. {fact.why}" for fact in sheet.capture]),
        ("To keep in mind", list(sheet.warnings)),
    ):
        if lines:
            story += [paragraph(name, head), *(paragraph(words, body) for words in lines)]
    return page.built(story, "Settings sheet")


def _box(item: SheetItem) -> object:
    from reportlab.graphics.shapes import Drawing, Line, Rect, String

    drawing = Drawing(12, 12)
    drawing.add(Rect(1, 1, 9, 9, fillColor=None, strokeWidth=0.9))
    if item.state == "done":
        drawing.add(Line(3, 5, 5, 3, strokeWidth=1.4))
        drawing.add(Line(5, 3, 9, 9, strokeWidth=1.4))
    elif item.state == "unsure":
        drawing.add(String(3.5, 2.6, "?", fontSize=8))
    return drawing


def _now(item: SheetItem) -> str:
    return f" (now: {item.at_words})" if item.at else ""


def _plain(words: str) -> str:
    """One line, and nothing in it that Markdown takes for its own."""
    flat = " ".join(words.split())
    return "".join(f"\\{sign}" if sign in "\\`*_[]<>|#" else sign for sign in flat)
