"""A warm start for workers: one helper process has loaded what they need, and every worker is a copy of it.

A fresh interpreter needs 0.7 to 1.2 s of processor time until it has loaded the libraries of a reading or an encode, and a person
waits for that before anything is seen; a copy of one that has them is there in some hundredths (docs/science.md). The helper loads
them by itself, and until it is ready, or where nobody asked for it, workers begin fresh. It ends with the program.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Sequence
from multiprocessing.context import ForkServerContext, SpawnContext

_ready = threading.Event()


def keep_warm(modules: Sequence[str]) -> threading.Thread:
    """Begin the helper, which loads ``modules``; at once back. The thread returned ends when it is ready (or could not be had)."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(list(modules))
    waiting = threading.Thread(target=_wait_for, args=(context,), name="warming", daemon=True)
    waiting.start()
    return waiting


def context() -> SpawnContext | ForkServerContext:
    """How the next worker begins: as a copy of the helper once it is ready, so that nobody waits for it to load; else fresh."""
    return multiprocessing.get_context("forkserver") if _ready.is_set() else multiprocessing.get_context("spawn")


def surroundings() -> tuple[dict[str, str], str | None]:
    """The environment and the folder of this process, which the helper may have known otherwise; None for a folder that is gone."""
    try:
        return dict(os.environ), os.getcwd()  # noqa: PTH109  an absent folder is an error here, and an answer there
    except OSError:
        return dict(os.environ), None


def enter(place: tuple[dict[str, str], str | None]) -> None:
    """In the worker: what :func:`surroundings` told."""
    environment, folder = place
    for name in os.environ.keys() - environment.keys():
        del os.environ[name]
    os.environ.update(environment)
    if folder is not None:
        try:
            os.chdir(folder)
        except OSError:
            return


def _wait_for(context: ForkServerContext) -> None:
    try:
        probe = context.Process(target=_nothing, name="warming", daemon=True)
        probe.start()
        probe.join()
    except (OSError, EOFError):
        return
    if probe.exitcode == 0:
        _ready.set()


def _nothing() -> None:
    return None
