"""Raw takes are let go only when the rules hold, come back byte for byte, and survive the end of the program at any moment."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule, run_state_machine_as_test

from tests.ledger.done import Done, capture, finish
from yomikomi.core.errors import UnfinishedError, WrongUseError, YomikomiError
from yomikomi.core.fixity.checking import check_file
from yomikomi.core.fixity.digests import digests_of
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.looking.spots import Spot
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.release import moving
from yomikomi.core.release.rules import ReleaseRules
from yomikomi.core.work import SilentReporter


def hash_all(record: Record, disk: str = "disk A") -> None:
    for one in record.files.unhashed():
        record.files.add(one, digests_of(one.path), disk)


def check_all(record: Record) -> None:
    for one in record.files.all():
        record.files.save_check(one, check_file(record.files.check_request(one), SilentReporter()), one.disk)


def use(record: Record, **changes: Any) -> None:
    rules = record.releases.rules()
    usual = {"disks": 1, "looked": 1, "age_days": 0, **changes}
    record.releases.save_rules(rules.model_copy(update={"release": ReleaseRules(**usual)}))


def ready(record: Record, reading: Reading, label: str = "K-001") -> Done:
    """All rules hold."""
    done = finish(record, label, reading)
    details = CarrierDetails(rights=True)
    record.shelf.change(done.carrier, Intake(label=label, title="Lantern parade", kind="vhs", format="525i", details=details))
    hash_all(record)
    record.looks.add(done.copies[0], Spot(1.0, "hard scene"), "good", who="Mio")
    use(record)
    return done


def later(**more: float) -> datetime:
    return datetime.now(UTC) + timedelta(**more)


def test_a_take_goes_comes_back_and_goes_for_good_at_the_end_of_its_term(record: Record, tape_reading: Reading) -> None:
    done = ready(record, tape_reading)
    raw = done.take_file.read_bytes()
    number = record.releases.release(done.take)
    (held,) = (record.workspace.folder / "released").iterdir()
    assert not done.take_file.exists()
    assert held.read_bytes() == raw
    assert record.carrier(done.carrier).take.state == "released"  # type: ignore[union-attr]
    with pytest.raises(UnfinishedError, match="take: the take is released"):
        record.releases.release(done.take)
    record.releases.undo(number)
    assert done.take_file.read_bytes() == raw
    assert record.carrier(done.carrier).take.state == "whole"  # type: ignore[union-attr]
    with pytest.raises(WrongUseError, match="not released, or is gone"):
        record.releases.undo(number)
    second = record.releases.release(done.take)
    with pytest.raises(WrongUseError, match="Its term ends"):
        record.releases.end_term(second)
    over = later(days=31)
    with pytest.raises(UnfinishedError, match="stays: checked again"):
        record.releases.end_term(second, now=over)
    use(record, rehashed_hours=24 * 40)
    done.copy_files[0].write_bytes(b"x")
    check_all(record)
    with pytest.raises(UnfinishedError, match="stays: copies: 0 verified copies there and whole"):
        record.releases.end_term(second, now=over)
    done.copy_files[0].write_bytes(b"copy of K-001 at 20" * 30)
    check_all(record)
    assert record.releases.end_term(second, now=over) == len(raw)
    assert not list((record.workspace.folder / "released").iterdir())
    kept = [one for one in record.files.of_take(done.take) if one.take_id == done.take]
    assert kept[0].sha256  # the record and the digests stay
    heads = [one.head for one in record.pages.of(done.carrier).entries]
    assert heads[-1] == "Take released, gone"
    assert "Release undone" in heads


def test_the_take_of_a_waiting_copy_and_what_is_not_ours_stay(record: Record, tape_reading: Reading, tmp_path: Path) -> None:
    done = ready(record, tape_reading)
    view = record.carrier(done.carrier)
    copy, treatment = view.copies[0], view.treatment
    assert treatment is not None
    other, take, _ = capture(record, "K-002")
    assert other
    joined = treatment.model_dump(mode="json")
    waiting = record.copies.ask(take, copy.recipe, treatment, None, record.workspace.folder / "copies" / "with-its-sound.mp4")
    with record.store.session() as session:  # a treatment that takes its sound from the first take
        from yomikomi.core.ledger.schema import Copy

        session.get_one(Copy, waiting).treatment = {**joined, "joined": [{"file": str(done.take_file)}]}
    with pytest.raises(UnfinishedError, match=r"no work waits: still needed: with-its-sound.mp4"):
        record.releases.release(done.take)
    outside = tmp_path / "holiday.mkv"
    outside.write_bytes(b"x" * 100)
    done.take_file.unlink()
    done.take_file.symlink_to(outside)
    assert not record.releases.facts(done.take).ours
    assert outside.read_bytes() == b"x" * 100


def test_a_changed_take_is_not_moved_and_a_full_stop_in_the_middle_undoes_all(
    record: Record, tape_reading: Reading, monkeypatch: pytest.MonkeyPatch
) -> None:
    done = ready(record, tape_reading)
    raw = done.take_file.read_bytes()
    done.take_file.write_bytes(raw + b"more")
    with pytest.raises(UnfinishedError, match="not what was hashed"):
        record.releases.release(done.take)
    done.take_file.write_bytes(raw)

    def refuses(_old: Path, new: Path) -> None:
        raise UnfinishedError("The drive is read-only.", path=new)

    monkeypatch.setattr(moving, "rename_new", refuses)
    with pytest.raises(UnfinishedError, match="read-only"):
        record.releases.release(done.take)
    assert done.take_file.read_bytes() == raw
    assert record.carrier(done.carrier).take.state == "whole"  # type: ignore[union-attr]
    assert [one.state for one in record.releases.all()] == ["undone"]


def test_to_the_trash_and_back(record: Record, tape_reading: Reading, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr("send2trash.plat_other.HOMETRASH_B", os.fsencode(tmp_path / "data" / "Trash"))
    monkeypatch.setattr("send2trash.plat_other.HOMETRASH", str(tmp_path / "data" / "Trash"))
    done = ready(record, tape_reading)
    use(record, way="trash")
    raw = done.take_file.read_bytes()
    number = record.releases.release(done.take)
    assert not done.take_file.exists()
    with pytest.raises(WrongUseError, match="not held here"):
        record.releases.end_term(number, now=later(days=99))  # the trash is the desktop's
    record.releases.undo(number)
    assert done.take_file.read_bytes() == raw


@pytest.mark.parametrize(("at", "ends"), [("before", "whole"), ("between", "whole"), ("after", "released")])
def test_the_end_of_the_program_in_the_middle_leaves_one_or_the_other(
    record: Record, tape_reading: Reading, monkeypatch: pytest.MonkeyPatch, at: str, ends: str
) -> None:
    """Two files, and an end before, between or after their renamings; the next start settles it."""
    done = ready(record, tape_reading)
    second = done.take_file.with_name("second.mkv")
    second.write_bytes(b"second part")
    with record.store.session() as session:
        from yomikomi.core.ledger.schema import Take

        row = session.get_one(Take, done.take)
        parts = [record.workspace.keep(done.take_file), record.workspace.keep(second)]
        row.details = {**(row.details or {}), "parts": parts}
    hash_all(record)
    raw = [done.take_file.read_bytes(), second.read_bytes()]
    real, count = moving.rename_new, itertools.count()

    class Killed(BaseException):
        pass

    def dies(old: Path, new: Path) -> None:
        number = next(count)
        if at == "before" or (at == "between" and number == 1):
            raise Killed
        real(old, new)

    with monkeypatch.context() as patch:
        patch.setattr(moving, "rename_new", dies)
        patch.setattr(moving.Files, "come_back", lambda _self: None)
        if at == "after":
            patch.setattr(record.releases, "_end", lambda *_args: (_ for _ in ()).throw(Killed()))
        with pytest.raises(Killed):
            record.releases.release(done.take)
    folder = record.workspace.folder
    record.workspace.close()
    again = Workspace(folder)
    try:
        fresh = Record(again)
        assert fresh.releases.settle() == []
        assert fresh.carrier(done.carrier).take.state == ends  # type: ignore[union-attr]
        if ends == "released":
            fresh.releases.undo(fresh.releases.all()[0].id)
        assert [done.take_file.read_bytes(), second.read_bytes()] == raw
        assert not list((folder / "released").glob("*"))
    finally:
        again.close()


_GOES_ROUND = """
import itertools, sys
from pathlib import Path
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
record = Record(Workspace(Path(sys.argv[1]), trust=True))
record.releases.settle()
for number in itertools.count():
    print(number, flush=True)
    record.releases.undo(record.releases.release(int(sys.argv[2])))
