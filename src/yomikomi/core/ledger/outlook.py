"""The forecast from what the record holds."""

from __future__ import annotations

from collections.abc import Iterable

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.forecast import Work, usual_codec_bits


def works_of(views: Iterable[Spine]) -> list[Work]:
    """Each carrier as the forecast sees it."""
    return [
        Work(
            label=view.label,
            kind=view.kind,
            format=view.standard,
            seconds=view.nominal_seconds,
            unfit=view.unfit,
            captured=view.take is not None and view.take.state != "recording",
            take_bytes=view.take.size_bytes if view.take and view.take.origin == "captured" else None,
            take_seconds=view.take.seconds if view.take else None,
            take_codec=view.take.codec if view.take else "ffv1",
            codec_bits=dict(view.take.codec_bits) if view.take else {},
            copied="verified" in view.copies,
        )
        for view in views
    ]


def codec_bits_of(views: Iterable[Spine], kind: str, standard: str | None) -> dict[str, float]:
    """See :func:`usual_codec_bits`."""
    return usual_codec_bits(works_of(view for view in views if view.kind == kind), kind, standard)
