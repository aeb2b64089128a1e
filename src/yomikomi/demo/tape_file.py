"""Playing a simulated tape into a file as fast as it goes."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.errors import UnfinishedError
from yomikomi.core.video.source import SourceEnded
from yomikomi.core.work import Reporter
from yomikomi.sim.player import TapePlayer, TapePlayerSpec


@dataclass(frozen=True)
class SimulateRequest:
    spec: TapePlayerSpec
    path: Path


@dataclass(frozen=True)
class SimulateProgress:
    part: float
    frames: int


def simulate_to(request: SimulateRequest, reporter: Reporter) -> int:
    """Write the whole tape; returns the number of frames. A stopped or failed simulation leaves no file."""
    player = TapePlayer(request.spec)
    recorder = Recorder(request.path, player.format)
    try:
        while True:
            reporter.check()
            picture, sound = player.read()
            recorder.write_picture(picture)
            recorder.write_sound(sound)
            if recorder.frames % 15 == 0:
                reporter.report(SimulateProgress(recorder.frames / max(1, player.frames or 1), recorder.frames))
    except SourceEnded:
        recorder.close()
    except BaseException:
        with contextlib.suppress(UnfinishedError):
            recorder.close()
        request.path.unlink(missing_ok=True)
        raise
    return recorder.frames
