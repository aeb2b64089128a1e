"""Commands of capturing: sources, the recording itself, and what proves a path."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from yomikomi.cli.root import Json, answer
from yomikomi.core.errors import UnfinishedError, WrongUseError

if TYPE_CHECKING:
    from yomikomi.cli.capture_documents import CutDocument
    from yomikomi.core.capture.cutting import JoinedPieces
    from yomikomi.core.capture.recording import RecordAs
    from yomikomi.core.capture.result import CaptureResult
    from yomikomi.core.video.source import SourceSpec
    from yomikomi.core.video.standards import FieldOrder, Standard

File = Annotated[Path, typer.Argument(help="A recording.")]
Output = Annotated[Path, typer.Option("-o", "--output", help="A new file; nothing is overwritten.")]
Size = Annotated[str, typer.Option(help="Width and height in samples, 720x480.")]
RateOption = Annotated[str, typer.Option(help="Frames a second: 29.97, 25, 60000/1001 …")]


def capture(
    source: Annotated[str, typer.Option(help="sim, sim:NAME (see sources), or a device such as /dev/video0.")],
    output: Output,
    seconds: Annotated[float, typer.Option(help="How long.", min=0.1, max=86_400)],
    codec: Annotated[str, typer.Option(help="ffv1, utvideo, rdd36_hq, rdd36_4444, vc3_hq, h264_intra, h264_high, uncompressed …")] = "ffv1",
    sound: Annotated[Literal["pcm", "flac", "aac"], typer.Option(help="Sound codec.")] = "pcm",
    quality: Annotated[int | None, typer.Option(help="Constant quality, for H.264.", min=0, max=51)] = None,
    mbps: Annotated[float | None, typer.Option(help="Fixed rate in Mb/s, for H.264.", min=0.1)] = None,
    part_minutes: Annotated[float | None, typer.Option(help="Begin a new file every so many minutes.", min=0.01)] = None,
    timecode: Annotated[str, typer.Option(help="Timecode of the first picture.")] = "00:00:00:00",
    sound_later_ms: Annotated[float, typer.Option(help="Move the sound to so much later.", min=-1000, max=1000)] = 0.0,
    blank_seconds: Annotated[float | None, typer.Option(help="End after so long a blank or still picture and silence.")] = None,
    most_lost: Annotated[int | None, typer.Option(help="End when so many frames are lost.", min=1)] = None,
    fast: Annotated[bool, typer.Option("--fast", help="A simulated source as fast as it goes instead of by the clock.")] = False,
    seed: Annotated[int, typer.Option(help="Of a simulated source.", min=0)] = 1,
    offset_ms: Annotated[float, typer.Option(help="Of the simulated sync tests: how much later the sound is.")] = 0.0,
    size: Size = "720x480",
    rate: RateOption = "29.97",
    fields: Annotated[
        Literal["tff", "bff", "progressive"] | None,
        typer.Option(help="What a device sends; left out: bff for 480 lines, tff for 576, else progressive."),
    ] = None,
    sound_device: Annotated[str, typer.Option(help="Of a device: hw:1,0.")] = "",
    commentary_device: Annotated[str, typer.Option(help="A second sound device, on a track of its own.")] = "",
    input_name: Annotated[str | None, typer.Option("--input", help="The device's socket.")] = None,
    standard: Annotated[Literal["525i", "625i"] | None, typer.Option(help="The device's line standard.")] = None,
    as_json: Json = False,
) -> None:
    """Record a source to a file, and say how it went. Ctrl+C ends the take in order."""
    from pydantic import ValidationError

    from yomikomi.cli.capture_documents import CaptureDocument
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.devices.reading import DeviceSpec
    from yomikomi.core.capture.health import read_health
    from yomikomi.core.capture.looking import LookAs
    from yomikomi.core.capture.recording import RecordAs
    from yomikomi.core.capture.rules import EndRules
    from yomikomi.core.capture.sentences import STOPPED_BY_HAND
    from yomikomi.core.capture.session import CaptureRequest
    from yomikomi.core.capture.session import capture as run
    from yomikomi.core.video.units import size_text

    try:
        record_as = RecordAs(
            codec=codec, sound=sound, crf=quality, mbps=mbps, part_minutes=part_minutes, timecode=timecode, sound_later_ms=sound_later_ms
        )
    except ValidationError as error:
        raise WrongUseError(f"{error.errors()[0]['msg']}.", remedy="See yomikomi capture --help.") from error
    spec: SourceSpec
    is_simulated = source.lower().partition(":")[0] == "sim"
    if is_simulated:
        spec = simulated(source, seed=seed, seconds=seconds, real_time=not fast, offset_ms=offset_ms)
    else:
        width, height = size_of(size)
        lines = _lines_of(height) if width == 720 else None
        spec = DeviceSpec(
            source, width, height, rate_of(rate), sound=sound_device, commentary=commentary_device, input_name=input_name,
            standard=standard, field_order=_fields_of(fields, height),
            sample_aspect=lines.sample_aspect_4_3 if lines else Fraction(1),
        )  # fmt: skip
    _check_suffix(output, record_as)
    rules = EndRules(max_seconds=seconds, blank_seconds=blank_seconds, most_lost=most_lost)
    patient = fast and is_simulated
    request = CaptureRequest(spec, output, record_as, rules, look=LookAs(preview=False, scopes=False), patient=patient)
    result: CaptureResult = run_job(run, request, "capturing", quiet=as_json, urgent=True)
    document = CaptureDocument(
        file=str(output), files=[str(one) for one in result.parts], codec=codec, frames=result.frames, seconds=result.seconds,
        late=result.late, lost=result.dropped, repeated=result.repeated, doubled=result.doubled,
        gaps=list(result.gaps), size_bytes=result.bytes_written,
        headroom=round(result.headroom, 2), ended=result.ended, trouble=result.trouble,
        health=read_health(output)[1] if result.logged else None,
    )  # fmt: skip
    words = f"{output}: {result.frames} frames, {result.dropped} lost, {size_text(result.bytes_written)}"
    answer(document, as_json, words + (f"\n{result.ended}" if result.ended and not result.trouble else ""))
    if result.trouble or not result.frames or result.stopped:
        what = result.trouble or (STOPPED_BY_HAND if result.stopped else "The source gave no picture.")
        raise UnfinishedError(f"{what} Recorded: {result.seconds:.1f} s of {seconds:g} s.", remedy=result.remedy)


def sources(as_json: Json = False) -> None:
    """List what can be captured from: simulated sources, and the devices of this machine with who uses them."""
    from yomikomi.cli.capture_documents import SourceDocument, SourcesDocument
    from yomikomi.core.capture.devices.linux import LinuxLayer
    from yomikomi.sim.catalogue import CATALOGUE

    layer = LinuxLayer()
    found = [SourceDocument(name=f"sim:{key}", words=one.words, kind="simulated") for key, one in CATALOGUE.items()]
    for video in layer.video_devices():
        formats = [f"{one.code} {one.width}x{one.height}" for one in video.formats]
        found.append(SourceDocument(
            name=video.path, words=video.name, kind="video", inputs=list(video.inputs), standards=list(video.standards),
            formats=formats, busy=list(video.busy),
        ))  # fmt: skip
    found += [SourceDocument(name=one.path, words=one.name, kind="sound", busy=list(one.busy)) for one in layer.sound_devices()]
    lines = [f"{one.name:<24}{one.words}" + (f"  in use by {', '.join(one.busy)}" if one.busy else "") for one in found]
    answer(SourcesDocument(sources=found), as_json, "\n".join(lines))


def synctest(
    file: File, seconds: Annotated[float, typer.Option(help="How much of it.", min=1, max=7200)] = 120.0, as_json: Json = False
) -> None:
    """Measure how far sound and picture are apart, from flashes with beeps or from claps."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.sync import SyncRequest, measure_sync

    result = run_job(measure_sync, SyncRequest(file, seconds), "measuring", quiet=as_json)
    drift = result.drift_ms_per_hour
    sure = drift is not None and result.drift_error is not None and abs(drift) > 3 * result.drift_error
    answer(result, as_json, result.words + (f" It changes by {drift:.0f} ms an hour." if sure else ""))


