"""Commands of treatment: what is advised for a file, and the treated file itself, lossless."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from yomikomi.cli.root import File, Json, answer, need_display
from yomikomi.core.errors import WrongUseError
from yomikomi.core.work.new_file import check_free

if TYPE_CHECKING:
    from fractions import Fraction

TreatmentOption = Annotated[Path | None, typer.Option("--treatment", help="A treatment as JSON, as `advise --json` gives it.")]
Suggested = Annotated[bool, typer.Option("--as-suggested", help="All that `advise` suggests.")]


def advise(
    file: File,
    origin: Annotated[
        Literal["played", "live", "file"], typer.Option(help="Whether it can be played again, was live, or came as a file.")
    ] = "file",
    as_json: Json = False,
) -> None:
    """Say which corrections a file needs, why, and what else could be done."""
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.treatment_documents import AdviseDocument
    from yomikomi.core.reading.sentences import Origin

    reading = read_file(file, quiet=as_json)
    document = AdviseDocument.of(reading, Origin(origin))
    lines = [f"{file.name}: {document.words}. Result: {document.width} × {document.height}, {document.rate_words} fps"]
    for step in document.steps:
        lines.append(f"  {step.title.lower()}: {step.effect}{'' if step.usual else ' (only if wanted)'}\n{'':6}{step.reason}")
        lines += [f"{'':6}or: {other.title}. {other.gives}" for other in step.alternatives]
    answer(document, as_json, "\n".join(lines))


def treat(
    file: File,
    output: Annotated[Path, typer.Option("-o", "--output", help="The treated file, .mkv; never overwritten.")],
    treatment: TreatmentOption = None,
    as_suggested: Suggested = False,
    span: Annotated[str, typer.Option(help="Only a stretch, seconds of the treated take: 12.5-20.")] = "",
    as_json: Json = False,
) -> None:
    """Write the treated pictures and the sound, lossless, to a Matroska file."""
    from yomikomi.cli.choosing import treatment_for
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.work import run_job
    from yomikomi.core.copying.rendering import RenderRequest, render

    check_free(output)
    if output.suffix.lower() != ".mkv":
        raise WrongUseError(f"{output.name}: lossless files are Matroska.", remedy="Give a name that ends in .mkv.")
    reading = read_file(file, quiet=as_json)
    chosen = treatment_for(reading, treatment, as_suggested=as_suggested, fields="auto")
    made = run_job(render, RenderRequest(file, output, reading, chosen, _span(span)), "treating", quiet=as_json)
    answer(made, as_json, f"{output}: {made.frames} frames, {made.width} × {made.height}, {made.words}")


def play(file: File, treatment: TreatmentOption = None, as_suggested: Suggested = False) -> None:
    """Play a file with its sound, in a window of its own; with a treatment, before and after side by side."""
    need_display("player")
    from yomikomi.core.playing.sources import FileSource, TreatedSource
    from yomikomi.ui.playing.alone import play_alone
    from yomikomi.ui.playing.deck import Named

    if treatment is None and not as_suggested:
        sources: tuple[Named, ...] = (Named(file.name, FileSource(file)),)
        _ = sources[0].source.shape  # what cannot be opened is told before a window opens
    else:
        from yomikomi.cli.choosing import treatment_for
        from yomikomi.cli.main_job import read_file
        from yomikomi.core.treatment.model import Treatment

        reading = read_file(file, quiet=False)
        chosen = treatment_for(reading, treatment, as_suggested=as_suggested, fields="auto")
        sources = tuple(Named(words, TreatedSource(file, reading, one)) for words, one in (("before", Treatment()), ("after", chosen)))
    raise SystemExit(play_alone(sources, file.name))


def _span(text: str) -> tuple[Fraction, Fraction] | None:
    from fractions import Fraction

    if not text:
        return None
    try:
        begin, end = (Fraction(part) for part in text.split("-"))
    except (ValueError, ZeroDivisionError) as error:
        raise WrongUseError(f"{text!r} is no stretch.", remedy="Write two times in seconds: 12.5-20.") from error
    return begin, end
