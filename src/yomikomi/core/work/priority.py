"""Keeps encoders from taking the whole machine, and from outliving the program."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal

_CAP_SYS_NICE = 23
_CAPABILITY_VERSION_3 = 0x20080522
_PR_SET_PDEATHSIG = 1  # prctl(2)


def tame_encoders() -> None:
    """Once per worker process, before an encoder is opened: quiet, and without the right to raise scheduling classes.

    An AV1 encoder started as root raises its own threads to a real-time class and starves everything else
    (measured; see docs/science.md). Without the capability it stays in the ordinary class.
    """
    os.environ["SVT_LOG"] = "1"  # errors only: its banner goes straight to the terminal
    if os.geteuid() != 0:
        return
    libc = ctypes.CDLL(None, use_errno=True)
    header = (ctypes.c_uint32 * 2)(_CAPABILITY_VERSION_3, 0)
    sets = (ctypes.c_uint32 * 6)()  # effective, permitted, inheritable: two words each, low word first
    if libc.capget(header, sets) != 0:
        return
    for word in range(3):
        sets[word] &= ~(1 << _CAP_SYS_NICE)
    libc.capset(header, sets)


def lower_all_threads() -> None:
    """Bring every thread of this process back to the ordinary scheduling class."""
    for name in os.listdir("/proc/self/task"):  # noqa: PTH208  a pseudo-folder, read once
        with contextlib.suppress(OSError):
            tid = int(name)
            if os.sched_getscheduler(tid) not in {os.SCHED_OTHER, os.SCHED_BATCH}:
                os.sched_setscheduler(tid, os.SCHED_OTHER, os.sched_param(0))


def wake_when_orphaned() -> None:
    """In a worker: when the process that it was begun by is killed, it goes on, should it have been stopped, and so hears of that."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGCONT, 0, 0, 0)
