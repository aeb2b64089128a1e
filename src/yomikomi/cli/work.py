"""Running the core's jobs from the terminal: in worker processes, with progress on standard error."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from yomikomi.core.errors import CancelledError
from yomikomi.core.work import Job, JobState, Reporter

# Seconds between lines that say how far it is, where there is no terminal to draw on.
_HEARTBEAT_S = 5.0


def run_job(
    function: Callable[[Any, Reporter], Any], request: Any, name: str, *, quiet: bool, urgent: bool = False, heartbeat: bool = False
) -> Any:
    """Run a job to its end, showing how far it is; Ctrl+C stops it in order, and what it gives all the same is its answer."""
    job = Job(function, request, name=name, urgent=urgent, grace=2.0).start()
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.percentage:>3.0f} %"), TimeRemainingColumn())
    try:
        with Progress(*columns, console=console, transient=True, disable=quiet or not sys.stderr.isatty()) as bar:
            task = bar.add_task(name, total=1.0)
            beats = heartbeat and not sys.stderr.isatty()
            told_at = time.monotonic()

            def watch(running: Job) -> None:
                part = getattr(running.progress, "part", None)
                step = getattr(running.progress, "step", "")
                nonlocal told_at
                if beats and part is not None and time.monotonic() - told_at > _HEARTBEAT_S:
                    told_at = time.monotonic()
                    print("   ", *filter(None, (name, step)), f"{100 * part:.0f} %", file=sys.stderr, flush=True)
                if part is not None:
                    bar.update(task, completed=part, description=f"{name} {step}".strip())

            job.wait(watch=watch)
    except KeyboardInterrupt:
        job.cancel()
        job.wait(timeout=8)
        if job.state is JobState.DONE:
            return job.answer()
        raise CancelledError(f"{name}: stopped.") from None
    return job.answer()
