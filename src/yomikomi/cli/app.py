"""Commands. Results go to standard output, everything else to standard error.

Exit codes: 0 fine, 2 wrong use, 3 unreadable input, 4 could not finish.
"""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal, NamedTuple, NoReturn

import typer

from yomikomi.cli import captures, paths, planning, readings
from yomikomi.cli.options import Json
from yomikomi.core.errors import UnfinishedError, WrongUseError, YomikomiError
from yomikomi.core.work.defects import defect
from yomikomi.core.work.new_file import check_free, write_new
from yomikomi.core.work.text import printable

if TYPE_CHECKING:
    from pydantic import BaseModel

app = typer.Typer(
    name="yomikomi",
    help="Digitise footage and make copies of it: measured, decided with you, verified.",
    add_completion=False,
    invoke_without_command=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)

File = Annotated[Path, typer.Argument(help="A file with moving pictures.")]
CodecOption = Annotated[Literal["h264", "hevc", "av1"], typer.Option("--codec", help="Codec of the copy.")]
QualityOption = Annotated[int, typer.Option("--quality", help="Constant-quality value: 0–51 (AV1: 0–63), smaller looks better.")]
SpeedOption = Annotated[str | None, typer.Option("--speed", help="Encoder preset: slower packs better.")]
DeinterlaceOption = Annotated[
    Literal["auto", "leave", "single", "double"],
    typer.Option("--deinterlace", help="auto follows the reading; single keeps the frame rate, double makes a frame of each field."),
]
ContainerOption = Annotated[Literal["mp4", "mkv"] | None, typer.Option("--container", help="MP4 unless the output name says .mkv.")]
SoundOption = Annotated[Literal["aac", "opus"], typer.Option("--sound", help="Sound codec.")]
WorkspaceOption = Annotated[Path | None, typer.Option("--workspace", help="Workspace folder.")]
TrustOption = Annotated[
    bool, typer.Option("--trust", help="You know who made this workspace: open it for writing, now and later. Others are only read.")
]


class Chosen(NamedTuple):
    """What stood before the command: the workspace, and whether it is trusted."""

    workspace: Path | None
    trust: bool


@app.callback()
def start(context: typer.Context, workspace: WorkspaceOption = None, trust: TrustOption = False) -> None:
    """Without a command, the window opens."""
    context.obj = Chosen(workspace, trust)
    if context.invoked_subcommand is None:
        _open_window(workspace or default_workspace(), demo=False, trust=trust)


@app.command()
def demo(workspace: WorkspaceOption = None) -> None:
    """The window with the demo workspace; without a display, the demo's main job in the terminal."""
    folder = workspace or default_workspace().with_name("demo")
    if has_display():
        _open_window(folder, demo=True)
    else:
        from yomikomi.cli.terminal_demo import run

        run(folder)


