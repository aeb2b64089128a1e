"""What a report says: the same for HTML and PDF."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.cards.finding import Finding
from yomikomi.core.reading.closeup import close_look
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import Proposal, proposals
from yomikomi.core.reading.report.drawing import Drawing, draw_strips
from yomikomi.core.reading.sentences import Origin, basis, findings, headline
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.timecode import clock

_MOST_PICTURES = 6
_PICTURE_WIDTH = 360


@dataclass(frozen=True)
class ReportPicture:
    """A frame that shows a finding; JPEG bytes at its display shape."""

    caption: str
    jpeg: bytes
    width: int
    height: int


@dataclass(frozen=True)
class Report:
    title: str
    sentence: str
    basis: str
    findings: tuple[Finding, ...]
    proposals: tuple[Proposal, ...]
    strips: Drawing
    pictures: tuple[ReportPicture, ...]
    facts: tuple[tuple[str, str], ...] = field(default=())


def make_report(reading: Reading, path: Path | None, *, title: str = "", origin: Origin = Origin.FILE) -> Report:
    """``path``: the file that was read; None, or a file that is gone, leaves the pictures out."""
    cards = findings(reading, origin)
    return Report(
        title=title or reading.file, sentence=headline(reading), basis=basis(reading), findings=tuple(cards),
        proposals=tuple(proposals(reading, cards)), strips=draw_strips(reading), pictures=tuple(_pictures(reading, cards, path)),
        facts=_facts(reading),
    )  # fmt: skip


def _facts(reading: Reading) -> tuple[tuple[str, str], ...]:
    rows = [
        ("file", reading.file), ("size", f"{reading.size_bytes} bytes"),
        ("in", f"{reading.container}, {reading.codec}, {reading.pixel_format}"),
        ("frames", f"{reading.frames}, of which {reading.frames_looked_at or reading.frames} were looked at"),
        ("rate", f"{reading.rate.nominal}; pictures {reading.rate.true or reading.rate.nominal}"),
        ("shape", f"{reading.geometry.width} × {reading.geometry.height}, pixels {reading.geometry.sample_aspect}"),
        ("colour", reading.colour.words), ("read as", f"{reading.mode}, schema {reading.schema_version}"),
    ]  # fmt: skip
    return tuple(rows)


def _pictures(reading: Reading, cards: list[Finding], path: Path | None) -> list[ReportPicture]:
    """The frames that show the findings that matter most, each once."""
    made: list[ReportPicture] = []
    seen: set[int] = set()
    for card in cards:
        if path is None or card.frame is None or card.frame in seen or len(made) >= _MOST_PICTURES:
            continue
        seen.add(card.frame)
        try:
            look = close_look(path, reading, card.frame)
        except UnreadableError:
            continue
        caption = f"{card.title}: frame {card.frame}, {clock(float(card.frame / Fraction(reading.rate.nominal)))}"
        made.append(_picture(look.picture, reading, caption))
    return made


def _picture(samples: NDArray[np.uint8], reading: Reading, caption: str) -> ReportPicture:
    aspect = Fraction(reading.geometry.sample_aspect)
    if reading.rotation in {90, 270}:
        aspect = 1 / aspect
    width, height = Geometry(samples.shape[1], samples.shape[0], aspect).fit(_PICTURE_WIDTH, _PICTURE_WIDTH)
    small = cv2.resize(samples, (width, height), interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 88])
    return ReportPicture(caption, data.tobytes(), width, height)
