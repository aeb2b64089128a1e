"""A carrier's take and copies as a timeline for editors (OpenTimelineIO), with what was marked, lost and looked at."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView


def timeline_of(record: Record, view: CarrierView) -> str:
    """One track for the take, one for each copy that was made. Raises WrongUseError where nothing was recorded or its rate is not known."""
    import opentimelineio as otio

    if view.take is None or not view.take.frames or view.reading is None:
        raise WrongUseError(f"{view.label} has no take that was read.", remedy="Read it first: its rate must be known.")
    rate = Fraction(view.reading.rate.nominal)
    timeline = otio.schema.Timeline(name=f"{view.label} {view.title}".strip())
    take = _clip(view.take.path.name, view.take.path.as_uri(), view.take.frames, float(rate))
    for mark in view.take.details.marks:
        take.markers.append(_marker(mark.label or mark.kind, mark.frame, float(rate)))
    for first, count in view.take.details.gaps:
        take.markers.append(_marker(f"{count} frames missing", first, float(rate)))
    _track(timeline, "take", take)
    for copy in view.copies:
        if copy.result is None:
            continue
        own = copy.result.frames / copy.result.duration_seconds if copy.result.duration_seconds else float(rate)
        clip = _clip(copy.file.name, copy.file.as_uri(), copy.result.frames, own)
        for look in record.looks.of(copy.id):
            clip.markers.append(_marker(f"{look.verdict} ({look.why})", round(look.seconds * own), own))
        _track(timeline, copy.recipe.words, clip)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _clip(name: str, url: str, frames: int, rate: float) -> Any:
    import opentimelineio as otio

    span = otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate), otio.opentime.RationalTime(frames, rate))
    media = otio.schema.ExternalReference(target_url=url, available_range=span)
    return otio.schema.Clip(name=name, media_reference=media, source_range=span)


def _marker(name: str, frame: int, rate: float) -> Any:
    import opentimelineio as otio

    at = otio.opentime.TimeRange(otio.opentime.RationalTime(frame, rate), otio.opentime.RationalTime(0, rate))
    return otio.schema.Marker(name=name, marked_range=at)


def _track(timeline: Any, name: str, clip: Any) -> None:
    import opentimelineio as otio

    track = otio.schema.Track(name=name, kind=otio.schema.TrackKind.Video)
    track.append(clip)
    timeline.tracks.append(track)
