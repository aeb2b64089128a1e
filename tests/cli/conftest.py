"""Commands do their work within the test's process, but those that are about workers: starting one takes a second of a processor."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from yomikomi.core.work import Reporter, SilentReporter


class Here:
    """In the place of a job."""

    def __init__(self, function: Callable[[Any, Reporter], Any], request: Any, **_how: Any) -> None:
        self._work = lambda: function(request, SilentReporter())

    def start(self) -> Here:
        return self

    def wait(self, **_how: Any) -> None:
        return

    def answer(self) -> Any:
        return self._work()


@pytest.fixture(autouse=True)
def _work_here(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    if "workers" not in request.keywords:
        monkeypatch.setattr("yomikomi.cli.work.Job", Here)
