"""Playing a simulated source into a file as fast as it goes."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass, field
from pathlib import Path

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import UnfinishedError
from yomikomi.core.video.source import SourceEnded, SourceSpec
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import new_file


@dataclass(frozen=True)
class SimulateRequest:
    """``seconds``: how much is expected, for telling how far it is; ``record_as``: how the file is coded."""

    spec: SourceSpec
    path: Path
    seconds: float | None = None
    record_as: RecordAs = field(default_factory=RecordAs)


@dataclass(frozen=True)
class SimulateProgress:
    part: float
    frames: int


def simulate_to(request: SimulateRequest, reporter: Reporter) -> int:
    """Write all that the source gives; returns the number of frames. A stopped or failed simulation leaves no file."""
    source = request.spec.open()
    expected = (request.seconds or 0.0) * float(source.format.standard.rate)
    try:
        with new_file(request.path) as made:
            recorder = Recorder(made.part, source.format, request.record_as, claimed=True)
            try:
                while True:
                    reporter.check()
                    picture, sound = source.read()
                    recorder.write_picture(picture)
                    recorder.write_sound(sound)
                    if recorder.frames % 15 == 0:
                        reporter.report(SimulateProgress(min(1.0, recorder.frames / max(1.0, expected)), recorder.frames))
            except SourceEnded:
                recorder.close()
            except BaseException:
                with contextlib.suppress(UnfinishedError):
                    recorder.close()
                raise
            made.keep()
    finally:
        source.close()
    return recorder.frames
