"""An existing inventory as a table (CSV): matching its columns, taking it in, and writing the shelf out again."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.planning.carriers import CHECKS, KINDS, OUTCOMES, CarrierKind, kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake, tags_of, usual_details
from yomikomi.core.planning.lengths import marked_text, parse_marked, running_seconds
from yomikomi.core.video.media import is_regular
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import parse_time
from yomikomi.core.work.text import from_spreadsheet_cell, spreadsheet_cell

TABLE_SUFFIXES = {".csv", ".tsv"}
LARGEST_TABLE_BYTES = 50_000_000
_YES = {"yes", "y", "true", "1", "x", "ja", "oui", "si", "はい"}

# What a column may hold, and headings that people give such a column. The first is what we write ourselves.
FIELDS: dict[str, tuple[str, ...]] = {
    "label": ("label", "number", "no", "no.", "id", "signature", "shelf mark", "shelfmark", "code", "barcode", "inventory number"),
    "title": ("title", "name", "content", "contents", "what", "subject", "description"),
    "kind": ("kind", "medium", "media", "format", "type", "carrier", "media type", "tape type"),
    "format": ("standard", "line standard", "tv standard", "lines", "system", "video standard"),
    "length": ("length", "running time", "duration", "run time", "runtime", "minutes", "time"),
    "marked": ("marked minutes", "tape length", "marked", "cassette length"),
    "speed": ("speed", "tape speed"),
    "shape": ("shape", "aspect", "aspect ratio", "picture shape"),
    "sound": ("sound", "audio"),
    "condition": ("condition", "state", "findings"),
    "rights": ("rights confirmed", "rights", "cleared", "permission"),
    "wanted": ("wanted", "outcomes", "purpose", "wanted outcomes"),
    "tags": ("tags", "keywords", "subjects"),
    "note": ("note", "notes", "remark", "remarks", "comment", "comments"),
}


@dataclass(frozen=True)
class Table:
    """A table as read: headings and rows, every row as long as the headings."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class RowProblem:
    """A row that was not understood; ``number`` as a spreadsheet counts, the headings being row 1."""

    number: int
    words: str


@dataclass(frozen=True)
class Inventory:
    intakes: tuple[Intake, ...]
    problems: tuple[RowProblem, ...]


