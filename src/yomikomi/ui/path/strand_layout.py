"""Where things stand in the drawing of a path: columns of devices, lanes of strands, and the sites that can be looked at."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QRectF

from yomikomi.core.path.findings import Finding, Strand
from yomikomi.core.path.structure import Link
from yomikomi.core.path.telling import link_words, power_words
from yomikomi.core.path.trace import LinkReport, Trace
from yomikomi.ui import theme

# Lanes from the top, with what is drawn in them; a lane appears only where the path has that strand.
LANES: tuple[tuple[Strand, str, str], ...] = (
    ("picture", "picture", theme.OKABE_ITO["blue"]),
    ("screen", "to watch", theme.OKABE_ITO["sky"]),
    ("sound", "sound", theme.OKABE_ITO["vermilion"]),
    ("ears", "to listen", theme.OKABE_ITO["orange"]),
    ("commentary", "to speak", theme.OKABE_ITO["purple"]),
)
_HEAD_PX, _TOP_PX, _FOOT_PX = 58, 32, 14
_LANE_PX = {"picture": 58, "screen": 48, "sound": 42, "ears": 38, "commentary": 38}
_POWER_PX = 36
_COLUMN_PX, _GAP_PX, MARGIN_PX = 124, 96, 74


@dataclass(frozen=True)
class Site:
    """A place that can be looked at: a device, or a strand's link. ``name``: what it is, ``state``: what is so there."""

    place: QRectF
    name: str
    state: str
    findings: tuple[Finding, ...]

    @property
    def words(self) -> str:
        """What a screen reader says."""
        return f"{self.name}. {self.state}".rstrip()


@dataclass
class Layout:
    """``columns``: the box of each device; ``lanes``: the height of each strand; ``power_y``: that of the power."""

    columns: dict[str, QRectF] = field(default_factory=dict)
    lanes: dict[Strand, float] = field(default_factory=dict)
    power_y: float = 0.0

    def ends(self, link: Link) -> tuple[float, float]:
        """Where a link begins and ends, across."""
        source, target = self.columns[link.source], self.columns[link.target]
        return (source.right(), target.left()) if source.left() < target.left() else (source.left(), target.right())

    def area(self, report: LinkReport) -> QRectF | None:
        """The place of a strand on a link."""
        y = self.lanes.get(report.strand)
        if y is None:
            return None
        x0, x1 = self.ends(report.link)
        return QRectF(min(x0, x1), y - 22, abs(x1 - x0), 44)


def wanted_height(traced: Trace | None) -> int:
    """What it takes to show every lane, in pixels."""
    strands = {one.strand for one in traced.links} if traced else set()
    return _TOP_PX + _HEAD_PX + sum(px for key, px in _LANE_PX.items() if key in strands) + _POWER_PX + _FOOT_PX + 30


def wanted_width(traced: Trace) -> int:
    """What it takes to tell its devices and links apart, in pixels."""
    count = len(traced.setup.path.devices)
    return MARGIN_PX + count * 104 + (count - 1) * 72 + 16


def lay_out(traced: Trace, width: int, height: int) -> Layout:
    """Spread columns and lanes over the room there is."""
    made = Layout()
    devices = traced.setup.path.devices
    room, count = width - MARGIN_PX - 12, len(devices)
    gap = min(_GAP_PX + 50.0, max(60.0, (room - count * _COLUMN_PX) / max(1, count - 1)))
    column = min(float(_COLUMN_PX + 24), max(84.0, (room - (count - 1) * gap) / count))
    strands = {one.strand for one in traced.links}
    spare = max(0.0, height - wanted_height(traced) - 4)
    stretch = min(24.0, spare / (len(strands) + 1))
    y = float(_TOP_PX + _HEAD_PX + 26)
    for strand, _, _ in LANES:
        if strand in strands:
            made.lanes[strand] = y + 6
            y += _LANE_PX[strand] + stretch
    made.power_y = y + 4
    for number, piece in enumerate(devices):
        made.columns[piece] = QRectF(MARGIN_PX + number * (column + gap), _TOP_PX, column, made.power_y + 26 - _TOP_PX)
    return made


def sites_of(traced: Trace, layout: Layout) -> list[Site]:
    """Devices and the links that leave them, in the order of the signal."""
    setup, made = traced.setup, []
    for piece, box in layout.columns.items():
        here = tuple(one for one in traced.findings if one.place == piece and one.link is None)
        told_here = " ".join(f"{one.cause} {one.remedy}" for one in here) or "Nothing to say against it."
        made.append(Site(box, f"{setup.words(piece)}, {power_words(setup, piece)}", told_here, here))
        for report in traced.links:
            if report.link.source == piece and (area := layout.area(report)) is not None:
                on = tuple(one for one in traced.findings if one.link == report.link and report.strand in one.strands)
                made.append(Site(area, link_words(setup, report), " ".join(f"{one.cause} {one.remedy}" for one in on), on))
    return made
