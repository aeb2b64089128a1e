"""Copies made by other programs: a hub and workers on this machine, each with its certificate, as on several."""

from __future__ import annotations

import contextlib
import socket
import ssl
import stat
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

import psutil
import pytest

from tests.conftest import Shared, what_runs_stays
from tests.making import packets_in, programme_frames, write_clip
from tests.programs import begun
from tests.run.conftest import Night
from tests.timing import wait_for
from yomikomi.core.copying.coded_pictures import chunk_count
from yomikomi.core.copying.encode import encode
from yomikomi.core.errors import NameTakenError, UnfinishedError, WrongUseError
from yomikomi.core.run.cluster.certificates import PARTS, begin_cluster, security_of
from yomikomi.core.run.cluster.desk import DeskPlace, desk_place, keep_desk_place
from yomikomi.core.run.cluster.far import describe
from yomikomi.core.run.cluster.parts import check_address, run_worker
from yomikomi.core.run.cluster.storages import marked, placed, sample_of, sees, storages_of
from yomikomi.core.run.driver import Driver
from yomikomi.core.run.executors.cluster import ClusterExecutor, refusal
from yomikomi.core.run.executors.local import LocalExecutor
from yomikomi.core.video.identity import identify
from yomikomi.core.work import SilentReporter

ARCHIVE = "archive"
# A worker with another Yomikomi, as far as it can tell.
_OTHER = (
    "import sys; from yomikomi.core.run.cluster import far, parts; far.code = lambda: 'other'; from pathlib import Path;"
    "parts.run_worker(Path(sys.argv[1]), sys.argv[2], {'archive': Path(sys.argv[3])}, slots=1, name='old', told=print)"
)


@dataclass
class Cluster:
    """A hub, and what was started for it. ``folder``: of certificates."""

    folder: Path
    hub: subprocess.Popen[str]
    address: str
    workers: dict[str, subprocess.Popen[str]] = field(default_factory=dict)
    executors: list[ClusterExecutor] = field(default_factory=list)
    said: list[str] = field(default_factory=list)

    def worker(self, name: str, storage: Path, *, slots: int = 1) -> subprocess.Popen[str]:
        process, _ = begun(
            "worker", "--scheduler", self.address, "--storage", f"{ARCHIVE}={storage}", "--slots", str(slots), "--name", name,
            "--certificates", self.folder,
        )  # fmt: skip
        self.workers[name] = process
        return process

    def desk(self, night: Night) -> ClusterExecutor:
        """The run of this night goes to the cluster."""
        place = DeskPlace(address=self.address, storages={ARCHIVE: night.folder})
        executor = ClusterExecutor(place, self.folder, LocalExecutor(), lambda words, _remedy: self.said.append(words))
        self.executors.append(executor)
        night.executor = executor  # type: ignore[assignment]
        night.driver = Driver(night.record.jobs, executor, told=night.told.append)
        return executor

    def end(self, *, with_hub: bool) -> None:
        for executor in self.executors:
            executor.close(5)
        for process in [*self.workers.values(), *([self.hub] if with_hub else [])]:
            _end(process)


def _end(process: subprocess.Popen[str]) -> None:
    with contextlib.suppress(psutil.NoSuchProcess):
        family = psutil.Process(process.pid).children(recursive=True)
        process.terminate()
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
        for child in family:
            with contextlib.suppress(psutil.NoSuchProcess):
                child.kill()
    assert process.stdout is not None
    process.stdout.close()
    process.wait(10)


def _begun_cluster(folder: Path) -> Cluster:
    begin_cluster(folder)
    hub, said = begun("cluster", "start", "--port", "0", "--certificates", folder)
    return Cluster(folder, hub, said.split()[-1])


