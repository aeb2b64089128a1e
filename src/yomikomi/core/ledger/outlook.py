"""The forecast from what the record holds."""

from __future__ import annotations

from collections.abc import Iterable

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.forecast import Work, usual_codec_bits


def works_of(views: Iterable[Spine]) -> list[Work]:
    """Each carrier as the forecast sees it."""
    return [view.work for view in views]


def codec_bits_of(views: Iterable[Spine], kind: str, standard: str | None) -> dict[str, float]:
    """See :func:`usual_codec_bits`."""
    return usual_codec_bits(works_of(view for view in views if view.kind == kind), kind, standard)
