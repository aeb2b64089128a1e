"""Where a file says one thing and its pictures another, and what is damaged."""

from __future__ import annotations

from typing import Literal

from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.models import Doubt
from yomikomi.core.reading.rate import RateVerdict
from yomikomi.core.reading.scan.verdict import ScanVerdict
from yomikomi.core.reading.taking import Pass
from yomikomi.core.video.damage import damage_words
from yomikomi.core.video.media import check_tail
from yomikomi.core.video.rates import fraction_text


def doubts_of(one: Pass, scan: ScanVerdict, rate: RateVerdict) -> list[Doubt]:
    found: list[Doubt] = []

    def doubt(topic: Literal["damage", "rate", "scan", "matrix"], words: str) -> None:
        found.append(Doubt(topic=topic, words=words))

    if one.damage.any:
        doubt("damage", damage_words(one.damage))
    if one.odd_sizes:
        doubt("damage", f"the picture changes its size: {one.odd_sizes} frames are of another size than the first")
    if not one.request.most_seconds and (tail := _tail(one)):
        doubt("damage", tail)
    if not rate.constant:
        gap = f": {rate.missing} frames are missing in {rate.gaps} places" if rate.gaps else ""
        doubt("rate", f"the frame rate is not constant{gap}")
    if scanned := _of_scan(scan, one.info.flagged_field_order):
        doubt("scan", scanned)
    declared = one.info.average_rate
    if declared and rate.constant and abs(float(declared / rate.nominal) - 1) > 2e-3:
        doubt("rate", f"the file says {fraction_text(declared)} fps, its time stamps {fraction_text(rate.nominal)}")
    if one.info.geometry.height <= 576 and one.info.colour.matrix == 1:
        doubt("matrix", "the file says BT.709 colours, which is unusual for its size (BT.601 is usual)")
    if one.info.geometry.height >= 720 and one.info.colour.matrix in {5, 6}:
        doubt("matrix", "the file says BT.601 colours, which is unusual for its size (BT.709 is usual)")
    return found


def _tail(one: Pass) -> str | None:
    try:
        return check_tail(one.request.path)
    except UnreadableError:
        return "it is gone: its name or its drive vanished while it was read"


def _of_scan(scan: ScanVerdict, flagged: str | None) -> str | None:
    order = scan.field_order
    if order and flagged in {"tff", "bff"} and flagged != order.value:
        return f"the file says {flagged}, the pictures say {order.value}"
    if scan.kind in {"progressive", "repeats", "blended"} and flagged in {"tff", "bff"}:
        return "the file says interlaced, the pictures are whole"
    if order and flagged == "progressive":
        return f"the file says progressive, the pictures are {'interlaced' if scan.kind == 'interlaced' else 'film with combed frames'}"
    return None
