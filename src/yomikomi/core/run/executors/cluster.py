"""Jobs of the run on the workers of a cluster. All that talks with other machines does so in threads; the run only looks at what they
left. What no other machine can do is done on this one."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any
from uuid import uuid4

from yomikomi import __version__
from yomikomi.core.copying.coded_pictures import chunk_count
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.errors import UnfinishedError, WorkerDiedError, WrongUseError, YomikomiError
from yomikomi.core.run.cluster.certificates import security_of
from yomikomi.core.run.cluster.desk import DeskPlace
from yomikomi.core.run.cluster.far import Description, Done, chunk_task, code, describe, hold, libraries, look_at, run_task
from yomikomi.core.run.cluster.storages import PlacedWork, marked, placed
from yomikomi.core.run.executors.face import Executor, Function
from yomikomi.core.run.executors.face import Handle as AnyHandle
from yomikomi.core.run.tasks import encode_task
from yomikomi.core.work import JobState

if TYPE_CHECKING:
    from distributed import Client, Future

# Who is there is asked so often, and a hub that does not answer looked for again, seconds.
_ASK_S, _AGAIN_S = 1.0, 5.0
_CONNECT_S = 8
# So long workers have to end what nobody waits for any more.
_STOP_S = 0.4
_NOTHING = CopyProgress("encoding", 0.0, 0, 0, 0.0)
# A chunk that is done is so much of the whole encode; the rest is joining (measured: decoding is a tenth of an encode).
_CHUNKS_PART = 0.9


@dataclass
class Far:
    """A worker as the desk sees it. ``refused``: why it is given nothing; empty: it is."""

    address: str
    name: str
    slots: int
    refused: str = ""
    does: list[str] = field(default_factory=list)


class ClusterHandle:
    """One job; parts of it may be done by several workers. ``hold``: makes its processes stand still, or go on."""

    def __init__(
        self, name: str, key: str, function: Function, request: CopyRequest, hold: Callable[[ClusterHandle, bool], None]
    ) -> None:
        self.name, self.key, self.function, self.request, self._hold = name, key, function, request, hold
        self.state = JobState.RUNNING
        self.progress: Any = None
        self.result: Any = None
        self.error: YomikomiError | None = None
        self.worker = ""
        self.peak_bytes: int | None = None
        self.work: PlacedWork | None = None
        self.waits = True  # for workers that can do it
        self.only_here = False  # no other machine can do it
        self.frozen = False
        self.lock = threading.Lock()
        self.parts: dict[str, Future] = {}
        self.chunks: dict[str, CopyProgress] = {}  # how far each is
        self.at: dict[str, str] = {}  # which worker does which part
        self.addresses: frozenset[str] = frozenset()
        self.here: AnyHandle | None = None  # done on this machine after all
        self.stop_asked_at: float | None = None
        self.began = time.monotonic()

    @property
    def stopping(self) -> bool:
        return self.stop_asked_at is not None

    @property
    def has_stopped(self) -> bool:
        """Workers hear of it by themselves, and had their time."""
        asked = self.stop_asked_at
        return self.here is None and not self.state.ended and asked is not None and time.monotonic() - asked > _STOP_S

    def watch(self) -> None:
        if self.here is not None:
            self.here.watch()
            self.progress, self.worker, self.peak_bytes = self.here.progress, self.here.worker, self.here.peak_bytes

    def cancel(self) -> None:
        self.stop_asked_at = self.stop_asked_at or time.monotonic()
        if self.here is not None:
            self.here.cancel()
        self.drop()

    def drop(self) -> None:
        """Nobody waits for its parts any more."""
        for future in list(self.parts.values()):
            with contextlib.suppress(Exception):  # the hub is gone: so is the work
                future.cancel()

    def freeze(self) -> None:
        self.frozen = True
        if self.here is not None:
            self.here.freeze()
        else:
            self._hold(self, True)

    def thaw(self) -> None:
        self.frozen = False
        if self.here is not None:
            self.here.thaw()
        else:
            self._hold(self, False)

    def take_progress(self, key: str, worker: str, told: CopyProgress) -> None:
        self.at[key] = worker
        if key in self.chunks:
            self.chunks[key] = told
            part = _CHUNKS_PART * sum(one.part for one in self.chunks.values()) / len(self.chunks)
            frames, spent = sum(one.frames for one in self.chunks.values()), time.monotonic() - self.began
            self.progress = CopyProgress("encoding", part, frames, 0, spent * (1 - part) / part if part > 0.01 else 0.0)
        elif self.chunks:
            part = _CHUNKS_PART + (1 - _CHUNKS_PART) * told.part
            self.progress = CopyProgress("joining", part, told.frames, told.bytes_written, told.seconds_left)
        else:
            self.progress = told
        busy = {self.at[one] for one, future in self.parts.items() if one in self.at and not future.done()}
        self.worker = ", ".join(sorted(busy)) or worker


class ClusterExecutor:
    """Parameters
    ----------
    place : of the hub, and where this machine sees the storages. ``folder``: of its certificates.
    here : does what other machines cannot.
    told : receives a sentence and a remedy when the hub is lost or found, or a worker is refused; in a thread of its own.
    """

    def __init__(
        self, place: DeskPlace, folder: Path, here: Executor, told: Callable[[str, str], None] = lambda _words, _remedy: None
    ) -> None:
        self._place, self._folder, self._here, self._told = place, folder, here, told
        self._pool = ThreadPoolExecutor(4, "cluster")
        self._client: Client | None = None
        self._topic = f"yomikomi-{uuid4().hex}"
        self._running: list[tuple[ClusterHandle, Callable[[Any], None]]] = []
        self._ended = threading.Event()
        self._was_there: bool | None = None
        self.workers: dict[str, Far] = {}
        self._asker = threading.Thread(target=self._ask, name="cluster", daemon=True)
        self._asker.start()

    @property
    def slots(self) -> int | None:
        """As many as all workers that can be used have; one while there is none: that job waits, and nothing fails for it."""
        return max(1, sum(one.slots for one in self.usable))

    @property
    def there(self) -> bool | None:
        """Whether the hub answers; None: nobody knows yet."""
        return self._was_there

    @property
    def usable(self) -> list[Far]:
        return [one for one in list(self.workers.values()) if not one.refused]

    def start(self, function: Function, request: Any, *, name: str, key: str, on_end: Callable[[Any], None]) -> ClusterHandle:
        handle = ClusterHandle(name, key, function, request, self._hold)
        self._running.append((handle, on_end))
        self._pool.submit(self._begin, handle)
        return handle

    def poll(self) -> bool:
        changed = self._here.poll()
        for handle, on_end in list(self._running):
            if handle.only_here and handle.here is None and not handle.stopping and not self._busy_here:
                handle.here = self._here.start(
                    handle.function, handle.request, name=handle.name, key=handle.key, on_end=lambda _here: None
                )  # fmt: skip
                if handle.frozen:
                    handle.here.freeze()
            if handle.here is not None and handle.here.state.ended:
                handle.watch()
                handle.state, handle.result, handle.error = handle.here.state, handle.here.result, handle.here.error
            elif handle.has_stopped:
                handle.state = JobState.CANCELLED
            if handle.state.ended:
                self._running = [pair for pair in self._running if pair[0] is not handle]
                changed = True
                on_end(handle)
        return changed

    @property
    def _busy_here(self) -> bool:
        """What only this machine can do is done one after the other: the slots are those of the others."""
        return any(handle.here is not None for handle, _ in self._running)

    def gone(self) -> bool:
        return not self._running and self._here.gone()

    def close(self, wait_s: float = 0.0) -> None:
        """What runs is dropped: workers hear of it and stop, also where this program ends before it was said. ``wait_s``: for that."""
        self._ended.set()
        for handle, _ in self._running:
            handle.cancel()
        self._pool.shutdown(wait=False, cancel_futures=True)
        leaving = threading.Thread(target=self._leave, name="cluster", daemon=True)
        leaving.start()
        leaving.join(wait_s)

    # In threads

    def _begin(self, handle: ClusterHandle) -> None:
        """Where nobody could do it now, it waits."""
        client = self._client
        with handle.lock:
            if not handle.waits or handle.stopping or handle.only_here:
                return
            try:
                handle.work = handle.work or placed(handle.request, self._place.storages)
            except (WrongUseError, OSError):
                handle.only_here = True
                return
            if client is None or not self.usable:
                return
            try:
                self._submit(client, handle, handle.work)
            except YomikomiError as error:
                handle.error, handle.state = error, JobState.FAILED
            except Exception:  # the hub went, in whatever way the library says so
                self._lost(handle)

    def _submit(self, client: Client, handle: ClusterHandle, work: PlacedWork) -> None:
        able = self._able(client, work, handle.request.target.parent)
        key = uuid4().hex
        before: list[Future] = []
        slots = sum(one.slots for one in self.usable if one.address in able)

        def send(function: Function, *after: Future, key: str) -> Future:
            return client.submit(run_task, function, work, handle.name, self._topic, *after, workers=able, key=key, pure=False)

        if handle.function is encode_task and slots > 1:
            for number in range(chunk_count(handle.request)):
                part = send(partial(chunk_task, number=number), key=f"{key}-{number:05d}")
                handle.parts[part.key], handle.chunks[part.key] = part, _NOTHING
                part.add_done_callback(lambda done: self._chunk_done(handle, done))
                before.append(part)
        last = send(handle.function, *before, key=f"{key}-all")
        handle.parts[last.key], handle.waits, handle.addresses = last, False, frozenset(able)
        last.add_done_callback(lambda done: self._done(handle, done))
        if handle.stopping:
            handle.cancel()
        elif handle.frozen:
            self._hold(handle, True)

    def _able(self, client: Client, work: PlacedWork, folder: Path) -> list[str]:
        """Addresses of the workers that see this take and this folder. Raises UnfinishedError with what hinders each, where none does."""
        asked = [one.address for one in self.usable]
        with marked(folder) as mark:
            found = client.run(look_at, work, mark, workers=asked, on_error="return") if asked else {}
        able = [address for address, hinders in found.items() if hinders == ""]
        if able:
            return able
        reasons = "; ".join(f"{self.workers[one].name} {hinders}" for one, hinders in found.items() if one in self.workers)
        raise UnfinishedError(
            f"No worker can make {work.target.path.name}: {reasons or 'none is there'}.",
            remedy="Look after its storages (docs/cluster.md), or let the run go on on this machine.",
        )

    def _chunk_done(self, handle: ClusterHandle, future: Future) -> None:
        if future.status == "finished":
            told = handle.chunks.get(future.key, _NOTHING)
            handle.take_progress(future.key, handle.at.get(future.key, ""), replace(told, part=1.0))

    def _done(self, handle: ClusterHandle, future: Future) -> None:
        """Told by the library, in a thread of its own."""
        if handle.state.ended or handle.stopping or future.key not in handle.parts:
            return
        if future.status == "finished":
            try:
                done: Done = future.result(timeout=60)
            except Exception as error:  # the answer is lost: the task left what it made, and is asked again
                self._fail(handle, error)
                return
            handle.result, handle.worker, handle.peak_bytes = done.result, done.worker, done.peak_bytes
            handle.state = JobState.DONE
        elif future.status == "error":
            self._fail(handle, future.exception())
        else:
            self._lost(handle)

    def _fail(self, handle: ClusterHandle, error: object) -> None:
        lost = f"{handle.name}: its worker was lost ({type(error).__name__}: {error})."
        died = WorkerDiedError(lost, remedy="It is tried again; look at that machine's memory.")
        handle.error = error if isinstance(error, YomikomiError) else died
        handle.state = JobState.FAILED

    def _lost(self, handle: ClusterHandle) -> None:
        """All who could do it are gone, or the hub is: it waits for them, and nothing counts against it."""
        handle.drop()
        handle.parts, handle.chunks, handle.at, handle.addresses = {}, {}, {}, frozenset()
        handle.waits = True

    def _ask(self) -> None:
        while not self._ended.is_set():
            try:
                if self._client is None:
                    self._client = self._connected()
                self._look(self._client)
            except YomikomiError as error:
                self._away(error.message, error.remedy)
            except Exception as error:  # whatever the library says, the hub does not answer
                words = f"The cluster at {self._place.address} cannot be reached ({type(error).__name__})."
                self._away(words, "The run waits for it. Is its hub running?")
            self._ended.wait(_AGAIN_S if self._client is None else _ASK_S)

    def _connected(self) -> Client:
        from distributed import Client

        security = security_of(self._folder, "desk")
        client = Client(self._place.address, security=security, timeout=_CONNECT_S, set_as_default=False, name="yomikomi-desk")
        client.subscribe_topic(self._topic, self._hear)
        return client

    def _look(self, client: Client) -> None:
        """Who is there, what they are, and what they do."""
        if client.status != "running":
            raise ConnectionError(client.status)
        known = client.sync(client.scheduler.identity, n_workers=-1)["workers"]
        fresh = [address for address in known if address not in self.workers]
        described = client.run(describe, workers=fresh, on_error="return") if fresh else {}
        for address in fresh:
            far = Far(address, str(known[address]["name"]), int(known[address]["nthreads"]), refusal(described.get(address)))
            if far.refused:
                self._told(f"Worker {far.name} is not used: it {far.refused}.", "Install the same version there.")
            self.workers = {**self.workers, address: far}
        self.workers = {address: far for address, far in self.workers.items() if address in known}
        doing: dict[str, list[str]] = {}
        for handle, _ in list(self._running):
            for key, name in list(handle.at.items()):
                if key in handle.parts and not handle.parts[key].done():
                    doing.setdefault(name, []).append(handle.name)
        for far in self.workers.values():
            far.does = sorted(set(doing.get(far.name, [])))
        for handle, _ in list(self._running):
            if handle.addresses and not handle.addresses & self.workers.keys():
                self._lost(handle)
            if handle.waits and not handle.only_here:
                self._pool.submit(self._begin, handle)
        if self._was_there is False:
            self._told(f"The cluster at {self._place.address} is back.", "")
        self._was_there = True

    def _away(self, words: str, remedy: str) -> None:
        self._leave()
        if self._was_there is not False:
            self._told(words, remedy)
        self._was_there, self.workers = False, {}
        for handle, _ in list(self._running):
            if handle.addresses and not handle.state.ended:
                self._lost(handle)

    def _leave(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            with contextlib.suppress(Exception):
                client.close(timeout=2)

    def _hold(self, handle: ClusterHandle, held: bool) -> None:
        """Its processes stand still, wherever they are."""
        client, keys = self._client, list(handle.parts)
        if client is not None and keys:
            self._pool.submit(lambda: client.run(hold, keys, held, workers=list(handle.addresses), on_error="ignore"))

    def _hear(self, event: tuple[float, dict[str, Any]]) -> None:
        _, told = event
        for handle, _ in list(self._running):
            if told["key"] in handle.parts:
                handle.take_progress(told["key"], told["by"], CopyProgress(**told["progress"]))


def refusal(found: object) -> str:
    """Why a worker is given nothing; empty: it is the same as this machine."""
    if not isinstance(found, Description):
        return f"could not say what it is ({found})"
    if (found.version, found.code) != (__version__, code()):
        return f"has another Yomikomi ({found.version}, {found.code}; here {__version__}, {code()})"
    if found.libraries != libraries():
        differ = sorted(set(found.libraries) ^ set(libraries()))
        return f"has other encoding libraries ({', '.join(differ)})"
    return ""