@pytest.fixture(scope="module")
def hub(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    """One for all tests that leave it alone."""
    made = _begun_cluster(tmp_path_factory.mktemp("hub") / "certificates")
    what_runs_stays()
    yield made
    made.end(with_hub=True)


@pytest.fixture
def cluster(hub: Cluster) -> Iterator[Cluster]:
    made = replace(hub, workers={}, executors=[], said=[])
    yield made
    made.end(with_hub=False)


@pytest.fixture
def mortal(tmp_path: Path) -> Iterator[Cluster]:
    """With a hub of its own."""
    made = _begun_cluster(tmp_path / "certificates")
    yield made
    made.end(with_hub=True)


@pytest.fixture
def long_night(tmp_path: Path, shared: Shared) -> Iterator[Night]:
    """Its take is long enough for chunks: 130 s, of few pictures."""
    pictures = 4 * programme_frames(65, width=160, height=120)
    clip = shared.file("long-night.mkv", lambda part: write_clip(part, pictures, rate=2, sound_seconds=130.0, silence=(12.0, 118.0)))
    made = Night(tmp_path / "archive", clip, shared.reading(clip))
    yield made
    made.close()


def test_copies_made_elsewhere_are_those_made_here(cluster: Cluster, long_night: Night, tmp_path: Path) -> None:
    """Two workers: chunks of one copy are spread, everything is proven, and comes out as on this machine alone."""
    night = long_night
    for name in ("east", "west"):
        cluster.worker(name, night.folder)
    executor = cluster.desk(night)
    (copy_id,) = night.ask(34)
    request = night.record.jobs.work(night.record.jobs.entries()[0].id).request
    assert chunk_count(request) == 2
    wait_for(lambda: len(executor.usable) == 2, 30)
    does: set[str] = set()
    night.driver.go()
    workers: set[str] = set()
    until = time.monotonic() + 120
    while not night.driver.idle:
        assert time.monotonic() < until
        night.driver.poll()
        for running in night.driver.running.values():
            workers |= set(running.handle.worker.split(", ")) - {""}
        does |= {one for far in executor.workers.values() for one in far.does}
        time.sleep(0.01)
    assert night.states() == ["verified"]
    assert night.hidden() == []
    assert workers == {"east", "west"}
    assert does >= {"copy of K-001"}
    assert all(view.worker in workers for view in night.record.jobs.views(copy_id))
    alone = tmp_path / "alone.mp4"
    encode(replace(request, target=alone), alone, SilentReporter(), tmp_path / "chunks")
    there, here = (packets_in(path) for path in (night.copies[0].path, alone))
    assert there[1] == here[1]  # sound, to the byte
    # Pictures of small H.264 come out a little otherwise each time (docs/science.md): where they are and which are key pictures does not.
    assert [one[:2] for one in there[0]] == [one[:2] for one in here[0]]
    assert sum(len(one[2]) for one in there[0]) == pytest.approx(sum(len(one[2]) for one in here[0]), rel=0.01)


def test_a_lost_worker_costs_nothing(cluster: Cluster, long_night: Night) -> None:
    """kill -9 of one with its encoder: another does its part, and no attempt is counted."""
    night = long_night
    executor = cluster.desk(night)
    cluster.worker("east", night.folder)
    (copy,) = night.ask(30)
    wait_for(lambda: len(executor.usable) == 1, 30)
    night.driver.go()
    folder = night.folder / "copies"
    east = psutil.Process(cluster.workers["east"].pid)
    night.until(lambda: bool(list(folder.glob(".*.growing"))) and bool(east.children(recursive=True)))
    family = [east, *east.children(recursive=True)]
    for one in family:
        with contextlib.suppress(psutil.NoSuchProcess):
            one.kill()
    wait_for(lambda: not executor.usable, 30)
    assert night.driver.poll() in {True, False}
    assert not night.driver.idle  # it waits
    cluster.worker("west", night.folder)
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified"]
    assert [(view.attempts, view.worker) for view in night.record.jobs.views(copy)] == [(0, "west"), (0, "west")]
    assert night.hidden() == []


def _status(process: psutil.Process) -> str:
    """Also of one that goes while it is asked."""
    try:
        return str(process.status()) if process.is_running() else "gone"
    except psutil.NoSuchProcess:
        return "gone"


def test_stopped_within_half_a_second_and_held(cluster: Cluster, night: Night) -> None:
    executor = cluster.desk(night)
    worker = psutil.Process(cluster.worker("east", night.folder).pid)
    wait_for(lambda: len(executor.usable) == 1, 30)
    (copy,) = night.ask(0)  # as slow as it gets

    def encoders() -> list[psutil.Process]:
        found = []
        for one in worker.children(recursive=True):
            with contextlib.suppress(psutil.NoSuchProcess):
                if one.cpu_times().user > 0.05 and one.num_threads() > 4:
                    found.append(one)
        return found

    night.driver.go()
    night.until(lambda: bool(encoders()) and any(one.handle.progress for one in night.driver.running.values()))
    night.driver.hold([copy])
    night.until(lambda: any(_status(one) == psutil.STATUS_STOPPED for one in encoders()), 5)
    night.driver.release([copy])
    night.until(lambda: not any(_status(one) == psutil.STATUS_STOPPED for one in encoders()), 5)
    busy = encoders()
    began = time.monotonic()
    night.driver.cancel([copy])
    while any(_status(one) not in {psutil.STATUS_ZOMBIE, "gone"} for one in busy):
        night.driver.poll()
        assert time.monotonic() - began < 2.0  # half a second where nothing else runs: bench/cluster.py
        time.sleep(0.005)
    night.until(lambda: not night.driver.running)
    assert night.states() == ["cancelled"]
    assert night.hidden() == []


def test_a_hub_that_went_is_waited_for(mortal: Cluster, night: Night) -> None:
    cluster = mortal
    executor = cluster.desk(night)
    cluster.worker("east", night.folder)
    wait_for(lambda: len(executor.usable) == 1, 30)
    port = cluster.address.rpartition(":")[2]
    (copy,) = night.ask(34)
    _end(cluster.hub)
    wait_for(lambda: executor.there is False, 30)
    assert any("cannot be reached" in words for words in cluster.said)
    night.driver.go()
    for _ in range(50):
        night.driver.poll()
        time.sleep(0.01)
    assert night.states() == ["running"]
    cluster.hub, _ = begun("cluster", "start", "--port", port, "--certificates", cluster.folder)
    cluster.worker("west", night.folder)
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified"]
    assert [view.attempts for view in night.record.jobs.views(copy)] == [0, 0]


def test_what_no_worker_sees_fails_with_the_reason_of_each(cluster: Cluster, night: Night, tmp_path: Path) -> None:
    executor = cluster.desk(night)
    elsewhere = tmp_path / "elsewhere"
    (elsewhere / "takes").mkdir(parents=True)
    (elsewhere / "copies").mkdir()
    cluster.worker("blind", elsewhere)
    command = [sys.executable, "-c", _OTHER, cluster.folder, cluster.address, night.folder]
    cluster.workers["old"] = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    wait_for(lambda: len(executor.workers) == 2, 30)
    (refused,) = [one for one in executor.workers.values() if one.refused]
    assert refused.name == "old"
    assert "has another Yomikomi" in refused.refused
    night.ask(34)
    night.finish()
    assert night.states() == ["failed"]
    assert "blind cannot read takes/night.mkv in storage archive" in night.copies[0].trouble


def test_nobody_without_a_certificate_is_let_in(cluster: Cluster, night: Night, tmp_path: Path) -> None:
    """No listener of a hub or a worker says a word to a stranger, and none is there without TLS."""
    worker = cluster.worker("east", night.folder)
    executor = cluster.desk(night)
    wait_for(lambda: len(executor.usable) == 1, 30)
    ports = {
        one.laddr.port for process in (cluster.hub, worker) for one in psutil.Process(process.pid).net_connections("tcp")
        if one.status == psutil.CONN_LISTEN
    }  # fmt: skip
    assert len(ports) == 2
    strangers = tmp_path / "strangers"
    begin_cluster(strangers)
    foreign = ssl.create_default_context(cafile=strangers / "desk" / "authority.pem")
    foreign.load_cert_chain(strangers / "desk" / "own.pem", strangers / "desk" / "own-key.pem")
    bare = ssl.create_default_context()
    for port in ports:
        with socket.create_connection(("127.0.0.1", port), 5) as plain:
            plain.sendall(b"GET / HTTP/1.0\r\n\r\n")
            plain.settimeout(5)
            assert b"HTTP" not in _answer(plain)
        for context in (foreign, bare):
            context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            with socket.create_connection(("127.0.0.1", port), 5) as raw, pytest.raises((ssl.SSLError, ConnectionError)):  # noqa: SIM117
                with context.wrap_socket(raw) as stranger:
                    stranger.settimeout(5)
                    assert stranger.recv(1) == b"", "it spoke"
                    raise ConnectionResetError
    with pytest.raises(UnfinishedError, match="of the same cluster"):
        run_worker(strangers, cluster.address, {}, slots=1, name="stranger", told=lambda _address: None)


def _answer(plain: socket.socket) -> bytes:
    with contextlib.suppress(OSError):
        return plain.recv(100)
    return b""


def test_certificates(tmp_path: Path) -> None:
    folder = tmp_path / "cluster"
    begin_cluster(folder)
    keys = list(folder.rglob("*-key.pem"))
    assert len(keys) == 1 + len(PARTS)
    assert {stat.S_IMODE(path.stat().st_mode) for path in folder.rglob("*.pem")} == {0o600}
    assert {stat.S_IMODE(path.stat().st_mode) for path in [folder, *(path for path in folder.iterdir())]} == {0o700}
    before = {path: path.read_bytes() for path in keys}
    with pytest.raises(NameTakenError, match="holds a cluster already"):
        begin_cluster(folder)
    assert {path: path.read_bytes() for path in keys} == before
    for part in PARTS:
        assert security_of(folder, part).require_encryption
        assert security_of(folder / part, part).tls_ca_file == str(folder / part / "authority.pem")
    (folder / "desk" / "own-key.pem").chmod(0o640)
    with pytest.raises(UnfinishedError, match="Others can read"):
        security_of(folder, "desk")
    (folder / "worker" / "own.pem").unlink()
    with pytest.raises(UnfinishedError, match=r"own\.pem is missing"):
        security_of(folder, "worker")
    for address in ("tcp://127.0.0.1:8786", "127.0.0.1:8786", "ucx://a:1"):
        with pytest.raises(WrongUseError, match="no address of a cluster"):
            check_address(address)
    place = DeskPlace(address="tls://hub:8786", storages={"tapes": tmp_path})
    keep_desk_place(folder, place)
    assert desk_place(folder) == place
    (folder / "desk.json").write_text('{"address": "tcp://hub:8786", "storages": {}}')
    with pytest.raises(UnfinishedError, match="cannot be used"):
        desk_place(folder)
    assert desk_place(tmp_path) is None


def test_a_storage_is_the_same_only_if_it_is(night: Night, tmp_path: Path) -> None:
    """The same name, the same size, another byte; another folder; a link that leads out; no rights."""
    night.ask(34)
    request = night.record.jobs.work(night.record.jobs.entries()[0].id).request
    here = storages_of([f"archive={night.folder}", f"all={tmp_path}"])
    work = placed(request, here)
    assert (work.source.storage, str(work.source.path)) == ("archive", "takes/night.mkv")  # the innermost
    assert work.on({"archive": Path("/mnt/x"), "all": Path("/mnt/y")}).target == Path("/mnt/x") / work.target.path
    other = tmp_path / "other"
    (other / "takes").mkdir(parents=True)
    (other / "copies").mkdir()
    content = bytearray(request.path.read_bytes())
    take = other / "takes" / "night.mkv"
    with marked(request.target.parent) as mark:
        assert sees(work, mark, here) == ""
        assert sees(work, mark, {"all": tmp_path}) == "has no storage archive"
        take.write_bytes(content)
        assert sees(work, mark, {"archive": other}) == "sees another folder as storage archive"
        (other / "copies" / mark.name).write_text("something else")
        assert sees(work, mark, {"archive": other}) == "sees another folder as storage archive"
        content[len(content) // 2] ^= 1
        take.write_bytes(content)
        assert sees(work, mark, {"archive": other}) == "sees another takes/night.mkv in storage archive"
    assert not list(request.target.parent.glob("*.mark"))
    assert sample_of(request.path) != sample_of(take)
    outside = tmp_path / "link"
    outside.symlink_to(night.folder / "takes")
    assert placed(replace(request, path=outside / "night.mkv"), here).source == work.source
    with pytest.raises(WrongUseError, match="lies in no storage"):
        placed(request, {"x": other})
    with pytest.raises(WrongUseError, match="read quickly"):
        placed(replace(request, reading=request.reading.model_copy(update={"content": None})), here)
    for words in ("tapes", "=x", "a/b=/tmp", f"tapes={tmp_path / 'none'}"):
        with pytest.raises(WrongUseError):
            storages_of([words])


def test_workers_of_other_versions_are_refused() -> None:
    same = describe()
    assert refusal(same) == ""
    assert "another Yomikomi (9.9" in refusal(replace(same, version="9.9"))
    assert "other encoding libraries (libavcodec 1.2.3" in refusal(replace(same, libraries=("libavcodec 1.2.3", *same.libraries[1:])))
    assert "could not say what it is" in refusal(ModuleNotFoundError("yomikomi"))


def test_what_only_this_machine_can_do_is_done_here_one_by_one(cluster: Cluster, night: Night) -> None:
    """A take that was read quickly: others could not tell whether they see the same file. Their slots are not this machine's."""
    executor = cluster.desk(night)
    cluster.worker("east", night.folder, slots=4)
    wait_for(lambda: len(executor.usable) == 1, 30)
    view = night.record.carriers()[0]
    assert view.take is not None
    assert view.judged is not None
    quick = view.judged.model_copy(update={"content": None, "identity": identify(view.take.path)})
    night.record.readings.save(view.take.id, quick)
    copies = night.ask(40, 42, 44)
    night.driver.go()
    most = 0
    until = time.monotonic() + 60
    while not night.driver.idle:
        assert time.monotonic() < until
        night.driver.poll()
        here = [one.handle.here for one in night.driver.running.values()]  # type: ignore[attr-defined]
        most = max(most, sum(one is not None and not one.state.ended for one in here))
        time.sleep(0.005)
    assert night.states() == ["verified"] * 3
    assert most == 1
    assert {view.worker for one in copies for view in night.record.jobs.views(one)} == {"this machine"}