def read_table(path: Path) -> Table:
    """A CSV file in any usual encoding, with commas, semicolons or tabs. Raises UnreadableError."""
    try:
        if path.exists() and not is_regular(path):
            raise UnreadableError(f"{path.name} is no ordinary file.", remedy="Give a table saved as CSV.", path=path)
        if path.stat().st_size > LARGEST_TABLE_BYTES:
            raise UnreadableError(f"{path.name} is too large for an inventory.", remedy="Give a table of at most 50 MB.", path=path)
        raw = path.read_bytes()
    except OSError as error:
        raise UnreadableError(
            f"{path.name} cannot be read: {error.strerror}.", remedy="Check the name and the rights.", path=path
        ) from error
    words = _decoded(raw)
    if words is None or "\0" in words:
        raise UnreadableError(
            f"{path.name} is not a table of text.", remedy="Save it as CSV in the spreadsheet, then give that.", path=path
        )
    first = next((line for line in words.splitlines() if line.strip()), "")
    separator = max(",;\t", key=first.count)
    try:
        rows = [row for row in csv.reader(io.StringIO(words), delimiter=separator) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise UnreadableError(f"{path.name} is not a table: {error}.", remedy="Save it as CSV again.", path=path) from error
    if len(rows) < 2:
        raise UnreadableError(f"{path.name} holds no rows under its headings.", remedy="The first row must name the columns.", path=path)
    width = len(rows[0])
    return Table(tuple(cell.strip() for cell in rows[0]), tuple((*row[:width], *[""] * (width - len(row))) for row in rows[1:]))


def match_columns(headings: Sequence[str]) -> dict[str, int]:
    """Which column holds which field, by heading; each column is used once. Fields that nothing fits are left out."""
    plain = [_plain(heading) for heading in headings]
    found: dict[str, int] = {}
    for exact in (True, False):
        for field, names in FIELDS.items():
            if field in found:
                continue
            for column, heading in enumerate(plain):
                free = column not in found.values()
                fits = heading in names if exact else any(len(name) > 3 and name in heading.split(" (")[0] for name in names)
                if free and fits:
                    found[field] = column
                    break
    return found


def take_in(table: Table, columns: dict[str, int], *, kind: str = "vhs", taken: Iterable[str] = ()) -> Inventory:
    """Rows to intakes; what is not understood is told row by row and never guessed at.

    Parameters
    ----------
    columns : field to column number, as :func:`match_columns` gives it; must hold ``label``.
    kind : for rows that name none.
    taken : labels on the shelf already.
    """
    if "label" not in columns:
        raise WrongUseError("No column holds the labels.", remedy="Say which column does.")
    used = set(taken)
    intakes: list[Intake] = []
    problems: list[RowProblem] = []
    for number, row in enumerate(table.rows, start=2):
        cells = {field: from_spreadsheet_cell(row[column].strip()) for field, column in columns.items() if column < len(row)}
        try:
            made = _intake(cells, kind, used)
        except WrongUseError as error:
            problems.append(RowProblem(number, error.message))
        except ValidationError as error:
            problems.append(RowProblem(number, f"{error.errors()[0]['loc'][0]}: {error.errors()[0]['msg'].lower()}"))
        else:
            used.add(made.label)
            intakes.append(made)
    return Inventory(tuple(intakes), tuple(problems))


def write_table(intakes: Iterable[Intake]) -> str:
    """The shelf as CSV (RFC 4180) with our own headings; :func:`take_in` reads it back without loss."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([names[0] for names in FIELDS.values()])
    for one in intakes:
        details = one.details
        shell = marked_text(details.marked_minutes, details.cassette) if details.marked_minutes else ""
        cells = [
            one.label, one.title, kind_of(one.kind).words, one.format or "", _length_words(one.seconds),
            shell, details.speed, details.shape, details.sound,
            _condition_words(details.condition), "yes" if details.rights else "no",
            ", ".join(OUTCOMES.get(key, key) for key in details.wanted), ", ".join(details.tags), one.note,
        ]  # fmt: skip
        writer.writerow([spreadsheet_cell(cell) for cell in cells])
    return out.getvalue()


def _intake(cells: dict[str, str], fallback: str, used: set[str]) -> Intake:
    label = cells.get("label", "")
    if not label:
        raise WrongUseError("no label")
    if label in used:
        raise WrongUseError(f"the label {label} is there already")
    kind = _kind(cells.get("kind", ""), fallback)
    usual = usual_details(kind.key)
    speed = _one_of([words for words, _ in kind.speeds], cells.get("speed", "")) or usual.speed
    shell = parse_marked(cells["marked"]) if cells.get("marked") else None
    if cells.get("marked") and shell is None:
        raise WrongUseError(f"marked minutes {cells['marked']!r} not understood")
    seconds = parse_time(cells["length"]) if cells.get("length") else None
    if cells.get("length") and not seconds:
        raise WrongUseError(f"length {cells['length']!r} not understood")
    standard = _format(cells.get("format", ""), kind)
    minutes, cassette = shell or (None, "")
    runs = float(seconds) if seconds else None
    if runs is None and minutes and kind.speeds:
        runs = running_seconds(kind, marked_minutes=minutes, speed=speed, lines=standard, cassette=cassette)
    wanted = _outcomes(cells["wanted"]) if "wanted" in cells else usual.wanted
    details = CarrierDetails(
        shape=cells.get("shape") or usual.shape, sound=cells.get("sound") or usual.sound,
        marked_minutes=minutes, cassette=cassette, speed=speed, condition=_condition(cells.get("condition", "")),
        rights=cells.get("rights", "").lower() in _YES, wanted=wanted, tags=tags_of(cells.get("tags", "")),
    )  # fmt: skip
    return Intake(
        label=label, title=cells.get("title", ""), kind=kind.key, format=standard,
        seconds=runs, note=cells.get("note", ""), details=details,
    )  # fmt: skip


def _kind(words: str, fallback: str) -> CarrierKind:
    if not words:
        return kind_of(fallback)
    plain = _plain(words).replace("-", "").replace(" ", "")
    by_length = sorted(KINDS.values(), key=lambda kind: -len(kind.words))
    for kind in by_length:
        names = {kind.key, kind.words.lower().replace("-", "").replace(" ", "")}
        if plain in names:
            return kind
    for kind in by_length:
        if kind.words.lower().replace("-", "").replace(" ", "") in plain:
            return kind
    raise WrongUseError(f"kind {words!r} not known")


def _format(words: str, kind: CarrierKind) -> str | None:
    """``525``, ``525 lines``, ``1080i59.94``; empty takes what is usual for the kind only where there is no choice."""
    plain = words.lower().replace(" ", "").removesuffix("lines")
    if not plain:
        return kind.formats[0] if len(kind.formats) == 1 else None
    if plain in {"525", "625"}:
        plain += "i"
    if plain in FORMATS:
        return plain
    raise WrongUseError(f"standard {words!r} not known")


def _condition(words: str) -> Condition:
    plain = words.lower()
    ticked = tuple(key for key, check in CHECKS.items() if check.finding.lower() in plain)
    return Condition(looked="looked at" in plain, ticked=ticked)


def _condition_words(condition: Condition) -> str:
    findings = [CHECKS[key].finding for key in condition.ticked if key in CHECKS]
    return ", ".join([*(["looked at"] if condition.looked else []), *findings])


def _outcomes(words: str) -> tuple[str, ...]:
    by_words = {name.lower(): key for key, name in OUTCOMES.items()} | {key: key for key in OUTCOMES}
    return tuple(by_words[tag.lower()] for tag in tags_of(words) if tag.lower() in by_words)


def _length_words(seconds: float | None) -> str:
    if not seconds:
        return ""
    return clock(seconds) if seconds == round(seconds) else f"{seconds:.3f} s"


def _one_of(choices: Iterable[str], words: str) -> str | None:
    return next((choice for choice in choices if choice.lower() == words.lower()), None)


def _plain(heading: str) -> str:
    return " ".join(heading.lower().replace("_", " ").split())


def _decoded(raw: bytes) -> str | None:
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        codings: tuple[str, ...] = ("utf-16",)
    else:
        codings = ("utf-8-sig", "cp1252")
    for coding in codings:
        try:
            return raw.decode(coding)
        except UnicodeDecodeError:
            continue
    return None
