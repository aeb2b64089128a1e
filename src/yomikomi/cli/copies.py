"""Commands of making copies: predicting one, and making it with its verification."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from yomikomi.cli.root import File, Json, answer
from yomikomi.cli.treatments import Suggested, TreatmentOption
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import UnfinishedError
from yomikomi.core.work.new_file import check_free

CodecOption = Annotated[Literal["h264", "hevc", "av1"], typer.Option("--codec", help="Codec of the copy.")]
QualityOption = Annotated[int, typer.Option("--quality", help="Constant-quality value: 0–51 (AV1: 0–63), smaller looks better.")]
SpeedOption = Annotated[str | None, typer.Option("--speed", help="Encoder preset: slower packs better.")]
DeinterlaceOption = Annotated[
    Literal["auto", "leave", "single", "double"],
    typer.Option("--deinterlace", help="auto follows the reading; single keeps the frame rate, double makes a frame of each field."),
]
ContainerOption = Annotated[Literal["mp4", "mkv"] | None, typer.Option("--container", help="MP4 unless the output name says .mkv.")]
ViewingOption = Annotated[
    Viewing,
    typer.Option("--watched-on", help="Where the copy will be watched: from near, more is seen of what it loses."),
]
SoundOption = Annotated[Literal["aac", "opus"], typer.Option("--sound", help="Sound codec.")]


def predict(
    file: File,
    codec: CodecOption,
    quality: QualityOption,
    speed: SpeedOption = None,
    deinterlace: DeinterlaceOption = "auto",
    treatment_file: TreatmentOption = None,
    as_suggested: Suggested = False,
    container: ContainerOption = None,
    sound: SoundOption = "aac",
    watched_on: ViewingOption = "television",
    as_json: Json = False,
) -> None:
    """Say what a copy would cost: size, fidelity, time, each with its interval."""
    from yomikomi.cli.choosing import treatment_for
    from yomikomi.cli.main_job import predict_file, read_file
    from yomikomi.core.balance.recipes import recipe_for

    recipe = recipe_for(codec, quality, speed=speed, container=container or "mp4", sound=sound)
    reading = read_file(file, quiet=as_json)
    treatment = treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace)
    prediction = predict_file(file, reading, treatment, recipe, quiet=as_json, viewing=watched_on)
    answer(prediction, as_json, _prediction_words(prediction))


def copy(
    file: File,
    output: Annotated[Path, typer.Option("-o", "--output", help="The copy; never overwritten.")],
    codec: CodecOption,
    quality: QualityOption,
    speed: SpeedOption = None,
    deinterlace: DeinterlaceOption = "auto",
    treatment_file: TreatmentOption = None,
    as_suggested: Suggested = False,
    container: ContainerOption = None,
    sound: SoundOption = "aac",
    predict_first: Annotated[bool, typer.Option("--predict", help="Predict first, and compare afterwards.")] = False,
    fill_gaps: Annotated[bool, typer.Option("--fill-gaps", help="Fill gaps in the pictures of any length with the frame before.")] = False,
    as_json: Json = False,
) -> None:
    """Make a copy and verify it."""
    from yomikomi.cli.choosing import treatment_for
    from yomikomi.cli.copy_documents import CopyDocument
    from yomikomi.cli.main_job import copy_file, predict_file, read_file
    from yomikomi.core.balance.recipes import recipe_for

    check_free(output)
    kind = container or ("mkv" if output.suffix.lower() == ".mkv" else "mp4")
    recipe = recipe_for(codec, quality, speed=speed, container=kind, sound=sound)
    reading = read_file(file, quiet=as_json)
    treatment = treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace)
    predicted = predict_file(file, reading, treatment, recipe, quiet=as_json) if predict_first else None
    result = copy_file(file, output, reading, treatment, recipe, quiet=as_json, fill_gaps=fill_gaps)
    document = CopyDocument(**result.model_dump(), predicted=predicted)
    made = output.with_name(result.file)
    lines = [f"{made}: {_size(result.size_bytes)}, {result.frames} frames, {result.verdict}"]
    lines += [f"  {'fine' if check.passed else 'WRONG':>6}  {check.name}: {check.found}" for check in result.checks]
    if predicted:
        lines.append("predicted " + _prediction_words(predicted))
    answer(document, as_json, "\n".join(lines))
    if not result.verified:
        wrong = ", ".join(check.name for check in result.checks if not check.passed)
        raise UnfinishedError(
            f"The copy was made but failed: {wrong}. It is kept as {made.name}.", remedy="Keep the source, and copy again."
        )


def _size(size: float) -> str:
    from yomikomi.core.video.units import size_text

    return size_text(size)


def _prediction_words(prediction: Any) -> str:
    from yomikomi.core.balance.sentences import detail_words, difference_words
    from yomikomi.core.video.timecode import spoken

    size, time, seen = prediction.size_bytes, prediction.encode_seconds, prediction.fidelity
    fidelity = f"{difference_words(seen)} ({detail_words(seen)}), " if seen else ""
    return (
        f"{prediction.recipe.words}: {_size(size.expected)} ({_size(size.low)} – {_size(size.high)}), "
        f"{fidelity}{spoken(time.expected)} ({spoken(time.low)} – {spoken(time.high)})"
    )
