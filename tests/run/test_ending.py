"""The end of the night, and the machine's services: on a bus of the test's own, with stand-ins; what goes over the wire is asserted."""

from __future__ import annotations

import contextlib
import os
import select
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from jeepney import DBusAddress, HeaderFields, MessageType, new_method_call, new_method_return
from jeepney.fds import FileDescriptor
from jeepney.io.blocking import open_dbus_connection

from tests.timing import wait_for
from yomikomi.core.run.desktop.dbus import DBusDesktop
from yomikomi.core.run.desktop.standin import StandInDesktop
from yomikomi.core.run.ending import Ending
from yomikomi.core.run.rules import RunRules

_BUS = DBusAddress("/org/freedesktop/DBus", bus_name="org.freedesktop.DBus", interface="org.freedesktop.DBus")


class Service:
    """login1 and the notifications, as far as they are asked. ``calls``: member, signature and body of what came over the wire."""

    def __init__(self, address: str) -> None:
        self.calls: list[tuple[str, str | None, tuple[Any, ...]]] = []
        self.power = "yes"
        self.pipe: tuple[int, int] | None = None
        self._connection = open_dbus_connection(address, enable_fds=True)
        for name in ("org.freedesktop.login1", "org.freedesktop.Notifications"):
            self._connection.send_and_get_reply(new_method_call(_BUS, "RequestName", "su", (name, 4)))
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._going = True
        self._thread.start()

    def _serve(self) -> None:
        while self._going:
            with contextlib.suppress(TimeoutError):
                message = self._connection.receive(timeout=0.1)
                if message.header.message_type is MessageType.method_call:
                    self._answer(message)

    def _answer(self, message: Any) -> None:
        fields = message.header.fields
        member = fields[HeaderFields.member]
        self.calls.append((member, fields.get(HeaderFields.signature), message.body))
        if member.startswith("Can"):
            reply = new_method_return(message, "s", (self.power if member == "CanPowerOff" else "no",))
        elif member == "Inhibit":
            self.pipe = os.pipe()
            self._given = FileDescriptor(self.pipe[0])
            reply = new_method_return(message, "h", (self._given,))
        elif member == "Notify":
            reply = new_method_return(message, "u", (7,))
        else:
            reply = new_method_return(message)
        self._connection.send(reply)
        if member == "Inhibit" and self.pipe is not None:
            self._given.close()  # theirs is the only one now

    @property
    def held(self) -> bool:
        """Whether somebody still keeps the machine awake: the other end of the pipe is open."""
        assert self.pipe is not None
        watched = select.poll()
        watched.register(self.pipe[1], select.POLLOUT | select.POLLERR)
        return not any(event & select.POLLERR for _, event in watched.poll(0))

    def close(self) -> None:
        self._going = False
        self._thread.join(2)
        self._connection.close()
        if self.pipe is not None:
            os.close(self.pipe[1])


@pytest.fixture
def bus(tmp_path: Path) -> Iterator[str]:
    daemon = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--nopidfile", "--print-address=1", f"--address=unix:path={tmp_path / 'bus'}"],
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert daemon.stdout is not None
    yield daemon.stdout.readline().strip()
    daemon.terminate()
    daemon.wait(5)
    daemon.stdout.close()


@pytest.fixture
def service(bus: str) -> Iterator[Service]:
    made = Service(bus)
    yield made
    made.close()


def test_what_goes_over_the_wire(bus: str, service: Service) -> None:
    machine = DBusDesktop(bus, bus)
    assert machine.can("power off")
    assert not machine.can("suspend")
    assert machine.do("power off")
    assert machine.do("suspend")
    assert machine.notify("The run is done", "31 of 32 copies verified")
    release = machine.keep_awake("copies are being made")
    assert release is not None
    assert service.calls == [
        ("CanPowerOff", None, ()),
        ("CanSuspend", None, ()),
        ("PowerOff", "b", (False,)),
        ("Suspend", "b", (False,)),
        ("Notify", "susssasa{sv}i", ("Yomikomi", 0, "", "The run is done", "31 of 32 copies verified", [], {}, 20_000)),
        ("Inhibit", "ssss", ("sleep:idle", "Yomikomi", "copies are being made", "block")),
    ]
    assert service.held
    release()
    release()
    assert wait_for(lambda: not service.held, 5)  # that side closes its own end of the pipe only after its answer is on the way
    service.power = "challenge"  # a password would be asked for, and nobody is there at night
    assert not machine.can("power off")


