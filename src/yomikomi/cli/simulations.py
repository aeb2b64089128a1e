"""The command that plays simulated tapes, test signals and discs into files, with known faults."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Literal

import typer

from yomikomi.cli.root import Json, answer
from yomikomi.core.errors import WrongUseError
from yomikomi.core.work.new_file import check_free, write_new


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
        Literal["vhs", "vhs_used", "video8", "video8_used", "laserdisc", "perfect"] | None,
        typer.Option(help="What the tape does to the picture; vhs for a tape, nothing for tests if left out."),
    ] = None,
    scenes: Annotated[
        Literal["mixed", "lively", "still", "festival", "kiln", "aquarium", "race"],
        typer.Option(help="What was filmed."),
    ] = "mixed",
    corrector: Annotated[bool, typer.Option(help="A player with a time-base corrector.")] = False,
    offset_ms: Annotated[float, typer.Option(help="Of synctest and clap: how much later the sound comes; negative: sooner.")] = 0.0,
    drift: Annotated[float, typer.Option("--drift-ms-per-hour", help="Of synctest and clap: how that changes.")] = 0.0,
    layout: Annotated[Literal["lessons", "feature", "series"], typer.Option(help="Of a disc: which titles are on it.")] = "lessons",
    truth: Annotated[Path | None, typer.Option(help="Write what was put in to this file, as JSON.")] = None,
    as_json: Json = False,
) -> None:
    """Play a simulated tape or test signal into a file, with known faults; or make a simulated disc with known titles."""
    from yomikomi.cli.simulation_documents import SimulateDocument
    from yomikomi.cli.work import run_job
    from yomikomi.core.video.standards import FieldOrder
    from yomikomi.demo.tape_file import SimulateRequest, simulate_to
    from yomikomi.sim.bars import BarsSpec
    from yomikomi.sim.player import TapePlayerSpec
    from yomikomi.sim.player import truth as truth_of
    from yomikomi.sim.synctest import SyncTestSpec

    if kind == "disc":
        _simulate_disc(output, layout, standard, seconds, seed, truth, as_json)
        return
    check_free(output)
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
        write_new(truth, json.dumps(document.truth, indent=1).encode())
    answer(document, as_json, f"{output}: {frames} frames")


def _simulate_disc(output: Path, layout: str, standard: str, seconds: float, seed: int, truth: Path | None, as_json: bool) -> None:
    from yomikomi.cli.simulation_documents import SimulateDocument
    from yomikomi.cli.work import run_job
    from yomikomi.demo.disc_file import DiscRequest, simulate_disc
    from yomikomi.sim.disc.spec import LAYOUTS

    spec = LAYOUTS[layout](seconds=seconds, seed=seed, standard=standard)
    made = run_job(simulate_disc, DiscRequest(spec, output), "making the disc", quiet=as_json)
    document = SimulateDocument(file=str(output), size_bytes=made.size_bytes, frames=made.frames, truth=made.truth)
    if truth is not None:
        write_new(truth, json.dumps(document.truth, indent=1).encode())
    answer(document, as_json, f"{output}: {len(spec.titles)} titles, {made.frames} frames")
