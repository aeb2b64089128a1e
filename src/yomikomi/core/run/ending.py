"""What happens when nothing is left to make: a command of one's own, a notification, and then, after a countdown that can be stopped,
the machine sleeps, powers off, or the program closes."""

from __future__ import annotations

import contextlib
import shlex
import subprocess
from collections.abc import Callable
from dataclasses import dataclass, field

from yomikomi.core.run.desktop.face import Deed, Desktop
from yomikomi.core.run.rules import RunRules

COUNTDOWN_S = 60.0
_DEEDS: dict[str, Deed] = {"suspend": "suspend", "power off": "power off"}


@dataclass
class Ending:
    """One for each time the run goes on; told how things stand by :meth:`tick`.

    Parameters
    ----------
    quit : closes the program.
    now : seconds of a clock that does not jump.
    may : whether nothing else would be cut off by it: a recording, say.
    """

    desktop: Desktop
    quit: Callable[[], None]
    now: Callable[[], float]
    may: Callable[[], bool] = lambda: True
    countdown_s: float = COUNTDOWN_S
    worked: bool = False
    left_s: float | None = field(default=None, init=False)
    trouble: str = field(default="", init=False)
    _until: float | None = field(default=None, init=False)
    _over: bool = field(default=False, init=False)
    _begun: list[subprocess.Popen[bytes]] = field(default_factory=list, init=False)

    def tick(self, rules: RunRules, *, idle: bool, running: bool, report: tuple[str, str]) -> None:
        """``idle``: nothing is left that could run; ``report``: head and body of what is told then."""
        if running:
            self.worked, self._over, self._until, self.left_s, self.trouble = True, False, None, None, ""
            return
        if not idle or not self.worked or self._over:
            return
        if self._until is None:
            self.desktop.notify(*report)
            self._run(rules.command)
            if rules.at_end == "nothing":
                self._over = True
                return
            deed = _DEEDS.get(rules.at_end)
            if deed is not None and not self.desktop.can(deed):
                self._over, self.trouble = True, f"This machine does not let the program {deed}."
                return
            self._until = self.now() + self.countdown_s
        if not self.may():
            self._until = self.now() + self.countdown_s
        self.left_s = max(0.0, self._until - self.now())
        if self.left_s <= 0:
            self._over, self.left_s = True, None
            self._act(rules)

    @property
    def over(self) -> bool:
        """All that happens at this end did."""
        return self._over

    def stop(self) -> None:
        """A person is there: nothing happens at this end."""
        self._over, self._until, self.left_s = True, None, None

    def _act(self, rules: RunRules) -> None:
        deed = _DEEDS.get(rules.at_end)
        if deed is None:
            self.quit()
        elif not self.desktop.do(deed):
            self.trouble = f"The machine refused to {deed}."
        elif deed == "power off":
            self.quit()

    def _run(self, command: str) -> None:
        """With the rights of whoever wrote it; nobody waits for it."""
        if not command:
            return
        with contextlib.suppress(ValueError):
            nothing = subprocess.DEVNULL
            try:
                self._begun.append(
                    subprocess.Popen(shlex.split(command), stdin=nothing, stdout=nothing, stderr=nothing, start_new_session=True)
                )
            except OSError as error:
                self.trouble = f"The command at the end could not be run: {error.strerror}."
