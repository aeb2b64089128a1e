"""The demo's main job without a window: play a simulated tape, capture it, read, predict, copy, verify."""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.table import Table

from yomikomi.cli.work import run_job
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.capture.looking import LookAs
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.ledger.naming import copy_stem
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import headline
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import bit_rate_text, size_text
from yomikomi.core.work.new_file import free_name
from yomikomi.demo import scenario

_CAPTURE_S = 5.0
_QUALITY = 23


def run(folder: Path) -> None:
    """Everything is real and stays in the demo workspace; any failure is an error with its exit code."""
    console = Console()
    console.print("There is no display, so the demo's main job runs here in the terminal.")
    workspace = Workspace(folder)
    try:
        _run(console, Record(workspace))
    finally:
        workspace.close()


def _run(console: Console, record: Record) -> None:
    rows: list[tuple[str, str, str]] = []

    def do(name: str, function: Any, request: Any, *, urgent: bool = False) -> Any:
        console.print(f"{name} …")
        sys.stdout.flush()
        began = time.monotonic()
        answer = run_job(function, request, name, quiet=False, urgent=urgent, heartbeat=True)
        rows.append((name, "", spoken(time.monotonic() - began)))
        return answer

    def say(words: str) -> None:
        rows[-1] = (rows[-1][0], words, rows[-1][2])
        console.print(f"    {words}")

    intake, source = scenario.SHELF[0]
    known = [view for view in record.carriers() if view.label == intake.label]
    carrier_id = known[0].id if known else record.shelf.put([intake], [source])[0]
    take_id, path = record.takes.begin(carrier_id)
    spec = replace(scenario.K001, real_time=True)
    captured = do(
        "simulate and capture in real time",
        capture,
        CaptureRequest(spec, path, rules=EndRules(max_seconds=_CAPTURE_S), look=LookAs(preview=False, scopes=False)),
        urgent=True,
    )
    record.takes.end(take_id, captured)
    rate = bit_rate_text(captured.bytes_written * 8 / max(0.1, captured.seconds))
    say(f"{captured.frames} frames, {captured.dropped} lost, {size_text(captured.bytes_written)} at {rate}")
    reading = do("read", read, ReadRequest(path))
    record.readings.save(take_id, reading)
    say(headline(reading))
    treatment = fields_treatment(reading)
    record.readings.choose_treatment(take_id, treatment)
    recipe = recipe_for("h264", _QUALITY)
    told = do("predict", predict, PredictRequest(path, reading, treatment, recipe))
    size, seconds = told.size_bytes, told.encode_seconds
    say(f"{recipe.words}: {size_text(size.expected)} ({size_text(size.low)} – {size_text(size.high)}) in {spoken(seconds.expected)}")
    view = record.carrier(carrier_id)
    target = free_name(record.workspace.folder / "copies", copy_stem(view, recipe), ".mp4")
    copy_id = record.copies.ask(take_id, recipe, treatment, told, target)
    record.copies.start(copy_id)
    result = do("copy and verify", make_copy, CopyRequest(path, target, reading, treatment, recipe))
    record.copies.end(copy_id, result=result)
    passed = sum(check.passed for check in result.checks)
    off = 100 * (result.size_bytes / size.expected - 1)
    say(f"{size_text(result.size_bytes)} ({off:+.1f} % of the prediction), {passed} of {len(result.checks)} checks passed")
    table = Table(title="Kamome Bay Lantern Archive, K-001", title_justify="left")
    for head in ("step", "result", "time"):
        table.add_column(head)
    for one in rows:
        table.add_row(*one)
    console.print(table)
    console.print("verified" if result.verified else "NOT verified", style="bold")
    if not result.verified:
        raise SystemExit(4)
