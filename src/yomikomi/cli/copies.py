"""Commands of making copies: predicting one, and making it with its verification."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from yomikomi.cli.recipe_options import (
    AverageOption,
    CapOption,
    ChannelsOption,
    CodecOption,
    ConstantOption,
    ContainerOption,
    ExactOption,
    GrainOption,
    KeysOption,
    LosslessOption,
    OutletOption,
    PassesOption,
    QualityOption,
    RecipeOption,
    ResizeOption,
    SetOption,
    SizeOption,
    SoundOption,
    SoundRateOption,
    SpeedOption,
    UntouchedOption,
    fitted,
    named_recipe,
    outlet_named,
)
from yomikomi.cli.root import File, Json, answer, open_record
from yomikomi.cli.set_copies import check_set_alone, copy_set_of, planned, predict_set_of
from yomikomi.cli.treatments import Suggested, TreatmentOption
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.work.new_file import check_free

DeinterlaceOption = Annotated[
    Literal["auto", "leave", "single", "double"],
    typer.Option("--deinterlace", help="auto follows the reading; single keeps the frame rate, double makes a frame of each field."),
]
ViewingOption = Annotated[
    Viewing,
    typer.Option("--watched-on", help="Where the copy will be watched: from near, more is seen of what it loses."),
]


def predict(
    file: File,
    codec: CodecOption = None,
    quality: QualityOption = None,
    speed: SpeedOption = None,
    cap: CapOption = None,
    average: AverageOption = None,
    passes: PassesOption = None,
    target_size: SizeOption = None,
    constant: ConstantOption = None,
    lossless: LosslessOption = False,
    untouched: UntouchedOption = False,
    exact: ExactOption = False,
    recipe: RecipeOption = None,
    deinterlace: DeinterlaceOption = "auto",
    treatment_file: TreatmentOption = None,
    as_suggested: Suggested = False,
    container: ContainerOption = None,
    sound: SoundOption = None,
    audio_kbps: SoundRateOption = None,
    channels: ChannelsOption = None,
    key_seconds: KeysOption = None,
    grain: GrainOption = None,
    outlet: OutletOption = None,
    copy_set: SetOption = None,
    resize: ResizeOption = None,
    watched_on: ViewingOption = "television",
    as_json: Json = False,
) -> None:
    """Say what a copy would cost: size, fidelity, time, each with its interval."""
    from yomikomi.cli.choosing import resized, treatment_for
    from yomikomi.cli.main_job import predict_file, read_file

    if copy_set is not None:
        of_a_recipe = (recipe, codec, quality, cap, average, passes, target_size, constant, speed, container, sound, audio_kbps, outlet)
        check_set_alone(*of_a_recipe, channels, key_seconds, grain, lossless or None, untouched or None, exact or None)
        reading = read_file(file, quiet=as_json)
        treatment = resized(treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace), resize)
        predict_set_of(file, reading, planned(copy_set, reading, treatment), as_json=as_json)
        return
    place = outlet_named(outlet)
    wanted = named_recipe(
        recipe=recipe, codec=codec, quality=quality, cap=cap, average=average, passes=passes, target_size=target_size, constant=constant,
        lossless=lossless, untouched=untouched, exact=exact, speed=speed, container=container, sound=sound,
        sound_kbps=audio_kbps, channels=channels, key_seconds=key_seconds, grain=grain, outlet=place,
    )  # fmt: skip
    reading = read_file(file, quiet=as_json)
    treatment = resized(treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace), resize)
    wanted = fitted(wanted, reading, treatment, place)
    prediction = predict_file(file, reading, treatment, wanted, quiet=as_json, viewing=watched_on)
    answer(prediction, as_json, _prediction_words(prediction))


def copy(
    file: File,
    output: Annotated[Path, typer.Option("-o", "--output", help="The copy, never overwritten; with --set a folder.")],
    codec: CodecOption = None,
    quality: QualityOption = None,
    speed: SpeedOption = None,
    cap: CapOption = None,
    average: AverageOption = None,
    passes: PassesOption = None,
    target_size: SizeOption = None,
    constant: ConstantOption = None,
    lossless: LosslessOption = False,
    untouched: UntouchedOption = False,
    exact: ExactOption = False,
    recipe: RecipeOption = None,
    deinterlace: DeinterlaceOption = "auto",
    treatment_file: TreatmentOption = None,
    as_suggested: Suggested = False,
    container: ContainerOption = None,
    sound: SoundOption = None,
    audio_kbps: SoundRateOption = None,
    channels: ChannelsOption = None,
    key_seconds: KeysOption = None,
    grain: GrainOption = None,
    outlet: OutletOption = None,
    copy_set: SetOption = None,
    resize: ResizeOption = None,
    predict_first: Annotated[bool, typer.Option("--predict", help="Predict first, and compare afterwards.")] = False,
    fill_gaps: Annotated[bool, typer.Option("--fill-gaps", help="Fill gaps in the pictures of any length with the frame before.")] = False,
    as_json: Json = False,
) -> None:
    """Make a copy and verify it."""
    from yomikomi.cli.choosing import resized, treatment_for
    from yomikomi.cli.copy_documents import CopyDocument
    from yomikomi.cli.main_job import copy_file, predict_file, read_file

    if copy_set is not None:
        of_a_recipe = (recipe, codec, quality, cap, average, passes, target_size, constant, speed, container, sound, audio_kbps, outlet)
        check_set_alone(*of_a_recipe, channels, key_seconds, grain, lossless or None, untouched or None, exact or None)
        reading = read_file(file, quiet=as_json)
        treatment = resized(treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace), resize)
        copy_set_of(file, output, reading, planned(copy_set, reading, treatment), as_json=as_json, fill_gaps=fill_gaps)
        return
    check_free(output)
    place = outlet_named(outlet)
    wanted = named_recipe(
        recipe=recipe, codec=codec, quality=quality, cap=cap, average=average, passes=passes, target_size=target_size, constant=constant,
        lossless=lossless, untouched=untouched, exact=exact, speed=speed, container=container or _kind_named(output), sound=sound,
        sound_kbps=audio_kbps, channels=channels, key_seconds=key_seconds, grain=grain, outlet=place,
    )  # fmt: skip
    reading = read_file(file, quiet=as_json)
    treatment = resized(treatment_for(reading, treatment_file, as_suggested=as_suggested, fields=deinterlace), resize)
    wanted = fitted(wanted, reading, treatment, place)
    predicted = predict_file(file, reading, treatment, wanted, quiet=as_json) if predict_first else None
    result = copy_file(file, output, reading, treatment, wanted, quiet=as_json, fill_gaps=fill_gaps, outlet=place)
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


def accuracy(
    context: typer.Context,
    by: Annotated[str, typer.Option("--by", help="codec, material (kind of carrier) or machine.")] = "codec",
    as_json: Json = False,
) -> None:
    """How predictions of the workspace's copies did, and what they put on the next ones."""
    from yomikomi.cli.copy_documents import AccuracyDocument, AccuracyRow
    from yomikomi.core.ledger.sentences import ACCOUNT_GROUPS, ACCOUNT_HEADINGS, account_row, accuracy_headline

    group = next((one for one in ACCOUNT_GROUPS if one == by), None)
    if group is None:
        raise WrongUseError(f"By: {by!r} is not known.", remedy=f"Use one of: {', '.join(ACCOUNT_GROUPS)}.")
    with open_record(context) as record:
        accounts = record.lessons.accounts(group)
    head, basis = accuracy_headline(accounts)
    rows = [account_row(one, group) for one in accounts]
    table = [ACCOUNT_HEADINGS, *rows] if rows else []
    widths = [max(map(len, column)) for column in zip(*table, strict=True)]
    lines = ["  ".join(f"{cell:<{width}}" for cell, width in zip(cells, widths, strict=True)).rstrip() for cells in table]
    answer(AccuracyDocument(codecs=[AccuracyRow.of(one) for one in accounts]), as_json, "\n".join([head, basis, *lines]))


def _kind_named(output: Path) -> str | None:
    """What a name's ending says of the container, None where it says nothing known."""
    kind = output.suffix.lower().removeprefix(".")
    return kind if kind in {"mp4", "mkv", "mov"} else None


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
