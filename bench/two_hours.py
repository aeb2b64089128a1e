"""Two hours of flashes and beeps through every change of rate: how far sound and picture come apart, and what memory it takes."""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

VIDEO, SOUND = Fraction(30000, 1001), 48_000
SECONDS, SHORT_S = 7200, 30
# A flash and a beep so often, seconds; the first half a second in.
EVERY = 30
WIDTH, HEIGHT = 144, 96
CASES = ("as it is", "double rate", "half rate", "film", "drift")


def run() -> Iterator[str]:
    """Each case in a process of its own, so that its memory is its own."""
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        for case in CASES:
            command = [sys.executable, "-c", "import sys; from bench.two_hours import measure; measure(*sys.argv[1:])", folder, case]
            yield subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()


def measure(folder: str, case: str) -> None:
    from yomikomi.core.copying.encode import CopyRequest, encode
    from yomikomi.core.recipes.recipe import recipe_for
    from yomikomi.core.treatment.audio_steps import Drift
    from yomikomi.core.treatment.model import Treatment
    from yomikomi.core.treatment.steps import Deinterlace, Film, RateCap
    from yomikomi.core.video.standards import FieldOrder
    from yomikomi.core.work import SilentReporter

    film = case == "film"
    source = Path(folder) / f"{film}-{case == 'drift'}.mkv"
    # A sound clock that gains two seconds in an hour, put right by the treatment.
    slow = Fraction(3602, 3600) if case == "drift" else Fraction(1)
    if not source.exists():
        make(source, SECONDS, film=film, slow=slow)
    reading = reading_of(Path(folder), film=film)
    treatment = {
        "as it is": Treatment(), "double rate": Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF),
        "half rate": Treatment(steps=(RateCap(each=2),)), "film": Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF),)),
        "drift": Treatment(sound=(Drift(ms_per_hour=2000),)),
    }[case]  # fmt: skip
    recipe = recipe_for("h264", 30, speed="ultrafast")
    began = time.monotonic()
    target = source.with_suffix(".copy.mp4")
    encode(CopyRequest(source, target, reading, treatment, recipe), target, SilentReporter())
    spent = time.monotonic() - began
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    apart = offsets(target)
    target.unlink()
    print(
        f"{case}: {len(apart)} flashes in {SECONDS // 3600} h, apart from their beeps by {1000 * min(apart):+.1f} to "
        f"{1000 * max(apart):+.1f} ms; at most {most:.0f} MB of memory; {spent:.0f} s"
    )


def make(path: Path, seconds: int, *, film: bool, slow: Fraction = Fraction(1)) -> None:
    """Dark pictures with a moving bar, interlaced or film in 2:3; flashes as long as a film picture or a frame, beeps that begin with
    them. ``slow``: how much longer the sound is than it should be."""
    import av
    import numpy as np

    from yomikomi.core.video.planes import plane_samples

    rate = Fraction(24000, 1001) if film else VIDEO
    first = {round((Fraction(1, 2) + number * EVERY) * rate) for number in range(seconds // EVERY)}
    lit = first if film else first | {one + 1 for one in first}  # two frames, so that half the rate shows them too
    dark = [_picture(at) for at in range(48)]  # 48 steps of 3 columns are once around
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=VIDEO)
        sound = sink.add_stream("pcm_s16le", rate=SOUND, layout="mono")
        video.width, video.height, video.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        begins = sorted(round(Fraction(one) / rate * slow * SOUND) for one in first)
        beep = np.round(16_000 * np.sin(2 * np.pi * 1000 * np.arange(1600) / SOUND)).astype(np.int16)
        given = 0
        for number, (top, bottom) in enumerate(_fields(round(seconds * VIDEO), film=film)):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
            y = plane_samples(frame.planes[0])
            for parity, picture in enumerate((top, bottom)):
                y[parity::2] = 235 if (picture if film else number) in lit else dark[picture % 48][parity::2]
            for plane in frame.planes[1:]:
                plane_samples(plane)[:] = 128
            frame.pts, frame.time_base = number, 1 / VIDEO
            sink.mux(video.encode(frame))
            until = round(Fraction(number + 1) / VIDEO * slow * SOUND)
            if until - given >= SOUND:
                wave = np.zeros(until - given, np.int16)
                for begin in begins:
                    first, last = max(begin, given), min(begin + len(beep), until)
                    if first < last:
                        wave[first - given : last - given] = beep[first - begin : last - begin]
                block = av.AudioFrame.from_ndarray(wave.reshape(1, -1), format="s16", layout="mono")
                block.sample_rate, block.pts = SOUND, given
                sink.mux(sound.encode(block))
                given = until
        sink.mux(video.encode(None))
        sink.mux(sound.encode(None))


def _picture(at: int) -> object:
    """A soft texture that slides: cadence is read off what moves."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    texture = gaussian_filter(np.random.default_rng(1).normal(0, 1, (HEIGHT, WIDTH)), 2.5, mode="wrap")
    picture = np.clip(85 + 25 * texture / texture.std(), 20, 140).astype(np.uint8)
    return np.roll(picture, 3 * at, axis=1)


def _fields(frames: int, *, film: bool) -> Iterator[tuple[int, int]]:
    """Which picture each field shows: of video two to a frame, of film 2:3."""
    if not film:
        yield from ((2 * number, 2 * number + 1) for number in range(frames))
        return
    fields = (number for number in range(frames) for _ in range(2 if number % 2 == 0 else 3))
    yield from ((next(fields), next(fields)) for _ in range(frames))


def reading_of(folder: Path, *, film: bool):  # type: ignore[no-untyped-def]
    """That of half a minute of the same, stretched to two hours: what takes minutes to read is the same all along."""
    from yomikomi.core.reading.scanner import ReadRequest, read
    from yomikomi.core.work import SilentReporter

    short = folder / "short.mkv"
    make(short, SHORT_S, film=film)
    found = read(ReadRequest(short), SilentReporter())
    sound = [one.model_copy(update={"seconds": float(SECONDS), "ends_at": float(SECONDS)}) for one in found.sound]
    scan = found.scan.model_copy(update={"runs": [(0, found.scan.runs[0][1], found.scan.runs[0][2])] if found.scan.runs else []})
    frames = round(SECONDS * VIDEO)
    return found.model_copy(update={"frames": frames, "duration_seconds": frames / float(VIDEO), "sound": sound, "scan": scan})


def offsets(path: Path) -> list[float]:
    """Of each flash, how much later than its beep it comes, seconds."""
    import av
    import numpy as np

    from yomikomi.core.video.planes import luma

    flashes: list[float] = []
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        before = False
        for frame in container.decode(stream):
            now = float(luma(frame)[8:-8].mean()) > 150
            if now and not before:
                flashes.append(float(frame.pts * frame.time_base))
            before = now
    beeps: list[float] = []
    with av.open(str(path)) as container:
        last = -1e9
        for block in container.decode(container.streams.audio[0]):
            wave = np.abs(block.to_ndarray()[0])
            if wave.max() > 0.15:
                begin = float(block.pts * block.time_base) + int(np.argmax(wave > 0.15)) / block.sample_rate
                if begin - last > 1:
                    beeps.append(begin)
                last = begin
    assert len(flashes) == len(beeps), (len(flashes), len(beeps))
    return [one - two for one, two in zip(flashes, beeps, strict=True)]
