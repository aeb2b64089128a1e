"""A workspace with a clip that takes a second to encode, and its run."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import Shared
from tests.making import programme_frames, write_clip
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.run_queue import ask_copy
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.run.driver import Driver
from yomikomi.core.run.executors.local import LocalExecutor
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work.notices import Notice


class Night:
    """A workspace, and the program that is open on it; :meth:`killed` begins another one."""

    def __init__(self, folder: Path, clip: Path, reading: Reading) -> None:
        self.folder = folder
        self.workspace = Workspace(folder)
        self.record = Record(self.workspace)
        take = folder / "takes" / clip.name
        shutil.copy(clip, take)
        self.record.takes.import_file(take, title="Lantern parade", kind="card", label="K-001")
        view = self.record.carriers()[0]
        assert view.take is not None
        self.record.readings.save(view.take.id, reading)
        self.record.readings.choose_treatment(view.take.id, Treatment())
        self.told: list[Notice] = []
        self.begin()

    def begin(self) -> None:
        self.executor = LocalExecutor()
        self.driver = Driver(self.record.jobs, self.executor, told=self.told.append)

    def ask(self, *qualities: int) -> list[int]:
        view = self.record.carriers()[0]
        return [ask_copy(self.record, view, recipe_for("h264", quality), None) for quality in qualities]

    def until(self, done: Callable[[], bool], seconds: float = 60) -> None:
        until = time.monotonic() + seconds
        while not done():
            self.driver.poll()
            assert time.monotonic() < until, [self.record.jobs.views(one.id) for one in self.copies]
            time.sleep(0.005)

    def finish(self) -> None:
        self.driver.go()
        self.until(lambda: self.driver.idle)

    def killed(self) -> None:
        """As after kill -9: processes are gone, nothing was put in order; the next start begins."""
        for running in self.driver.running.values():
            running.handle.job.kill()  # type: ignore[attr-defined]
        self.workspace.close()
        self.workspace = Workspace(self.folder)
        self.record = Record(self.workspace)
        self.record.copies.requeue_cut_off()
        self.begin()

    @property
    def copies(self) -> list[CopyView]:
        return self.record.copies.all()

    def states(self) -> list[str]:
        return [copy.state for copy in self.copies]

    def hidden(self) -> list[str]:
        return [path.name for path in (self.folder / "copies").iterdir() if path.name.startswith(".")]

    def close(self) -> None:
        self.driver.stop_all()
        self.until(self.executor.gone)
        self.workspace.close()


def night_clip(shared: Shared) -> Path:
    return shared.file("night.mkv", lambda part: write_clip(part, programme_frames(150, width=480, height=360), sound_seconds=6.0))


@pytest.fixture
def night(tmp_path: Path, shared: Shared) -> Iterator[Night]:
    clip = night_clip(shared)
    made = Night(tmp_path / "archive", clip, shared.reading(clip))
    yield made
    made.close()
