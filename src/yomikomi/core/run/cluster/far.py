"""What runs on a worker: it says what it is and sees, and does one task of the run in a process of its own, as the desk's machine would."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import blake3

import yomikomi.core
from yomikomi import __version__
from yomikomi.core.copying.encode import make_chunk
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.errors import CancelledError, NameTakenError, UnfinishedError
from yomikomi.core.reading.current import check_current
from yomikomi.core.run.cluster.storages import Mark, PlacedWork, sees
from yomikomi.core.run.executors.face import Function
from yomikomi.core.run.executors.local import LocalHandle
from yomikomi.core.run.work_folder import WorkFolder
from yomikomi.core.video.identity import identify
from yomikomi.core.work import Job, Reporter

if TYPE_CHECKING:
    from distributed import Worker

# Progress is passed on so often, seconds; whether somebody wants the work to stop is looked at so often.
_TELL_S, _LOOK_S = 0.5, 0.05
# So long a work folder may be held by one that is lost and does not know it, seconds.
_PATIENCE_S = 120.0


@dataclass
class _Here:
    """Of this worker's process; set once, when it begins."""

    storages: dict[str, Path] = field(default_factory=dict)
    niceness: int = 10
    checked: set[tuple[str, str]] = field(default_factory=set)
    held: set[str] = field(default_factory=set)  # keys of tasks that are to stand still


HERE = _Here()


@dataclass(frozen=True)
class Description:
    """What a worker is. ``version``, ``code``: of the program, and a digest of what it computes with; ``libraries``: versions of those that
    decode and encode."""

    version: str
    code: str
    libraries: tuple[str, ...]


@dataclass(frozen=True)
class Done:
    """``result``: of the task; ``peak_bytes``: the most memory it took."""

    result: Any
    worker: str
    peak_bytes: int | None


def libraries() -> tuple[str, ...]:
    import av

    return tuple(f"{name} {'.'.join(map(str, version))}" for name, version in sorted(av.library_versions.items()))


@cache
def code() -> str:
    """The same where the same is computed."""
    digest, core = blake3.blake3(), Path(yomikomi.core.__file__).parent
    for path in sorted(core.rglob("*.py")):
        digest.update(path.relative_to(core).as_posix().encode() + b"\0" + path.read_bytes())
    return str(digest.hexdigest(8))


def describe() -> Description:
    return Description(__version__, code(), libraries())


def look_at(work: PlacedWork, mark: Mark) -> str:
    """What hinders this worker; empty: nothing."""
    return sees(work, mark, HERE.storages)


def hold(keys: list[str], held: bool) -> None:
    """Tasks stand still, or go on."""
    HERE.held = HERE.held | set(keys) if held else HERE.held - set(keys)


def chunk_task(request: CopyRequest, reporter: Reporter, *, number: int) -> None:
    """One chunk of a copy, into its work folder."""
    make_chunk(request, number, WorkFolder(request).chunks, reporter)


def run_task(function: Function, work: PlacedWork, name: str, topic: str, *_before: object) -> Done:
    """``_before``: what had to be done first.

    Raises what the task raises, and CancelledError where nobody waits for it any more.
    """
    from distributed import get_worker
    from distributed.worker import thread_state

    worker, key = get_worker(), str(thread_state.key)
    request = _checked(work.on(HERE.storages), lambda: _check_wanted(worker, key))
    until = time.monotonic() + _PATIENCE_S
    while True:
        try:
            return _do(function, request, name, worker, key, topic)
        except NameTakenError:
            if WorkFolder(request).folder.exists() and not request.target.exists() and time.monotonic() < until:
                _check_wanted(worker, key)
                time.sleep(1.0)
                continue
            raise


def _do(function: Function, request: CopyRequest, name: str, worker: Worker, key: str, topic: str) -> Done:
    job = Job(function, request, name=name, key=key, grace=0.3, niceness=HERE.niceness).start()
    handle, told, frozen = LocalHandle(job), 0.0, False
    try:
        while not job.state.ended:
            changed = job.poll()
            wanted = is_wanted(worker, key)
            if frozen != (wanted and key in HERE.held):
                frozen = not frozen
                (handle.freeze if frozen else handle.thaw)()
            handle.watch()
            if not wanted:
                handle.cancel()
            if changed and time.monotonic() - told > _TELL_S and isinstance(job.progress, CopyProgress):
                told = time.monotonic()
                worker.log_event(topic, {"key": key, "by": str(worker.name), "progress": asdict(job.progress)})
            time.sleep(_LOOK_S)
        while not job.gone():
            time.sleep(0.01)
    finally:
        job.kill()
    return Done(job.answer(), str(worker.name), handle.peak_bytes)


def is_wanted(worker: Worker, key: str) -> bool:
    """Whether somebody waits for it: the desk has not dropped it, and the hub, which hands it to another worker when this one seems lost,
    still hears of this one."""
    task = worker.state.tasks.get(key)
    return worker.status.name in {"running", "paused"} and task is not None and task.state not in {"cancelled", "resumed"}


def _check_wanted(worker: Worker, key: str) -> None:
    if not is_wanted(worker, key):
        raise CancelledError("Stopped.")


def _checked(request: CopyRequest, check: Callable[[], None]) -> CopyRequest:
    """With the take as this machine sees it, to the last byte; every worker looks at it once. Raises UnfinishedError."""
    try:
        identity = identify(request.path)
        known = (request.reading.content or "", identity.model_dump_json())
        if known not in HERE.checked:
            check_current(request.path, request.reading, check)
            HERE.checked.add(known)
    except OSError as error:
        raise UnfinishedError(
            f"{request.path.name} cannot be reached from this worker: {error.strerror}.", remedy="Look after its storage.",
            path=request.path,
        ) from error  # fmt: skip
    return replace(request, reading=request.reading.model_copy(update={"identity": identity}))
