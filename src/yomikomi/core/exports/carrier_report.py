"""Reports for people: a carrier's whole page, or a collection with what was made and kept; HTML or PDF by the name's ending."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.errors import WrongUseError
from yomikomi.core.exports.described import described
from yomikomi.core.exports.pictures import SmallPicture, small_pictures
from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.page_entry import SIGNS, CarrierPage
from yomikomi.core.ledger.record import Record
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.pdf_type import PrintedPage
from yomikomi.core.reading.report.content import make_report
from yomikomi.core.reading.report.drawing import Drawing
from yomikomi.core.reading.report.writing import flowable, svg_of
from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.new_file import write_small

_PICTURES = 4
_STYLE = """body{font:14px/1.45 "IBM Plex Sans",sans-serif;color:#22252B;background:#F7F6F3;margin:32px auto;max-width:820px;padding:0 16px}
h1{font-size:21px;margin:0 0 4px}h2{font-size:17px;margin:34px 0 4px}h3{font-size:14px;margin:18px 0 4px}.q{color:#5F6268}
table{border-collapse:collapse;width:100%}td,th{vertical-align:top;text-align:left;padding:5px 10px 5px 0;border-top:1px solid #C9C6BE}
th{font-weight:400;color:#5F6268}.n{font-family:"IBM Plex Mono",monospace;font-size:12px;white-space:nowrap}
.h{font-family:"IBM Plex Mono",monospace;font-size:11px;word-break:break-all}
svg{background:#fff;border:1px solid #C9C6BE;padding:8px;width:100%}
figure{display:inline-block;margin:8px 12px 8px 0}figcaption{font-size:12px;color:#5F6268}"""
_TEMPLATE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{{ title }}</title>
<style>{{ style|safe }}</style></head><body>
<h1>{{ title }}</h1><p class="q">{{ basis }}</p>
{% if many %}<table><tr><th>Carrier</th><th>Title</th><th>Kind</th><th class="n">Files</th><th class="n">Size</th><th>State</th></tr>
{% for c in carriers %}<tr><td>{{ c.page.label }}</td><td>{{ c.page.title }}</td><td>{{ c.kind }}</td>
<td class="n">{{ c.files|length }}</td><td class="n">{{ size(c.bytes) }}</td><td>{{ c.state }}</td></tr>{% endfor %}</table>{% endif %}
{% for c in carriers %}<h2>{{ c.page.label }} {{ c.page.title }}</h2><p class="q">{{ c.kind }} · {{ c.state }}</p>
{% for p in c.pictures %}<figure><img width="{{ p.width }}" height="{{ p.height }}" alt="{{ c.page.label }} at {{ p.caption }}"
src="data:image/jpeg;base64,{{ b64(p.jpeg) }}"><figcaption>{{ p.caption }}</figcaption></figure>{% endfor %}
{% if c.strips %}<h3>The take over time</h3>{{ svg(c.strips)|safe }}{% endif %}
<table>{% for e in c.page.entries %}<tr><td class="n">{{ e.at[:16]|replace("T", " ") }}</td><td>{{ signs[e.mark] }}</td>
<td><b>{{ e.head }}</b>{% for line in e.lines %}<br><span class="q">{{ line }}</span>{% endfor %}</td></tr>{% endfor %}</table>
{% if c.files %}<h3>Files</h3><table><tr><th>File</th><th>Where</th><th class="n">Size</th><th>SHA-256</th><th>State</th></tr>
{% for f in c.files %}<tr><td>{{ f.path.name }}</td><td>{{ f.place or "workspace" }}</td><td class="n">{{ size(f.size) }}</td>
<td class="h">{{ f.sha256 or "–" }}</td><td>{{ f.state }}, {{ f.checked_at[:10] }}</td></tr>{% endfor %}</table>{% endif %}
{% endfor %}</body></html>"""


@dataclass(frozen=True)
class CarrierReport:
    page: CarrierPage
    kind: str
    state: str
    files: tuple[Located, ...]
    pictures: tuple[SmallPicture, ...]
    strips: Drawing | None = None

    @property
    def bytes(self) -> int:
        return sum(one.size for one in {one.file_id: one for one in self.files}.values())


def carrier_reports(record: Record, carriers: Sequence[int], *, pictures: bool = True) -> list[CarrierReport]:
    """With pictures out of the newest copy, or else the take. Raises WrongUseError where a carrier is gone."""
    return [_of(record, one, pictures=pictures) for one in carriers]


def _of(record: Record, carrier: int, *, pictures: bool) -> CarrierReport:
    told = described(record, carrier)
    view = told.view
    shown = next((copy.file for copy in reversed(view.copies) if copy.result is not None and copy.file.exists()), None)
    shown = shown or (view.take.path if view.take is not None and view.take.path.exists() else None)
    return CarrierReport(
        told.page, kind_of(view.kind).words, f"{view.progress} of 8 stations", tuple(told.located),
        tuple(small_pictures(shown, _PICTURES)) if shown is not None and pictures else (),
        make_report(view.judged, None).strips if view.judged is not None and pictures else None,
    )  # fmt: skip


def write_reports(reports: Sequence[CarrierReport], path: Path, *, title: str, over: bool = False) -> None:
    """Raises WrongUseError for another ending than .html and .pdf; other errors: see :func:`write_small`."""
    kind = path.suffix.lower()
    if kind not in {".html", ".htm", ".pdf"}:
        raise WrongUseError(f"{path.name} names no kind of report.", remedy="End it in .html or .pdf.")
    content = _pdf(reports, title) if kind == ".pdf" else _html(reports, title).encode(errors="replace")
    write_small(path, content, over=over)


def _basis(reports: Sequence[CarrierReport]) -> str:
    files = sum(len({file.file_id for file in one.files}) for one in reports)
    size = sum(one.bytes for one in reports)
    return f"{counted(len(reports), 'carrier', 'carriers')}, {counted(files, 'file', 'files')}, {size_text(size)}; times are UTC"


def _html(reports: Sequence[CarrierReport], title: str) -> str:
    """Everything in it is escaped: names and notes may hold anything."""
    from jinja2 import Environment

    return Environment(autoescape=True).from_string(_TEMPLATE).render(
        title=title, basis=_basis(reports), carriers=reports, many=len(reports) > 1, style=_STYLE, signs=SIGNS, size=size_text,
        b64=lambda content: base64.b64encode(content).decode(), svg=svg_of,
    )  # fmt: skip


def _pdf(reports: Sequence[CarrierReport], title: str) -> bytes:
    from reportlab.platypus import Image, KeepTogether, Table

    page = PrintedPage()
    small, body, head, say = page.small, page.body, page.head, page.say
    lined = [("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEABOVE", (0, 0), (-1, -1), 0.4, "#C9C6BE")]
    story: list[object] = [say(title, page.title), say(_basis(reports), small)]
    for one in reports:
        story.append(say(f"{one.page.label} {one.page.title}".strip(), head))
        story.append(say(f"{one.kind} · {one.state}", small))
        if one.pictures:
            images = [Image(io.BytesIO(shot.jpeg), width=120, height=120 * shot.height / shot.width) for shot in one.pictures]
            story.append(Table([images, [say(shot.caption, small) for shot in one.pictures]], colWidths=[130] * len(images), hAlign="LEFT"))
        if one.strips is not None:
            story.append(KeepTogether([say("The take over time", head), flowable(one.strips, page.font, 522)]))
        rows = [
            [say(entry.at[:16].replace("T", " "), small), [say(entry.head, body), *(say(line, small) for line in entry.lines)],
             say(entry.mark if entry.mark != "fine" else "", small)]
            for entry in one.page.entries
        ]  # fmt: skip
        story.append(Table(rows, colWidths=[84, 378, 60], style=lined, splitInRow=1))
        if one.files:
            files = [
                [say(file.path.name, small), say(file.place or "workspace", small), say(size_text(file.size), small),
                 say(file.sha256 or "–", small), say(file.state, small)]
                for file in one.files
            ]  # fmt: skip
            story.append(Table(files, colWidths=[150, 60, 52, 210, 50], style=lined))
    return page.built(story, title)
