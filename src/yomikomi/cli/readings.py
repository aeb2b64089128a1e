"""Commands of reading: measuring a file, and holding two takes against each other."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

import typer

from yomikomi.cli.root import File, Json, answer

Quick = Annotated[bool, typer.Option("--quick", help="Read a sample of stretches instead of every frame; intervals are wider.")]
Again = Annotated[bool, typer.Option("--again", help="Measure even if a reading of the same content was kept.")]


def read(
    file: File,
    quick: Quick = False,
    report: Annotated[Path | None, typer.Option(help="Also write a report: .html, .pdf or .json.")] = None,
    again: Again = False,
    origin: Annotated[
        Literal["played", "live", "file"], typer.Option(help="Whether it can be played again, was live, or came as a file; for the advice.")
    ] = "file",
    as_json: Json = False,
) -> None:
    """Measure a file: scan type, losses, geometry, levels, faults, sound, structure; and what to do about it."""
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.reading_documents import ReadDocument
    from yomikomi.core.reading.report.writing import write_report
    from yomikomi.core.reading.sentences import Origin, basis, headline

    reading = read_file(file, quiet=as_json, mode="quick" if quick else "full", again=again)
    if report is not None:
        write_report(reading, report, file, origin=Origin(origin))
    document = ReadDocument.of(reading, Origin(origin))
    lines = [headline(reading), basis(reading)]
    lines += [f"  {card.mark:>11}  {card.title} ({card.certainty})\n{'':14}{card.reason}" for card in document.findings]
    asked = [one.words for one in document.proposals]
    lines += ["to be done: " + "; ".join(asked)] if asked else []
    answer(document, as_json, "\n".join(lines))


def compare(
    first: Annotated[Path, typer.Argument(help="One take.")],
    second: Annotated[Path, typer.Argument(help="Another take of the same material.")],
    quick: Quick = False,
    again: Again = False,
    as_json: Json = False,
) -> None:
    """Say which of two takes of one carrier is better, in what, and by how much."""
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.reading_documents import CompareDocument, CompareRow
    from yomikomi.core.reading.comparing import compare as compare_readings

    one, two = (read_file(path, quiet=as_json, mode="quick" if quick else "full", again=again) for path in (first, second))
    found = compare_readings(one, two)
    rows = [CompareRow(topic=r.topic, first=r.first, second=r.second, better=r.better, by=r.by) for r in found.rows]
    document = CompareDocument(
        first=first.name, second=second.name, better=found.better, lean=round(found.lean, 3), sentence=found.sentence, rows=rows
    )
    lines = [found.sentence, *(f"  {row.topic:>22}  {row.first:>16}  {row.second:>16}  {row.better}" for row in rows)]
    answer(document, as_json, "\n".join(lines))
