"""A warm start for workers: one helper process has loaded what they need, and every worker is a copy of it. A command's workers are copies
of the command, which has loaded the same by the time it begins them.

A fresh interpreter needs 0.7 to 1.2 s of processor time until it has loaded the libraries of a reading or an encode, and a person
waits for that before anything is seen; a copy of one that has them is there in some hundredths (docs/science.md). The helper loads
them by itself, and until it is ready, or where nobody asked for it, workers begin fresh. It ends with the program.
"""

from __future__ import annotations

import contextlib
import gc
import multiprocessing
import os
import stat
import threading
import time
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection
from multiprocessing.context import ForkContext, ForkServerContext, SpawnContext
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any

import psutil

# Seconds before each attempt: a helper that is just being ended is in the way of the next for a moment.
_PAUSES_S = (0.0, 0.2, 1.0, 5.0)
_STANDARD_ERROR = 2


class _Helper:
    """``pid``: of the helper once it is ready, else None. ``copies``: workers are copies of this process itself. ``threads``: how many it
    had, those of libraries among them, when it began the first."""

    def __init__(self) -> None:
        self.pid: int | None = None
        self.modules: list[str] = []
        self.copies = False
        self.threads: int | None = None


_helper = _Helper()


def keep_warm(modules: Sequence[str]) -> threading.Thread:
    """Begin the helper, which loads ``modules``; at once back. The thread returned ends when it is ready (or could not be had)."""
    copy_this_process(False)
    _helper.modules = list(modules)
    waiting = threading.Thread(target=_wait_for_helper, name="warming", daemon=True)
    waiting.start()
    return waiting


def copy_this_process(yes: bool = True) -> None:
    """Said by a command whose process is all its own: its workers begin as copies of it. It may not compute beside them; while it does
    (threads show it), they begin fresh."""
    _helper.copies = yes


def begin(target: Callable[..., None], args: tuple[Any, ...], name: str) -> BaseProcess:
    """A worker that runs ``target(*args)``: a copy of this process or of the helper, so that nobody waits for it to load; fresh where
    neither is to be had."""
    if _helper.copies and _is_quiet():
        return _started(multiprocessing.get_context("fork"), _as_copy, (target, args), name)
    if is_ready():
        try:
            return _started(multiprocessing.get_context("forkserver"), target, args, name)
        except (OSError, EOFError):  # the helper went this very moment
            _renew()
    return _started(multiprocessing.get_context("spawn"), target, args, name)


def _is_quiet() -> bool:
    """Whether nothing in this process is at work but the caller. What threads libraries began when they were loaded know of copies; what
    they began since, to compute, may not."""
    threads = len(list(Path("/proc/self/task").iterdir()))
    if _helper.threads is None:
        _helper.threads = threads
    return threading.active_count() == 1 and threads <= _helper.threads


def _as_copy(target: Callable[..., None], args: tuple[Any, ...]) -> None:
    """Files that the other process has open are none of a copy's: it would hold on to their locks when that one is gone. The objects that
    stand for them stay, untouched."""
    gc.freeze()
    for number in [int(one.name) for one in Path("/proc/self/fd").iterdir()]:
        with contextlib.suppress(OSError):  # the list's own is closed by now
            if number > _STANDARD_ERROR and stat.S_ISREG(os.fstat(number).st_mode):
                os.close(number)
    target(*args)


def _started(
    context: ForkContext | ForkServerContext | SpawnContext, target: Callable[..., None], args: tuple[Any, ...], name: str
) -> BaseProcess:  # fmt: skip
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
