"""The programs of a cluster: the hub, which hands out work, and the workers. Both listen only for parts with a certificate."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import tempfile
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any

from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.run.capacity import PROCESSORS_EACH
from yomikomi.core.run.cluster.certificates import security_of
from yomikomi.core.run.cluster.far import HERE
from yomikomi.core.work.warm import keep_warm

# A worker that says nothing for so long is lost, and its work is given to another.
_LOST_AFTER = "20 s"
# One that cannot reach its hub ends after this, seconds: it would look for it for ever.
_GIVES_UP_S = 60
_CONNECT_S = 10
_WARM = ("yomikomi.core.run.tasks", "yomikomi.core.copying.making")
_SETTINGS = {
    "distributed.scheduler.http.routes": [], "distributed.worker.http.routes": [],
    "distributed.scheduler.worker-ttl": _LOST_AFTER, "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.allowed-failures": 3,
    "distributed.worker.profile.enabled": False, "distributed.admin.system-monitor.gil.enabled": False,
    "distributed.comm.timeouts.connect": "10 s", "distributed.comm.timeouts.tcp": "20 s",
}  # fmt: skip


def check_address(address: str) -> str:
    """Raises WrongUseError for anything but TLS."""
    if not address.startswith("tls://"):
        raise WrongUseError(f"{address!r} is no address of a cluster.", remedy="Write it as tls://NAME:8786; without TLS nothing is sent.")
    return address


def run_hub(folder: Path, host: str, port: int, told: Callable[[str], None]) -> None:
    """Until it is ended (SIGINT, SIGTERM). ``told``: receives the address. Raises UnfinishedError."""
    security = security_of(folder, "hub")

    async def go() -> None:
        import dask
        from distributed import Scheduler

        with dask.config.set(_SETTINGS):
            # Its page for browsers would be a listener without TLS: it begins on loopback, and ends at once.
            hub = Scheduler(host=host, port=port, protocol="tls", security=security, dashboard=False, dashboard_address="127.0.0.1:0")
            async with hub:
                hub.http_server.stop()
                told(hub.address)
                await _until_ended(hub.finished())

    _run(go, f"{host}:{port}")


def run_worker(
    folder: Path, address: str, storages: dict[str, Path], *, slots: int, name: str, told: Callable[[str], None]
) -> None:
    """Until it is ended, or its hub is gone. ``slots``: tasks at once. Raises UnfinishedError, WrongUseError."""
    security = security_of(folder, "worker")
    check_address(address)
    HERE.storages = storages
    HERE.checked.clear()
    keep_warm(_WARM)

    async def go() -> None:
        import dask
        from distributed import Worker
        from distributed.comm import connect

        # Whether it is let in, at once: the worker itself would try for a minute without a word.
        first = await connect(address, timeout=_CONNECT_S, **security.get_connection_args("worker"))
        await first.close()
        with dask.config.set(_SETTINGS), tempfile.TemporaryDirectory(prefix="yomikomi-worker-") as spare:
            worker = Worker(
                address, nthreads=slots, name=name, security=security, memory_limit=0, local_directory=spare, dashboard=False,
                dashboard_address="127.0.0.1:0", death_timeout=_GIVES_UP_S,
            )  # fmt: skip
            async with worker:
                worker.http_server.stop()
                told(worker.address)
                await _until_ended(worker.finished())

    _run(go, address)


def _run(go: Callable[[], Coroutine[Any, Any, None]], where: str) -> None:
    try:
        asyncio.run(go())
    except (OSError, TimeoutError, ValueError) as error:
        raise UnfinishedError(
            f"{where}: {error or 'nobody answers'}.", remedy="Is the hub running there, and is it of the same cluster?"
        ) from error


async def _until_ended(finished: Coroutine[Any, Any, Any]) -> None:
    """Either by itself or by a signal."""
    loop, ended = asyncio.get_running_loop(), asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        with contextlib.suppress(NotImplementedError, RuntimeError, ValueError):  # not in the main thread: in tests
            loop.add_signal_handler(number, ended.set)
    waits = [asyncio.create_task(finished), asyncio.create_task(ended.wait())]
    await asyncio.wait(waits, return_when=asyncio.FIRST_COMPLETED)
    for one in waits:
        one.cancel()


def usual_slots() -> int:
    """An encoder keeps some processors busy; beside it one more may run."""
    return max(1, len(os.sched_getaffinity(0)) // PROCESSORS_EACH)