def trial(
    size: Size,
    rate: RateOption,
    seconds: Annotated[float, typer.Option(help="Of the whole trial.", min=1, max=1800)] = 120.0,
    folder: Annotated[Path, typer.Option(help="On the drive that is to be recorded to.")] = Path(),
    codecs: Annotated[str, typer.Option(help="Only these, with commas.")] = "",
    interlaced: Annotated[bool, typer.Option("--interlaced", help="Interlaced fields instead of progressive frames.")] = False,
    as_json: Json = False,
) -> None:
    """Try which capture codec this machine and this drive can sustain. Ctrl+C ends it."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.trial import CANDIDATES, TrialRequest, try_codecs
    from yomikomi.core.video.units import size_text

    width, height = size_of(size)
    wanted = tuple(one.strip() for one in codecs.split(",") if one.strip())
    unknown = set(wanted) - {one.codec for one, _ in CANDIDATES}
    if unknown:
        raise WrongUseError(f"There is no trial of {', '.join(sorted(unknown))}.", remedy="See yomikomi capture --help for codecs.")
    if not folder.is_dir():
        raise WrongUseError(f"{folder} is no folder.", remedy="Give one on the drive that is to be recorded to.")
    request = TrialRequest(folder, width, height, rate_of(rate), interlaced, seconds, wanted)
    result = run_job(try_codecs, request, "trying", quiet=as_json, urgent=True)
    lines = [
        f"  {row.verdict:<7}{row.words:<34}{row.speed or '':<11}{row.headroom:6.2f} x  "
        f"{row.lost:4d} lost  {size_text(row.bytes_per_hour)}/h"
        for row in result.rows
    ]
    answer(result, as_json, "\n".join([*lines, result.reason]))


def cut(
    file: File,
    output: Output,
    first: Annotated[int, typer.Option("--from", help="First frame.", min=0)] = 0,
    end: Annotated[int | None, typer.Option("--to", help="The frame after the last.", min=1)] = None,
    as_json: Json = False,
) -> None:
    """Copy part of a recording without encoding it anew; where a picture leans on others, from the nearest place before."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces

    if end is not None and end <= first:
        raise WrongUseError("The end lies before the beginning.", remedy="Give --to a later frame than --from.")
    done = run_job(join_pieces, JoinPiecesRequest((Piece(file, first, end),), output), "cutting", quiet=as_json)
    note = f"; it had to begin {done.moved[0]} frames earlier" if done.moved and done.moved[0] else ""
    answer(_cut_document(output, done), as_json, f"{output}: {done.frames} frames{note}")


