"""A warm start for workers: one helper process has loaded what they need, and every worker is a copy of it.

A fresh interpreter needs 0.7 to 1.2 s of processor time until it has loaded the libraries of a reading or an encode, and a person
waits for that before anything is seen; a copy of one that has them is there in some hundredths (docs/science.md). The helper loads
them by itself, and until it is ready, or where nobody asked for it, workers begin fresh. It ends with the program.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import threading
import time
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext, SpawnContext
from multiprocessing.process import BaseProcess
from typing import Any

import psutil

# Seconds before each attempt: a helper that is just being ended is in the way of the next for a moment.
_PAUSES_S = (0.0, 0.2, 1.0, 5.0)


class _Helper:
    """``pid``: of the helper once it is ready, else None."""

    def __init__(self) -> None:
        self.pid: int | None = None
        self.modules: list[str] = []


_helper = _Helper()


def keep_warm(modules: Sequence[str]) -> threading.Thread:
    """Begin the helper, which loads ``modules``; at once back. The thread returned ends when it is ready (or could not be had)."""
    _helper.modules = list(modules)
    waiting = threading.Thread(target=_wait_for_helper, name="warming", daemon=True)
    waiting.start()
    return waiting


def begin(target: Callable[..., None], args: tuple[Any, ...], name: str) -> BaseProcess:
    """A worker that runs ``target(*args)``: a copy of the helper if it is ready, so that nobody waits for it to load; else fresh."""
    if is_ready():
        try:
            return _started(multiprocessing.get_context("forkserver"), target, args, name)
        except (OSError, EOFError):  # the helper went this very moment
            _renew()
    return _started(multiprocessing.get_context("spawn"), target, args, name)


def _started(context: ForkServerContext | SpawnContext, target: Callable[..., None], args: tuple[Any, ...], name: str) -> BaseProcess:
    process = context.Process(target=target, args=args, name=name, daemon=True)
    process.start()
    return process


def is_ready() -> bool:
    if _helper.pid is not None and not _lives(_helper.pid):  # the system ended it, for want of memory perhaps
        _renew()
    return _helper.pid is not None


def _renew() -> None:
    _helper.pid = None
    keep_warm(_helper.modules)


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
        with contextlib.suppress(OSError):
            os.chdir(folder)


def _wait_for_helper() -> None:
    for pause in _PAUSES_S:
        time.sleep(pause)
        if (pid := _ask_helper()) is not None:
            _helper.pid = pid
            return


def _ask_helper() -> int | None:
    """Its process id, once it has loaded everything; None where it went meanwhile."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_helper.modules)
    here, there = context.Pipe(duplex=False)
    with here, there:
        try:
            probe = context.Process(target=_tell_parent, args=(there,), name="warming", daemon=True)
            probe.start()
            there.close()
            pid = int(here.recv())
            probe.join()
        except (OSError, EOFError):
            return None
    return pid


def _tell_parent(pipe: Connection) -> None:
    with contextlib.suppress(OSError):  # whoever asked may have ended meanwhile
        pipe.send(os.getppid())


def _lives(pid: int) -> bool:
    try:
        return psutil.Process(pid).status() != psutil.STATUS_ZOMBIE
    except psutil.Error:
        return False
