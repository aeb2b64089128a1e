"""What a cluster costs: hub and workers as programs of this machine, on loopback; and a hub with many workers that do nothing."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psutil

from bench import material
from yomikomi.core.copying.encode import encode
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.run.cluster.certificates import begin_cluster, security_of
from yomikomi.core.run.cluster.desk import DeskPlace
from yomikomi.core.run.executors.cluster import ClusterExecutor, ClusterHandle
from yomikomi.core.run.executors.local import LocalExecutor
from yomikomi.core.run.tasks import encode_task, verify_task
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter

_SECONDS = 180
_WORKERS, _JOBS = 20, 500


def run() -> Iterator[str]:
    yield from _copies()
    yield asyncio.run(_many())


def _copies() -> Iterator[str]:
    """One copy of three minutes, in chunks; then how soon a worker stops."""
    take = material.tape(_SECONDS)
    reading = read(ReadRequest(take), SilentReporter())
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as name:
        folder = Path(name)
        source = folder / take.name
        os.link(take, source)
        request = CopyRequest(source, folder / "here.mp4", reading, Treatment(), recipe_for("h264", 20))
        began = time.monotonic()
        encode(request, request.target, SilentReporter(), folder / "chunks")
        yield f"one copy of {_SECONDS} s in this process: {time.monotonic() - began:.1f} s"
        begin_cluster(folder / "certificates")
        for count in (1, 2, 4):
            with _cluster(folder, count) as executor:
                for task in (encode_task, verify_task):
                    handle, took = _one(executor, CopyRequest(source, folder / f"{count}.mp4", reading, Treatment(), request.recipe), task)
                    yield f"{count} workers: {task.__name__} {took:.1f} s ({handle.error or handle.worker})"
                if count == 1:
                    yield _stopped(executor, CopyRequest(source, folder / "stopped.mp4", reading, Treatment(), recipe_for("h264", 0)))


@contextlib.contextmanager
def _cluster(folder: Path, count: int) -> Iterator[ClusterExecutor]:
    certificates, storage = folder / "certificates", f"bench={folder}"
    programs: list[subprocess.Popen[str]] = []
    try:
        address = _begun(programs, "cluster", "start", "--port", "0", "--certificates", certificates).split()[-1]
        for number in range(count):
            named = ("--slots", "1", "--name", f"w{number}", "--certificates", certificates)
            _begun(programs, "worker", "--scheduler", address, "--storage", storage, *named)
        executor = ClusterExecutor(DeskPlace(address=address, storages={"bench": folder}), certificates, LocalExecutor())
        while len(executor.usable) < count:
            time.sleep(0.05)
        yield executor
        executor.close(5)
    finally:
        for process in programs:
            process.send_signal(signal.SIGTERM)
        for process in programs:
            process.wait(20)


def _begun(programs: list[subprocess.Popen[str]], *words: object) -> str:
    command = [sys.executable, "-m", "yomikomi", *map(str, words)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    programs.append(process)
    assert process.stdout is not None
    return process.stdout.readline()


def _one(executor: ClusterExecutor, request: CopyRequest, task: object) -> tuple[ClusterHandle, float]:
    began, ended = time.monotonic(), []
    handle = executor.start(task, request, name="bench", key="1", on_end=ended.append)  # type: ignore[arg-type]
    while not ended:
        executor.poll()
        time.sleep(0.01)
    return handle, time.monotonic() - began


def _stopped(executor: ClusterExecutor, request: CopyRequest) -> str:
    ended: list[object] = []
    handle = executor.start(encode_task, request, name="bench", key="1", on_end=ended.append)
    while handle.progress is None:
        executor.poll()
        time.sleep(0.01)
    ours = [one for one in psutil.Process().children() if "worker" in _words(one)]
    encoders = [child for one in ours for child in one.children(recursive=True) if child.num_threads() > 8]
    began = time.monotonic()
    handle.cancel()
    while any(one.is_running() and one.status() != psutil.STATUS_ZOMBIE for one in encoders):
        executor.poll()
        time.sleep(0.002)
    return f"its {len(encoders)} encoders gone {1000 * (time.monotonic() - began):.0f} ms after it was cancelled"


def _words(process: psutil.Process) -> list[str]:
    with contextlib.suppress(psutil.Error):
        return process.cmdline()
    return []


async def _many() -> str:
    """Twenty workers of one process, five hundred jobs that do nothing: what handing out costs."""
    from distributed import Client, Scheduler, Worker

    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as name:
        folder = Path(name) / "certificates"
        begin_cluster(folder)
        how = {"dashboard": False, "dashboard_address": "127.0.0.1:0"}
        hub_side, worker_side, desk_side = (security_of(folder, part) for part in ("hub", "worker", "desk"))  # type: ignore[arg-type]
        async with contextlib.AsyncExitStack() as stack:
            hub = Scheduler(host="127.0.0.1", port=0, protocol="tls", security=hub_side, **how)
            await stack.enter_async_context(hub)
            for _ in range(_WORKERS):
                one = Worker(hub.address, nthreads=1, security=worker_side, memory_limit=0, local_directory=name, **how)
                await stack.enter_async_context(one)
            async with Client(hub.address, asynchronous=True, security=desk_side, set_as_default=False) as client:
                began, spent = time.monotonic(), time.process_time()
                await client.gather(client.map(lambda number: number, range(_JOBS), pure=False))
                took, spent = time.monotonic() - began, time.process_time() - spent
    return f"{_JOBS} empty jobs on {_WORKERS} workers: {took:.2f} s, {1000 * spent / _JOBS:.1f} ms of processor a job, both sides"
