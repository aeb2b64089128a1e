"""Marks set while recording or after, the clips they make, names by pattern, and their exports."""

from __future__ import annotations

import csv
import io
import json
import re
import string
from collections.abc import Iterable, Sequence
from datetime import datetime
from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import WrongUseError
from yomikomi.core.video.rates import fraction_text
from yomikomi.core.video.timecode import TimecodeRule, frame_clock
from yomikomi.core.work.text import shortened, spreadsheet_cell

MarkKind = Literal["mark", "in", "out", "split"]
# Typed labels that one key sets; a person may give others.
USUAL_LABELS = ("check", "good", "fault", "chapter", "event")
DEFAULT_PATTERN = "{label} {title} {number:03}"
_DIGITS = re.compile(r"0?[1-9]")
_LONGEST_NAME = 200


class Mark(BaseModel):
    """``frame`` counts from the take's first."""

    model_config = ConfigDict(frozen=True)

    frame: int = Field(ge=0)
    kind: MarkKind = "mark"
    label: str = ""


class Clip(BaseModel):
    """From frame ``first`` up to but not with ``end``."""

    model_config = ConfigDict(frozen=True)

    first: int = Field(ge=0)
    end: int
    name: str
    label: str = ""

    @property
    def frames(self) -> int:
        return self.end - self.first


def clips_of(marks: Iterable[Mark], frames: int, *, names: Sequence[str] | None = None) -> list[Clip]:
    """The clips that marks make of a take of ``frames`` frames.

    An in goes to the next out, or to the next in, or to the end; splits cut what lies between, and the whole take where there
    is no in. Marks outside of the take are left out.
    """
    inside = sorted((mark for mark in marks if 0 <= mark.frame <= frames and mark.kind != "mark"), key=lambda mark: mark.frame)
    spans: list[tuple[int, int, str]] = []
    begun: Mark | None = None
    for mark in inside:
        if mark.kind == "in":
            if begun is not None:
                spans.append((begun.frame, mark.frame, begun.label))
            begun = mark
        elif mark.kind == "out":
            spans.append((begun.frame if begun else 0, mark.frame, (begun.label if begun else "") or mark.label))
            begun = None
    if begun is not None:
        spans.append((begun.frame, frames, begun.label))
    splits = [mark for mark in inside if mark.kind == "split"]
    if not spans and splits:
        spans = [(0, frames, "")]
    found: list[tuple[int, int, str]] = []
    for first, end, label in spans:
        edges = [first, *(mark.frame for mark in splits if first < mark.frame < end), end]
        labels = [label, *(mark.label for mark in splits if first < mark.frame < end)]
        found += [(a, b, words) for a, b, words in zip(edges, edges[1:], labels, strict=False) if b > a]
    return [
        Clip(first=a, end=b, name=names[number] if names and number < len(names) else words or f"clip {number + 1}", label=words)
        for number, (a, b, words) in enumerate(found)
    ]


def name_clips(clips: Sequence[Clip], pattern: str, *, label: str, title: str, rate: Fraction, day: datetime) -> list[Clip]:
    """All clips named at once. The pattern knows {label} and {title} of the carrier, {number}, {mark} (the clip's own label),
    {start} (its place in the take) and {day}.

    Raises WrongUseError for a pattern that asks for something else.
    """
    named = []
    for number, clip in enumerate(clips, 1):
        facts: dict[str, str | int] = {
            "label": label, "title": title, "number": number, "mark": clip.label, "day": f"{day:%Y-%m-%d}",
            "start": frame_clock(clip.first, rate).replace(":", "").split(".")[0],
        }  # fmt: skip
        name = _filled(pattern, facts)[:_LONGEST_NAME].strip()
        named.append(clip.model_copy(update={"name": " ".join(name.split()) or f"clip {number}"}))
    return named


