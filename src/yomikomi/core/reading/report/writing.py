"""Reports as files: HTML (by Jinja2, whole in one file), PDF (by reportlab), JSON."""

from __future__ import annotations

import base64
import io
import json
from pathlib import Path
from xml.sax.saxutils import escape

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.pdf_type import PrintedPage
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.report.content import Report, make_report
from yomikomi.core.reading.report.drawing import WIDTH, Drawing, Rect
from yomikomi.core.reading.sentences import Origin
from yomikomi.core.work.new_file import write_small

_SIGNS = {"fine": "●", "check": "▲", "fault": "■", "undetermined": "◇"}
_TEMPLATE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ r.title }}</title><style>
body { font: 14px/1.45 "IBM Plex Sans", sans-serif; color: #22252B; background: #F7F6F3; margin: 32px auto; max-width: 780px; }
h1 { font-size: 21px; margin: 0 0 4px; } h2 { font-size: 15px; margin: 26px 0 8px; } .quiet { color: #6A6D73; }
table { border-collapse: collapse; width: 100%; } td { vertical-align: top; padding: 5px 10px 5px 0; border-top: 1px solid #C9C6BE; }
.sure { font-family: "IBM Plex Mono", monospace; white-space: nowrap; }
figure { display: inline-block; margin: 0 12px 12px 0; width: 360px; }
figcaption { font-size: 12px; color: #6A6D73; } svg { background: #FFFFFF; border: 1px solid #C9C6BE; padding: 8px; width: 100%; }
</style></head><body>
<p class="quiet">Reading of {{ r.title }}</p>
<h1>{{ r.sentence }}</h1><p class="quiet">{{ r.basis }}</p>
<h2>Findings, by what they cost the copy</h2>
<table>{% for c in r.findings %}<tr><td>{{ signs[c.mark.value] }} {{ c.mark.value }}</td>
<td><b>{{ c.title }}</b><br><span class="quiet">{{ c.reason }}</span></td><td class="sure">{{ c.certainty }}</td>
<td>{{ c.advice }}</td></tr>
{% endfor %}</table>
{% if r.proposals %}<h2>What is to be done about it</h2><ul>{% for p in r.proposals %}<li>{{ p.words }}</li>{% endfor %}</ul>{% endif %}
<h2>Over time</h2>{{ svg|safe }}
{% if r.pictures %}<h2>Frames that show it</h2>{% for p in r.pictures %}<figure>
<img width="{{ p.width }}" height="{{ p.height }}" alt="{{ p.caption }}" src="data:image/jpeg;base64,{{ b64(p.jpeg) }}">
<figcaption>{{ p.caption }}</figcaption></figure>{% endfor %}{% endif %}
<h2>The file</h2><table>{% for name, value in r.facts %}<tr><td class="quiet">{{ name }}</td><td>{{ value }}</td></tr>{% endfor %}</table>
</body></html>
"""


def write_report(
    reading: Reading, path: Path, source: Path | None, *, title: str = "", over: bool = False, origin: Origin = Origin.FILE
) -> None:
    """HTML, PDF or JSON, by the name's ending. Raises WrongUseError for another; ``over`` and other errors: see :func:`write_small`."""
    kind = path.suffix.lower()
    if kind == ".json":
        content = json.dumps(reading.model_dump(mode="json"), indent=1).encode()
    elif kind in {".html", ".htm"}:
        content = report_html(make_report(reading, source, title=title, origin=origin)).encode(errors="replace")
    elif kind == ".pdf":
        content = report_pdf(make_report(reading, source, title=title, origin=origin))
    else:
        raise WrongUseError(f"{path.name} names no kind of report.", remedy="End it in .html, .pdf or .json.")
    write_small(path, content, over=over)


def report_html(report: Report) -> str:
    """Everything in it is escaped: names and tags in a file may hold anything."""
    from jinja2 import Environment

    template = Environment(autoescape=True).from_string(_TEMPLATE)
    return template.render(r=report, signs=_SIGNS, svg=svg_of(report.strips), b64=lambda data: base64.b64encode(data).decode())


def svg_of(drawing: Drawing) -> str:
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {drawing.height:.0f}" role="img" aria-label="evidence over time">'
    ]
    for one in drawing.parts:
        if isinstance(one, Rect):
            parts.append(f'<rect x="{one.x:.1f}" y="{one.y:.1f}" width="{one.width:.2f}" height="{one.height:.2f}" fill="{one.colour}"/>')
        else:
            parts.append(f'<text x="{one.x:.1f}" y="{one.y:.1f}" font-size="{one.size}" fill="{one.colour}">{escape(one.text)}</text>')
    return "".join([*parts, "</svg>"])


def report_pdf(report: Report) -> bytes:
    """A4 pages."""
    from reportlab.platypus import Image, KeepTogether, Spacer, Table

    page = PrintedPage()
    small, body, head, say = page.small, page.body, page.head, page.say
    story: list[object] = [say(f"Reading of {report.title}", small), say(report.sentence, page.title), say(report.basis, small)]
    rows = [
        [say(card.mark.value, small), [say(card.title, body), say(card.reason, small)], say(card.certainty, small), say(card.advice, small)]
        for card in report.findings
    ]
    story += [
        say("Findings, by what they cost the copy", head),
        Table(
            rows, colWidths=[58, 262, 62, 140], style=[("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEABOVE", (0, 0), (-1, -1), 0.4, "#C9C6BE")]
        ),
    ]
    if report.proposals:
        story += [say("What is to be done about it", head), *(say(f"– {one.words}", body) for one in report.proposals)]
    story += [KeepTogether([say("Over time", head), flowable(report.strips, page.font, 522)])]
    for picture in report.pictures:
        image = Image(io.BytesIO(picture.jpeg), width=240, height=240 * picture.height / max(1, picture.width))
        story.append(KeepTogether([Spacer(1, 6), image, say(picture.caption, small)]))
    story += [say("The file", head), Table([[say(name, small), say(value, body)] for name, value in report.facts], colWidths=[58, 464])]
    return page.built(story, "Reading")


def flowable(drawing: Drawing, font: str, width: float) -> object:
    """A drawing as a part of a printed page, ``width`` points wide."""
    from reportlab.graphics import shapes

    scale = width / WIDTH
    made = shapes.Drawing(width, drawing.height * scale)
    group = shapes.Group(transform=(scale, 0, 0, scale, 0, 0))
    for one in drawing.parts:
        if isinstance(one, Rect):
            shape = shapes.Rect(one.x, drawing.height - one.y - one.height, one.width, one.height)
            shape.fillColor, shape.strokeColor = _colour(one.colour), None
        else:
            shape = shapes.String(one.x, drawing.height - one.y, one.text, fontName=font, fontSize=one.size, fillColor=_colour(one.colour))
        group.add(shape)
    made.add(group)
    return made


def _colour(name: str) -> object:
    from reportlab.lib.colors import HexColor

    return HexColor(name)
