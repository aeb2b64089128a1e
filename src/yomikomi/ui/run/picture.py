"""About which picture the selected copy is at."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject

from yomikomi.core.copying.picture_now import picture_now
from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.run.driver import Running
from yomikomi.ui.run.details import PICTURE_BOX
from yomikomi.ui.state import AppState

# shape=(lines, columns, 3), RGB 0…255; None: there is none.
Picture = NDArray[np.uint8] | None
# A picture stays for so long, seconds: each costs a moment of the processor that encodes.
_STAYS_S = 5.0


class PictureWatch(QObject):
    """``show``: receives pictures as they come."""

    def __init__(self, state: AppState, show: Callable[[Picture], None]) -> None:
        super().__init__(state)
        self._state, self._show = state, show
        self._copy, self._since = 0, 0.0

    def look(self, running: Iterable[Running], copy: int, progress: CopyProgress | None) -> None:
        """To be called now and then; ``copy``: that is selected. Where several machines are at several places there is none."""
        work = next((one.work for one in running if one.work.copy == copy and "," not in one.handle.worker), None)
        now = time.monotonic()
        if work is None or progress is None or not progress.frames:
            self._show(None)
            self._copy = 0
        elif copy != self._copy or now - self._since > _STAYS_S:
            if copy != self._copy:
                self._show(None)
            self._copy, self._since = copy, now
            request, frame = work.request, progress.frames
            self._state.calls.call("run picture", lambda: picture_now(request, frame, PICTURE_BOX), partial(self._take, copy))

    def _take(self, copy: int, picture: Picture) -> None:
        if copy == self._copy:
            self._show(picture)