@app.command()
def simulate(
    output: Annotated[Path, typer.Option("-o", "--output", help="The Matroska file (.mkv); for a disc a new folder, or an image (.iso).")],
    kind: Annotated[
        Literal["tape", "disc", "synctest", "clap", "bars"],
        typer.Option(help="What is simulated: a tape, a disc, flash and beep, claps, or colour bars with a tone."),
    ] = "tape",
    standard: Annotated[Literal["525i", "625i"], typer.Option(help="Line standard.")] = "525i",
    field_order: Annotated[
        Literal["tff", "bff"] | None, typer.Option(help="Which field comes first; left out: by convention, bff of 525i and tff of 625i.")
    ] = None,
    seconds: Annotated[float, typer.Option(help="Length.", min=0.1, max=36_000)] = 10.0,
    seed: Annotated[int, typer.Option(help="The same seed gives the same samples.", min=0)] = 1,
    tape: Annotated[
        Literal["vhs", "video8", "laserdisc", "perfect"] | None,
        typer.Option(help="What the tape does to the picture; vhs for a tape, nothing for tests if left out."),
    ] = None,
    scenes: Annotated[Literal["mixed", "lively", "still"], typer.Option(help="What was filmed.")] = "mixed",
    corrector: Annotated[bool, typer.Option(help="A player with a time-base corrector.")] = False,
    offset_ms: Annotated[float, typer.Option(help="Of synctest and clap: how much later the sound comes; negative: sooner.")] = 0.0,
    drift: Annotated[float, typer.Option("--drift-ms-per-hour", help="Of synctest and clap: how that changes.")] = 0.0,
    layout: Annotated[Literal["lessons", "feature", "series"], typer.Option(help="Of a disc: which titles are on it.")] = "lessons",
    truth: Annotated[Path | None, typer.Option(help="Write what was put in to this file, as JSON.")] = None,
    as_json: Json = False,
) -> None:
    """Play a simulated tape or test signal into a file, with known faults; or make a simulated disc with known titles."""
    from yomikomi.cli.documents import SimulateDocument
    from yomikomi.cli.work import run_job
    from yomikomi.core.video.standards import FieldOrder
    from yomikomi.demo.tape_file import SimulateRequest, simulate_to
    from yomikomi.sim.bars import BarsSpec
    from yomikomi.sim.player import TapePlayerSpec
    from yomikomi.sim.player import truth as truth_of
    from yomikomi.sim.synctest import SyncTestSpec

    if kind != "disc":
        check_free(output)
    if kind == "disc":
        _simulate_disc(output, layout, standard, seconds, seed, truth, as_json)
        return
    if output.suffix.lower() != ".mkv":
        raise WrongUseError(f"{output.name}: the simulation writes Matroska.", remedy="Give the output a name that ends in .mkv.")
    order = FieldOrder(field_order) if field_order else None
    spec: TapePlayerSpec | SyncTestSpec | BarsSpec
    if kind in {"synctest", "clap"}:
        spec = SyncTestSpec(
            "clap" if kind == "clap" else "synctest", offset_ms, drift, standard, order, seed, seconds,
            tape or "perfect",
        )  # fmt: skip
    elif kind == "bars":
        spec = BarsSpec(standard=standard, seed=seed, seconds=seconds, tape=tape or "perfect")
    else:
        spec = TapePlayerSpec(
            standard=standard, field_order=order, seed=seed, tape=tape or "vhs", corrector=corrector, mixture=scenes, seconds=seconds,
            real_time=False,
        )  # fmt: skip
    frames = run_job(simulate_to, SimulateRequest(spec, output, seconds), "simulating", quiet=as_json)
    told = truth_of(spec, frames) if isinstance(spec, TapePlayerSpec) else spec.truth()
    document = SimulateDocument(file=str(output), size_bytes=output.stat().st_size, frames=frames, truth=told)
    if truth is not None:
        _write(truth, json.dumps(document.truth, indent=1))
    answer(document, as_json, f"{output}: {frames} frames")


def _simulate_disc(output: Path, layout: str, standard: str, seconds: float, seed: int, truth: Path | None, as_json: bool) -> None:
    from yomikomi.cli.documents import SimulateDocument
    from yomikomi.cli.work import run_job
    from yomikomi.demo.disc_file import DiscRequest, simulate_disc
    from yomikomi.sim.disc.spec import LAYOUTS

    spec = LAYOUTS[layout](seconds=seconds, seed=seed, standard=standard)
    made = run_job(simulate_disc, DiscRequest(spec, output), "making the disc", quiet=as_json)
    document = SimulateDocument(file=str(output), size_bytes=made.size_bytes, frames=made.frames, truth=made.truth)
    if truth is not None:
        _write(truth, json.dumps(document.truth, indent=1))
    answer(document, as_json, f"{output}: {len(spec.titles)} titles, {made.frames} frames")


app.command()(readings.read)
app.command()(readings.compare)
app.command()(planning.titles)
app.command()(planning.reckon)
app.command()(paths.path)
app.command()(paths.diagnose)
app.command()(paths.equipment)
for command in (
    captures.capture, captures.sources, captures.synctest, captures.trial, captures.cut, captures.join, captures.merge,
):  # fmt: skip
    app.command()(command)
app.add_typer(planning.shelf, name="shelf")


@app.command()
def predict(
    file: File,
    codec: CodecOption,
    quality: QualityOption,
    speed: SpeedOption = None,
    deinterlace: DeinterlaceOption = "auto",
    container: ContainerOption = None,
    sound: SoundOption = "aac",
    as_json: Json = False,
) -> None:
    """Say what a copy would cost: size, likeness, time, each with its interval."""
    from yomikomi.cli.work import choose_treatment, predict_file, read_file
    from yomikomi.core.balance.recipes import recipe_for

    recipe = recipe_for(codec, quality, speed=speed, container=container or "mp4", sound=sound)
    reading = read_file(file, quiet=as_json)
    treatment = choose_treatment(reading, deinterlace)
    prediction = predict_file(file, reading, treatment, recipe, quiet=as_json)
    answer(prediction, as_json, _prediction_words(prediction))