def test_a_machine_without_any_of_it(bus: str, tmp_path: Path) -> None:
    for machine in (DBusDesktop(bus, bus), DBusDesktop(f"unix:path={tmp_path / 'no bus'}", "unix:path=/nowhere")):
        begun = time.monotonic()
        assert not machine.can("power off")
        assert not machine.do("power off")
        assert machine.keep_awake("copies are being made") is None
        assert not machine.notify("The run is done", "")
        assert time.monotonic() - begun < 2


class Clock:
    def __init__(self) -> None:
        self.at = 0.0

    def __call__(self) -> float:
        return self.at


@pytest.fixture
def night() -> tuple[Ending, StandInDesktop, Clock, list[str]]:
    machine, clock, closed = StandInDesktop(frozenset({"power off"}), awake=True), Clock(), []
    return Ending(machine, lambda: closed.append("closed"), clock), machine, clock, closed


def _tick(ending: Ending, rules: RunRules, *, idle: bool = True, running: bool = False) -> None:
    ending.tick(rules, idle=idle, running=running, report=("The run is done", "2 of 2 copies verified"))


def test_power_off_after_a_countdown(night: tuple[Ending, StandInDesktop, Clock, list[str]]) -> None:
    ending, machine, clock, closed = night
    rules = RunRules(at_end="power off")
    _tick(ending, rules)  # nothing was made: nothing ends
    assert ending.left_s is None
    _tick(ending, rules, idle=False, running=True)
    _tick(ending, rules)
    assert ending.left_s == 60
    assert machine.told == [("The run is done", "2 of 2 copies verified")]
    clock.at = 59
    _tick(ending, rules)
    assert machine.done == []
    clock.at = 60
    _tick(ending, rules)
    _tick(ending, rules)
    assert machine.done == ["power off"]
    assert closed == ["closed"]


def test_a_person_stops_it_and_so_does_new_work_and_a_recording(night: tuple[Ending, StandInDesktop, Clock, list[str]]) -> None:
    ending, machine, clock, closed = night
    rules, recording = RunRules(at_end="power off"), [True]
    _tick(ending, rules, idle=False, running=True)
    _tick(ending, rules)
    ending.stop()
    clock.at = 1000
    _tick(ending, rules)
    assert machine.done == []
    _tick(ending, rules, idle=False, running=True)  # another copy was asked for: its end is an end again
    _tick(ending, rules)
    clock.at = 1030
    _tick(ending, rules, idle=False, running=True)
    assert ending.left_s is None
    ending.may = lambda: not recording[0]
    _tick(ending, rules)
    clock.at = 2000
    _tick(ending, rules)
    assert ending.left_s == 60  # it waits for the recording, and counts from its end
    recording[0] = False
    clock.at = 2061
    _tick(ending, rules)
    assert machine.done == ["power off"]
    assert closed == ["closed"]


def test_what_a_machine_does_not_allow_is_said_and_the_command_is_run(
    tmp_path: Path, night: tuple[Ending, StandInDesktop, Clock, list[str]]
) -> None:
    ending, machine, _, _ = night
    _tick(ending, RunRules(), idle=False, running=True)
    _tick(ending, RunRules(at_end="suspend", command=f"touch '{tmp_path / 'a b'}'"))
    assert ending.trouble == "This machine does not let the program suspend."
    assert machine.done == []
    until = time.monotonic() + 5
    while not (tmp_path / "a b").exists():
        assert time.monotonic() < until
        time.sleep(0.01)
    _tick(ending, RunRules(), idle=False, running=True)
    _tick(ending, RunRules(command="/nowhere/nothing"))
    assert "could not be run" in ending.trouble
