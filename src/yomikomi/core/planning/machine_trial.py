"""The short trial that measures what this machine and its take drive can do."""

from __future__ import annotations

import os
import shutil
import statistics
import tempfile
import time
from dataclasses import dataclass
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from yomikomi.core.errors import DriveFullError, UnfinishedError
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.planning.machine import MachineSpeeds, Speed
from yomikomi.core.planning.trial_pictures import trial_planes
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.work import Reporter
from yomikomi.core.work.load import LoadWatch
from yomikomi.core.work.priority import tame_encoders

# The drive writes this much, in pieces that are forced out one by one, so that memory cannot pass for the drive.
_PIECE_BYTES, _PIECES = 8_000_000, 24
_LONGEST_DRIVE_S = 6.0
_LONGEST_LOOK_AHEAD, _MOST_PICTURES = 240, 3000
_WIDTH, _HEIGHT = 720, 480
_DISTINCT_PICTURES = 12


@dataclass(frozen=True)
class TrialEncoder:
    """An encoder to try: ``name`` as it is remembered, ``library`` as the library calls it."""

    name: str
    library: str
    options: tuple[tuple[str, str], ...] = ()
    pixel_format: str = "yuv420p"


def capture_encoders() -> tuple[TrialEncoder, ...]:
    """The capture codecs that the forecast wants to know; h264_high stands for what the machine does itself."""
    return tuple(
        TrialEncoder(key, row.encoder, tuple(row.options.items()) + ((("crf", str(row.crf)),) if row.crf else ()), row.formats[0])
        for key, row in CAPTURE_CODECS.items()
        if row.measured
    )


@dataclass(frozen=True)
class MachineTrialRequest:
    """``folder``: where the drive is tried; ``encoders``: what is tried, each for ``encoder_seconds`` after its first packet."""

    folder: Path
    encoders: tuple[TrialEncoder, ...]
    encoder_seconds: float = 1.8


@dataclass(frozen=True)
class MachineTrialProgress:
    part: float
    doing: str
    seconds_left: float = 0.0


def try_machine(request: MachineTrialRequest, reporter: Reporter) -> MachineSpeeds:
    """Measure the drive, then each encoder on noisy moving pictures of 720x480.

    Raises DriveFullError where the trial would fill the drive, UnfinishedError where it cannot be written.
    """
    tame_encoders()
    reporter.report(MachineTrialProgress(0.02, "drive"))
    drive = try_drive(request.folder, reporter)
    pictures = [frame_from_planes(*planes) for planes in trial_planes(_WIDTH, _HEIGHT, _DISTINCT_PICTURES)]
    speeds = {}
    quiet: list[float] = []
    for number, encoder in enumerate(request.encoders):
        left = (len(request.encoders) - number) * request.encoder_seconds
        reporter.report(MachineTrialProgress(0.3 + 0.7 * number / len(request.encoders), encoder.name, left))
        watch = LoadWatch()
        found = _try_encoder(encoder, pictures, request.encoder_seconds, reporter)
        part = watch.load().quiet_part
        quiet.append(part)
        speeds[encoder.name] = Speed(low=found.low / part, usual=found.usual / part, high=found.high / part)
    return MachineSpeeds(
        made_at=datetime.now(UTC).isoformat(timespec="seconds"),
        processors=os.cpu_count() or 1,
        write_bytes_per_second=drive,
        encoders=speeds,
        disturbed=round(1 - statistics.fmean(quiet), 3) if quiet else 0.0,
    )


def try_drive(folder: Path, reporter: Reporter) -> Speed:
    """Bytes a second that a drive writes when every piece is forced out; some seconds, under 200 MB that are removed again."""
    if shutil.disk_usage(folder).free < 4 * _PIECE_BYTES * _PIECES:
        raise DriveFullError("The take drive is nearly full; its speed was not tried.", remedy="Make room first.", path=folder)
    piece = np.random.default_rng(1).integers(0, 256, _PIECE_BYTES, np.uint8).tobytes()
    times: list[float] = []
    try:
        with tempfile.NamedTemporaryFile(prefix=".speed-trial-", dir=folder, buffering=0) as file:
            until = time.monotonic() + _LONGEST_DRIVE_S
            while len(times) < _PIECES and (len(times) < 3 or time.monotonic() < until):
                reporter.check()
                began = time.perf_counter()
                file.write(piece)
                os.fsync(file.fileno())
                times.append(time.perf_counter() - began)
    except OSError as error:
        raise UnfinishedError(
            f"The take drive could not be tried: {error.strerror}.", remedy="Check that the workspace may be written to.", path=folder
        ) from error
    return _speed([_PIECE_BYTES / taken for taken in times])


def _try_encoder(encoder: TrialEncoder, pictures: list[av.VideoFrame], seconds: float, reporter: Reporter) -> Speed:
    context = av.CodecContext.create(encoder.library, "w")
    assert isinstance(context, av.VideoCodecContext)
    context.width, context.height, context.pix_fmt = _WIDTH, _HEIGHT, encoder.pixel_format
    context.framerate, context.time_base = Fraction(30000, 1001), Fraction(1001, 30000)
    context.options = dict(encoder.options)
    context.thread_count = 0
    if encoder.library == "libx265":
        context.options |= {"x265-params": "log-level=none"}
    frames = [picture.reformat(format=encoder.pixel_format) for picture in pictures]
    number = packets = 0
    rates: list[float] = []
    until = None
    began = time.perf_counter()
    # Encoders look ahead and give packets in bursts: counted is what comes out from the first packet on, burst by burst.
    while until is None or time.monotonic() < until or len(rates) < 2:
        reporter.check()
        for _ in range(_DISTINCT_PICTURES):
            packets += _encode(context, frames, number)
            number += 1
        if number > _MOST_PICTURES:
            break
        if until is None:
            if packets or number >= _LONGEST_LOOK_AHEAD:
                until, packets, began = time.monotonic() + seconds, 0, time.perf_counter()
        elif packets >= _DISTINCT_PICTURES:
            now = time.perf_counter()
            rates.append(packets * _WIDTH * _HEIGHT / (now - began))
            packets, began = 0, now
    context.encode(None)
    return _speed(rates)


def _encode(context: av.VideoCodecContext, frames: list[av.VideoFrame], number: int) -> int:
    """Give one picture; returns how many packets came out."""
    frame = frames[number % len(frames)]
    frame.pts, frame.time_base, frame.pict_type = number, Fraction(1001, 30000), av.video.frame.PictureType.NONE
    return len(context.encode(frame))


def _speed(measured: list[float]) -> Speed:
    ordered = sorted(measured)
    tenth = len(ordered) // 10
    return Speed(low=ordered[tenth], usual=statistics.median(ordered), high=ordered[-1 - tenth])
