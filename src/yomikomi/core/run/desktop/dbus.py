"""The desktop's and the machine's own services, over D-Bus.

Sources: the interfaces org.freedesktop.login1 (systemd-logind, its D-Bus reference page) and org.freedesktop.Notifications (Desktop
Notifications Specification 1.2), from memory; the signatures are asserted on the wire by the tests.
"""

from __future__ import annotations

import contextlib
from typing import Any

from jeepney import DBusAddress, MessageType, new_method_call
from jeepney.io.blocking import open_dbus_connection
from jeepney.wrappers import unwrap_msg

from yomikomi.core.run.desktop.face import Deed, Release

_LOGIN = DBusAddress("/org/freedesktop/login1", bus_name="org.freedesktop.login1", interface="org.freedesktop.login1.Manager")
_NOTES = DBusAddress(
    "/org/freedesktop/Notifications", bus_name="org.freedesktop.Notifications", interface="org.freedesktop.Notifications"
)  # fmt: skip
_DEEDS: dict[Deed, str] = {"suspend": "Suspend", "power off": "PowerOff"}
_WHO = "Yomikomi"
# Seconds that a service may take to answer: nobody waits longer for a machine that has none.
_WAIT_S = 2.0
_SHOWN_MS = 20_000


class DBusDesktop:
    """``system``, ``session``: addresses of the buses, those of this machine unless given. Each call opens its own connection: they are
    seldom, and a bus that went away and came back is found again."""

    def __init__(self, system: str = "SYSTEM", session: str = "SESSION") -> None:
        self._system, self._session = system, session

    def can(self, deed: Deed) -> bool:
        answer = self._ask(self._system, _LOGIN, f"Can{_DEEDS[deed]}", None, ())
        return answer is not None and answer[0] == "yes"

    def do(self, deed: Deed) -> bool:
        return self._ask(self._system, _LOGIN, _DEEDS[deed], "b", (False,)) is not None

    def keep_awake(self, why: str) -> Release | None:
        """By a file that login1 gives us: sleep is held off as long as it is open."""
        answer = self._ask(self._system, _LOGIN, "Inhibit", "ssss", ("sleep:idle", _WHO, why, "block"), files=True)
        if answer is None:
            return None
        held = [answer[0]]

        def release() -> None:
            while held:
                held.pop().close()

        return release

    def notify(self, head: str, body: str) -> bool:
        what: tuple[Any, ...] = (_WHO, 0, "", head, body, [], {}, _SHOWN_MS)
        return self._ask(self._session, _NOTES, "Notify", "susssasa{sv}i", what) is not None

    @staticmethod
    def _ask(
        bus: str, where: DBusAddress, method: str, signature: str | None, body: tuple[Any, ...], *, files: bool = False
    ) -> tuple[Any, ...] | None:
        """The answer's values; None where there is no bus, no service, or it refused."""
        # Whatever is missing or said otherwise on a foreign machine: nothing of it may stop a run.
        with contextlib.suppress(Exception), open_dbus_connection(bus, enable_fds=files) as connection:
            reply = connection.send_and_get_reply(new_method_call(where, method, signature, body), timeout=_WAIT_S)
            if reply.header.message_type is MessageType.method_return:
                return tuple(unwrap_msg(reply))
        return None