"""


def test_killed_while_takes_come_and_go_each_is_somewhere(record: Record, tape_reading: Reading) -> None:
    """A process that releases and brings back without end, killed at many moments: after settling the bytes are home, or held."""
    done = ready(record, tape_reading)
    raw, folder = done.take_file.read_bytes(), record.workspace.folder
    record.workspace.close()
    for wait in (0.0, 0.005, 0.012, 0.03):
        process = subprocess.Popen(
            [sys.executable, "-c", _GOES_ROUND, str(folder), str(done.take)], stdout=subprocess.PIPE, text=True
        )  # fmt: skip
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(wait)
        process.kill()
        process.wait()
        process.stdout.close()
        again = Workspace(folder, trust=True)
        fresh = Record(again)
        assert fresh.releases.settle() == []
        held = list((folder / "released").glob("*"))
        (kept,) = [one for one in (done.take_file, *held) if one.exists()]
        assert kept.read_bytes() == raw
        take = fresh.carrier(done.carrier).take
        assert take is not None
        assert take.state == ("whole" if kept == done.take_file else "released")
        if held:
            fresh.releases.undo(fresh.releases.all()[0].id)
        again.close()


def machine(reading: Reading, folders: Iterator[Path]) -> type[RuleBasedStateMachine]:
    class Releasing(RuleBasedStateMachine):
        """Whatever is done in whatever order: the take's bytes are somewhere, unless it went for good while its rules held."""

        def __init__(self) -> None:
            super().__init__()
            self.workspace = Workspace(next(folders))
            self.record = Record(self.workspace)
            self.done = ready(self.record, reading)
            self.raw = self.done.take_file.read_bytes()
            self.good = self.done.copy_files[0].read_bytes()
            self.now = datetime.now(UTC)
            self.gone = False

        def teardown(self) -> None:
            self.workspace.close()

        @property
        def holds(self) -> bool:
            """An oracle of its own: the one copy is what was made, and a person found it good last."""
            looks = {one.seconds: one.verdict for one in self.record.looks.of(self.done.copies[0])}
            copy = self.done.copy_files[0]
            return copy.exists() and copy.read_bytes() == self.good and set(looks.values()) == {"good"}

        @rule(raw=st.sampled_from([b"", b"other bytes"]))
        def damage(self, raw: bytes) -> None:
            self.done.copy_files[0].write_bytes(raw)

        @rule()
        def mend(self) -> None:
            self.done.copy_files[0].write_bytes(self.good)

        @rule()
        def lose(self) -> None:
            self.done.copy_files[0].unlink(missing_ok=True)

        @rule(verdict=st.sampled_from(["good", "poor", "wrong"]))
        def look(self, verdict: Any) -> None:
            self.record.looks.add(self.done.copies[0], Spot(1.0, "end"), verdict, who="Mio")

        @rule(days=st.sampled_from([0.5, 20, 31]))
        def wait(self, days: float) -> None:
            self.now += timedelta(days=days)

        @rule()
        def clock_jumps_back(self) -> None:
            self.now -= timedelta(days=400)

        @rule(checks=st.booleans())
        def release(self, checks: bool) -> None:
            if checks:
                check_all(self.record)
            use(self.record, rehashed_hours=24 * 366)
            try:
                self.record.releases.release(self.done.take, now=self.now)
            except YomikomiError:
                return
            assert not checks or self.holds

        @rule(which=st.integers(0, 9))
        def undo(self, which: int) -> None:
            found = self.record.releases.all()
            if found:
                try:
                    self.record.releases.undo(found[which % len(found)].id)
                except YomikomiError:
                    return
                assert self.done.take_file.read_bytes() == self.raw

        @rule(which=st.integers(0, 9))
        def end_term(self, which: int) -> None:
            check_all(self.record)
            found = self.record.releases.all()
            if found:
                try:
                    self.record.releases.end_term(found[which % len(found)].id, now=self.now)
                except YomikomiError:
                    return
                assert self.holds
                self.gone = True

        @precondition(lambda self: not self.gone)
        @rule()
        def start_again(self) -> None:
            folder = self.workspace.folder
            self.workspace.close()
            self.workspace = Workspace(folder)
            self.record = Record(self.workspace)
            assert self.record.releases.settle() == []

        @invariant()
        def the_bytes_are_somewhere(self) -> None:
            if not self.gone:
                held = list((self.workspace.folder / "released").glob("*"))
                kept = [one for one in (self.done.take_file, *held) if one.exists() and one.read_bytes() == self.raw]
                assert len(kept) == 1

    return Releasing


def test_no_order_of_events_loses_a_take_whose_rules_do_not_hold(tape_reading: Reading, tmp_path_factory: pytest.TempPathFactory) -> None:
    folders = (tmp_path_factory.mktemp("releasing") / "archive" for _ in itertools.count())
    checked = settings(max_examples=15, stateful_step_count=18, suppress_health_check=list(HealthCheck), deadline=None)
    run_state_machine_as_test(machine(tape_reading, folders), settings=checked)  # type: ignore[no-untyped-call]
