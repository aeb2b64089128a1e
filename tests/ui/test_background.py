"""Short calls beside the window: the newest answer counts, and nobody is told who has gone."""

from __future__ import annotations

import threading
from functools import partial

import pytest
import shiboken6
from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from yomikomi.core.errors import UnreadableError, YomikomiError
from yomikomi.ui.background import Calls


class Asker(QObject):
    def __init__(self) -> None:
        super().__init__()
        self.heard: list[object] = []

    def hear(self, answer: object) -> None:
        self.heard.append((self.objectName(), answer))  # raises once the object has gone


@pytest.fixture
def calls(qtbot: QtBot) -> Calls:
    return Calls()


def test_only_the_newest_answer_of_a_kind_is_applied(calls: Calls, qtbot: QtBot) -> None:
    go, asker = threading.Event(), Asker()
    calls.call("frame", lambda: go.wait(5) and "old", asker.hear)
    calls.call("frame", lambda: "new", asker.hear)
    qtbot.waitUntil(lambda: bool(asker.heard), timeout=5000)
    go.set()
    calls.wait()
    calls.call("other", lambda: "after", asker.hear)
    qtbot.waitUntil(lambda: len(asker.heard) == 2, timeout=5000)
    assert [answer for _, answer in asker.heard] == ["new", "after"]


def test_who_has_gone_is_told_nothing(calls: Calls, qtbot: QtBot) -> None:
    """A window was closed while its devices were looked for."""
    go, gone, other = threading.Event(), Asker(), Asker()
    calls.call("devices", lambda: go.wait(5), gone.hear)
    calls.call("picture", lambda: go.wait(5), partial(gone.hear))
    shiboken6.delete(gone)
    go.set()
    calls.wait()
    calls.call("frame", lambda: "here", other.hear)
    qtbot.waitUntil(lambda: bool(other.heard), timeout=5000)
    assert gone.heard == []


def test_errors_are_told_with_what_to_do(calls: Calls, qtbot: QtBot) -> None:
    def unreadable() -> None:
        raise UnreadableError("The file is empty.", remedy="Copy it again.")

    told: list[YomikomiError] = []
    calls.call("look", unreadable, lambda _: None, told.append)
    calls.call("defect", lambda: 1 / 0, lambda _: None, told.append)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=5000)
    plain, defect = sorted((error.remedy for error in told), key=len)
    assert plain == "Copy it again."
    assert "This is a defect of the program" in defect
    assert "defects.log" in defect