@app.command()
def copy(
    file: File,
    output: Annotated[Path, typer.Option("-o", "--output", help="The copy; never overwritten.")],
    codec: CodecOption,
    quality: QualityOption,
    speed: SpeedOption = None,
    deinterlace: DeinterlaceOption = "auto",
    container: ContainerOption = None,
    sound: SoundOption = "aac",
    predict_first: Annotated[bool, typer.Option("--predict", help="Predict first, and compare afterwards.")] = False,
    fill_gaps: Annotated[bool, typer.Option("--fill-gaps", help="Fill gaps in the pictures of any length with the frame before.")] = False,
    as_json: Json = False,
) -> None:
    """Make a copy and verify it."""
    from yomikomi.cli.documents import CopyDocument
    from yomikomi.cli.work import choose_treatment, copy_file, predict_file, read_file
    from yomikomi.core.balance.recipes import recipe_for

    check_free(output)
    kind = container or ("mkv" if output.suffix.lower() == ".mkv" else "mp4")
    recipe = recipe_for(codec, quality, speed=speed, container=kind, sound=sound)
    reading = read_file(file, quiet=as_json)
    treatment = choose_treatment(reading, deinterlace)
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


@app.command()
def schema(
    document: Annotated[
        str | None,
        typer.Argument(help="The document of a command: read, predict, titles, path …; or all."),
    ] = None,
) -> None:
    """Print the JSON Schema of the documents that --json prints."""
    from yomikomi.cli.documents import DOCUMENTS

    if document is not None and document not in DOCUMENTS:
        raise WrongUseError(f"There is no document {document!r}.", remedy=f"Use one of: {', '.join(DOCUMENTS)}.")
    schemas = {name: kind.model_json_schema(mode="serialization") for name, kind in DOCUMENTS.items()}
    print(json.dumps(schemas[document] if document else schemas, indent=1))


def default_workspace() -> Path:
    from platformdirs import user_data_path

    return user_data_path("yomikomi") / "workspace"


def has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _open_window(folder: Path, *, demo: bool, trust: bool = False) -> None:
    if not has_display() and os.environ.get("QT_QPA_PLATFORM") not in {"offscreen", "minimal"}:
        raise UnfinishedError("There is no display for the window.", remedy="Start it in a desktop session, or see yomikomi --help.")
    from yomikomi.ui.app import REOPEN, run_window

    on_ready = None
    if demo:
        from yomikomi.demo.maker import fill

        on_ready = fill
    code = run_window(folder, on_ready=on_ready, trust=trust)
    if code == REOPEN:  # another form or size of everything: Qt takes them only at the start
        os.execv(sys.executable, [sys.executable, "-m", "yomikomi", *sys.argv[1:]])
    raise SystemExit(code)


def answer(document: BaseModel, as_json: bool, words: str) -> None:
    """On standard output: the document, or words with nothing in them that a terminal would obey."""
    if not as_json:
        print(printable(words))
        return
    try:
        print(document.model_dump_json(indent=1))
    except ValueError:  # names of files may be bytes that are no text; JSON can only escape them
        print(json.dumps(document.model_dump(mode="json"), indent=1))


def _write(path: Path, words: str) -> None:
    write_new(path, words.encode())


def _size(size: float) -> str:
    from yomikomi.core.video.units import size_text

    return size_text(size)


def _prediction_words(prediction: Any) -> str:
    from yomikomi.core.video.timecode import spoken

    size, time = prediction.size_bytes, prediction.encode_seconds
    return (
        f"{prediction.recipe.words}: {_size(size.expected)} ({_size(size.low)} – {_size(size.high)}), "
        f"fidelity {prediction.quality.value:.1f} dB, {spoken(time.expected)} ({spoken(time.low)} – {spoken(time.high)})"
    )


def main() -> None:
    """The entry point: errors become one line on standard error and an exit code."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a terminal that knows no more than ASCII still gets its answer
    try:
        app(standalone_mode=False)
        sys.stdout.flush()
    except YomikomiError as error:
        _fail(str(error), error.exit_code)
    except KeyboardInterrupt:
        _fail("Stopped.", 4)
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(4) from None
    except OSError as error:
        _fail(f"The system said: {error.strerror or error}{f' ({error.filename})' if error.filename else ''}. Check the drive.", 4)
    except Exception as error:
        # Typer's own usage errors: recognised by what they can do, since it may bring its own copy of their classes.
        message = getattr(error, "format_message", None)
        if message is None:
            if type(error).__name__ == "Abort":
                _fail("Stopped.", 4)
            _fail(str(defect(error, "command line")), 4)
        _fail(f"{message()} See yomikomi --help.", 2)


def _fail(words: str, code: int) -> NoReturn:
    print(f"yomikomi: {printable(' '.join(words.split()))}", file=sys.stderr)
    raise SystemExit(code)