def _filled(pattern: str, facts: dict[str, str | int]) -> str:
    """The pattern with its facts. Only their names count, and digits for the number: a pattern comes out of a record that may be
    anybody's, and Python's own way reaches into objects and fills memory with blanks."""
    parts = []
    try:
        for text, name, form, turned in string.Formatter().parse(pattern):
            parts.append(text)
            if name is None:
                continue
            if name not in facts or turned or not (not form or (name == "number" and _DIGITS.fullmatch(form))):
                raise ValueError(f"{{{name}{':' + form if form else ''}}}")  # noqa: TRY301  one place says what is wrong with a pattern
            parts.append(format(facts[name], form or ""))
    except ValueError as error:
        raise WrongUseError(
            f"The pattern {shortened(pattern)!r} cannot be filled in: {shortened(str(error))!r}.",
            remedy="Use {label}, {title}, {number:03}, {mark}, {start} or {day}.",
        ) from error
    return "".join(parts)


class MarksDocument(BaseModel):
    """What is exported of a take."""

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    file: str
    rate: str = Field(description="frames a second, an exact fraction")
    frames: int
    timecode: str
    marks: tuple[Mark, ...]
    clips: tuple[Clip, ...]


def marks_document(file: str, rate: Fraction, frames: int, timecode: str, marks: Sequence[Mark], clips: Sequence[Clip]) -> MarksDocument:
    return MarksDocument(file=file, rate=fraction_text(rate), frames=frames, timecode=timecode, marks=tuple(marks), clips=tuple(clips))


def as_csv(document: MarksDocument) -> str:
    """Marks and clips in one table: kind, name, first frame, frame after the last, and both as timecode."""
    rate = Fraction(document.rate)
    rule = TimecodeRule.usual_for(rate) if ";" in document.timecode else TimecodeRule(rate)
    begins = rule.to_frames(document.timecode)
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(["kind", "name", "first_frame", "end_frame", "start_timecode", "end_timecode", "seconds"])
    rows: list[tuple[str, str, int, int]] = [(mark.kind, mark.label, mark.frame, mark.frame) for mark in document.marks]
    rows += [("clip", clip.name, clip.first, clip.end) for clip in document.clips]
    for kind, name, first, end in rows:
        table.writerow([
            kind, spreadsheet_cell(name), first, end,
            rule.from_frames(begins + first), rule.from_frames(begins + end), f"{float((end - first) / rate):.3f}",
        ])  # fmt: skip
    return out.getvalue()


def as_json(document: MarksDocument) -> str:
    return json.dumps(document.model_dump(mode="json"), indent=1, ensure_ascii=False)


def as_timeline(document: MarksDocument) -> str:
    """An OpenTimelineIO timeline: the clips one after another over the take, with its marks; without clips the whole take."""
    import opentimelineio as otio

    rate = float(Fraction(document.rate))
    rule = TimecodeRule.usual_for(Fraction(document.rate)) if ";" in document.timecode else TimecodeRule(Fraction(document.rate))
    begins = rule.to_frames(document.timecode)

    def span(first: int, count: int) -> otio.opentime.TimeRange:
        return otio.opentime.TimeRange(otio.opentime.RationalTime(begins + first, rate), otio.opentime.RationalTime(count, rate))

    media = otio.schema.ExternalReference(target_url=document.file, available_range=span(0, document.frames))
    timeline = otio.schema.Timeline(name=document.file)
    track = otio.schema.Track(name="picture", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    clips = document.clips or (Clip(first=0, end=document.frames, name=document.file),)
    for clip in clips:
        placed = otio.schema.Clip(name=clip.name, media_reference=media.clone(), source_range=span(clip.first, clip.frames))
        for mark in document.marks:
            if clip.first <= mark.frame < clip.end and mark.kind == "mark":
                placed.markers.append(otio.schema.Marker(name=mark.label or "mark", marked_range=span(mark.frame, 0)))
        track.append(placed)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


EXPORTS = {".csv": as_csv, ".json": as_json, ".otio": as_timeline}
