"""How fast capture codecs are, what an armed and a long pass take of memory, and whether the window stays alive meanwhile."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import psutil

from bench.window import pause, wait
from yomikomi.core.capture.looking import LookAs, look_of
from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.errors import YomikomiError
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.planning.trial_pictures import trial_planes
from yomikomi.core.video.source import Picture, SoundBlock
from yomikomi.core.work import SilentReporter
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

_RATE = Fraction(30000, 1001)


def run() -> Iterator[str]:
    """The recorder alone, as fast as it goes: times real time at 29.97."""
    for width, height, frames in ((720, 480, 120), (1920, 1080, 36)):
        planes = list(trial_planes(width, height, 8))
        form = FeedSpec(width, height, _RATE, channels=0).open().format
        yield f"{width}x{height} at 29.97, times real time (Mb/s):"
        for codec in CAPTURE_CODECS:
            how = RecordAs(codec=codec, threads=os.cpu_count() or 2)
            with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
                recorder = Recorder(Path(folder) / f"x{how.suffix(8)}", form, how)
                began = time.perf_counter()
                for number in range(frames):
                    y, u, v = planes[number % 8]
                    recorder.write_picture(Picture(number, y, u, v, 0.0))
                recorder.close()
                taken = time.perf_counter() - began
            rate = recorder.bytes_written * 8 * float(_RATE) / frames / 1e6
            yield f"  {codec:<14}{frames / float(_RATE) / taken:6.2f} x   {rate:6.0f}"


def looks() -> Iterator[str]:
    """How often a second the picture with all scopes can be made, in one thread."""
    for name, spec in (("720x480", TapePlayerSpec(seed=3, real_time=False)), ("1920x1080", FeedSpec(1920, 1080, _RATE, real_time=False))):
        source = spec.open()
        picture, _sound = source.read()
        count = 40
        began = time.perf_counter()
        for _ in range(count):
            look_of(picture, source.format, LookAs())
        yield f"{name}: picture and scopes {count / (time.perf_counter() - began):.0f} times a second"


def long_pass() -> Iterator[str]:
    """Two hours of a small source at five frames a second, as fast as they go: memory at a quarter, half and the end."""
    used: list[tuple[float, int]] = []

    class Watch(SilentReporter):
        def report(self, progress: object) -> None:
            super().report(progress)
            used.append((float(getattr(progress, "seconds", 0.0)), psutil.Process().memory_info().rss))

    spec = _Loop(FeedSpec(160, 128, Fraction(5), interlaced=True, real_time=False, mixture="lively", channels=1), 7200)
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        how = RecordAs(codec="h264_intra", part_minutes=30)
        request = CaptureRequest(spec, Path(folder) / "take.mkv", how, EndRules(blank_seconds=None), patient=True)
        began = time.perf_counter()
        try:
            result = capture(request, Watch())
        except YomikomiError as error:
            yield str(error)
            return
        taken = time.perf_counter() - began
    places = [next((size for at, size in used if at >= part * result.seconds), used[-1][1]) for part in (0.25, 0.5, 0.99)]
    yield (
        f"{result.seconds / 3600:.1f} h in {taken:.0f} s ({result.seconds / taken:.0f} x): memory {places[0] / 1e6:.0f} MB at a quarter, "
        f"{places[1] / 1e6:.0f} at half, {places[2] / 1e6:.0f} at the end; {result.dropped} lost, {len(result.parts)} parts"
    )


class _Loop:
    """A source whose first seconds go round, so that drawing costs nothing."""

    def __init__(self, spec: FeedSpec, seconds: float) -> None:
        self._spec, self._frames = spec, round(seconds * spec.rate)

    def open(self) -> _Loop:
        from dataclasses import replace

        feed = self._spec.open()
        self.format = feed.format
        self._replace = replace
        self._items = [feed.read() for _ in range(120)]
        self._number = -1
        return self

    def read(self) -> tuple[Picture, SoundBlock]:
        from yomikomi.core.video.source import SourceEnded

        self._number += 1
        if self._number >= self._frames:
            raise SourceEnded
        picture, sound = self._items[self._number % 120]
        start, end = self.format.first_sample(self._number), self.format.first_sample(self._number + 1)
        samples = sound.samples[: end - start]
        stamp = round(self._number * 1e6 / float(self.format.standard.rate))
        return self._replace(picture, number=self._number, ready_at=time.monotonic(), stamp_us=stamp), SoundBlock(start, samples, stamp)

    def close(self) -> None:
        return


def stall() -> Iterator[str]:
    """The window's thread while a tape is recorded with all scopes on."""
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", "from bench.capture import _watch_window; _watch_window()"]
    yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def _watch_window() -> None:
    from tests.ui.watch import StallWatch

    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.ui.app import application, build_window

    application()
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        window = build_window(workspace)
        window.show()
        state = window.state
        source = TapePlayerSpec(seed=3, mixture="lively").to_json()
        state.record.shelf.add(label="K-001", title="x", kind="vhs", standard="525i", source=source)
        state.reload()
        window.show_station("capture")
        station = window.station("capture")
        pause(0.5)
        window.do("record")
        wait(lambda: station.strip.rows)  # type: ignore[attr-defined]
        shown = station.watch.scopes.shown  # type: ignore[attr-defined]
        began = time.monotonic()
        with StallWatch() as recording:
            pause(15)
        often = (station.watch.scopes.shown - shown) / (time.monotonic() - began)  # type: ignore[attr-defined]
        with StallWatch() as pages:
            for key in ("marks", "prove", "how", "list", "watch"):
                station.show_page(key)  # type: ignore[attr-defined]
                window.do("mark")
                pause(0.5)
        with StallWatch() as ending:
            window.do("record")
            wait(lambda: not state.jobs.jobs)
        assert state.current is not None
        take = state.current.take
        assert take is not None
        print(f"recording 525 lines with all scopes on: longest stall {1000 * recording.longest:.0f} ms; scopes {often:.1f} times a second")
        print(f"turning pages and marking meanwhile: longest stall {1000 * pages.longest:.0f} ms")
        print(f"ending the take: longest stall {1000 * ending.longest:.0f} ms; {take.dropped} lost of {take.frames}, {take.late} late")
        window.hide()
        window.close()
        workspace.close()