def join(
    files: Annotated[list[Path], typer.Argument(help="Parts of one recording, in order.")], output: Output, as_json: Json = False
) -> None:
    """Put the parts of a recording into one file without encoding them anew."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces

    done = run_job(join_pieces, JoinPiecesRequest(tuple(Piece(one) for one in files), output), "joining", quiet=as_json)
    answer(_cut_document(output, done), as_json, f"{output}: {done.frames} frames")


def merge(
    first: Annotated[Path, typer.Argument(help="The recording with the frames 0, 2, 4 …")],
    second: Annotated[Path, typer.Argument(help="The recording with the frames 1, 3, 5 …")],
    output: Output,
    as_json: Json = False,
) -> None:
    """Merge alternate-frame recordings of two drives into one, without encoding them anew."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.capture.alternates import MergeRequest, merge_alternates

    done = run_job(merge_alternates, MergeRequest(first, second, output), "merging", quiet=as_json)
    answer(_cut_document(output, done), as_json, f"{output}: {done.frames} frames")


def simulated(name: str, *, seed: int, seconds: float | None, real_time: bool, offset_ms: float = 0.0) -> SourceSpec:
    """``sim`` or ``sim:NAME`` to a source. Raises WrongUseError for a name that there is not."""
    from yomikomi.sim.catalogue import CATALOGUE, Wanted

    key = name.partition(":")[2].lower() or "vhs"
    if key not in CATALOGUE:
        raise WrongUseError(f"There is no simulated source {key!r}.", remedy=f"Use one of: {', '.join(CATALOGUE)}.")
    return CATALOGUE[key].make(Wanted(seed, seconds, real_time, offset_ms))


def _fields_of(words: str | None, height: int) -> FieldOrder | None:
    """Which field of a device's pictures comes first, as said, or as is the convention of its lines; None: whole pictures."""
    from yomikomi.core.video.standards import FieldOrder

    if words is None:
        lines = _lines_of(height)
        return lines.first_field if lines else None
    return None if words == "progressive" else FieldOrder(words)


def _lines_of(height: int) -> Standard | None:
    from yomikomi.core.video.standards import STANDARDS

    return next((one for one in STANDARDS.values() if one.height == height), None)


def size_of(words: str) -> tuple[int, int]:
    """``720x480`` to two numbers. Raises WrongUseError."""
    width, _, height = words.lower().partition("x")
    if not (width.isdigit() and height.isdigit() and 16 <= int(width) <= 8192 and 16 <= int(height) <= 8192) or int(width) % 2:
        raise WrongUseError(f"{words!r} is no picture size.", remedy="Write it as 720x480; the width is even.")
    return int(width), int(height)


def rate_of(words: str) -> Fraction:
    """Raises WrongUseError."""
    from yomikomi.core.video.units import parse_frame_rate

    rate = parse_frame_rate(words)
    if rate is None:
        raise WrongUseError(f"{words!r} is no frame rate.", remedy="Write it as 29.97, 25 or 60000/1001.")
    return rate


def _check_suffix(output: Path, record_as: RecordAs) -> None:
    suffixes = {record_as.suffix(8), record_as.suffix(10)}
    if output.suffix.lower() not in suffixes:
        raise WrongUseError(
            f"{record_as.row.words} is recorded to {' or '.join(sorted(suffixes))}.", remedy="Give the output a name that ends so."
        )


def _cut_document(output: Path, done: JoinedPieces) -> CutDocument:
    from yomikomi.cli.capture_documents import CutDocument

    return CutDocument(file=str(output), frames=done.frames, seconds=done.seconds, size_bytes=done.size_bytes, moved=list(done.moved))
