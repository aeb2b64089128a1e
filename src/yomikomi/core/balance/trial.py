"""One trial: a span of treated frames through one encoder, measured."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import av
import cv2
import numpy as np
from av.codec.context import Flags
from av.video.frame import PictureType
from numpy.typing import NDArray

from yomikomi.core.balance.judging import DetailJudge, Judged, as_played, plane_of
from yomikomi.core.balance.metrics import Compared, SampleMeter
from yomikomi.core.balance.picture_sizes import picture_sizes, soonest_key, worst_second
from yomikomi.core.balance.segments import Segment
from yomikomi.core.balance.spans import TreatedSpan
from yomikomi.core.errors import UnreadableError
from yomikomi.core.recipes.plan import plan_for, set_up
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.video.planes import luma, rgb
from yomikomi.core.work import Reporter
from yomikomi.core.work.load import LoadWatch
from yomikomi.core.work.priority import lower_all_threads

_CROP_WIDTH, _CROP_HEIGHT = 256, 172
# Pictures a second whose detail is judged, with this many at least.
_JUDGED_A_SECOND, _FEWEST_JUDGED = 2, 3


@dataclass(frozen=True)
class Trial:
    """Measured on one span.

    Parameters
    ----------
    between_bytes : of the segment's pictures, without run-up and run-out, and without those that begin something.
    begun_bytes : of its key pictures, and what its cuts cost where they get none.
    key_sizes : bytes of every key picture in it or asked for before it, as large as within a copy.
    fresh_key : bytes of the key picture with which the encode began, whose encoder had seen nothing yet; as a copy begins.
    cut_excess : what each cut in it without a key picture costs, bytes.
    seconds_per_frame : of encoding alone, wall clock.
    quiet_part : the part of the time that it would have taken had nobody else used the processors, 0…1.
    ssim, mse : means over the segment.
    judged : what an eye sees of it, by a few pictures.
    worst_kbps : rate of the second that takes most.
    """

    between_bytes: float
    counted_frames: int
    seconds_per_frame: float
    ssim: float
    mse: float
    begun_bytes: float = 0.0
    key_sizes: tuple[float, ...] = ()
    fresh_key: float = 0.0
    cut_excess: tuple[float, ...] = ()
    quiet_part: float = 1.0
    judged: Judged | None = None
    worst_kbps: float = 0.0

    @property
    def counted_bytes(self) -> float:
        """Of the segment itself."""
        return self.between_bytes + self.begun_bytes

    def bytes_with_keys(self, distance: int) -> float:
        """Of the segment, had it as much of a key picture as a copy has with one every ``distance`` pictures."""
        keys = sum(self.key_sizes) / len(self.key_sizes) if self.key_sizes else 0.0
        return self.between_bytes + keys * self.counted_frames / distance


Pair = tuple[Segment, Trial]
_KEY, _ANY = PictureType.I, PictureType.NONE


def judge_for(span: TreatedSpan) -> DetailJudge:
    """What copies of a span are held against: a few of its pictures, evenly through it. It serves every recipe."""
    count = len(span.counted)
    wanted = min(count, max(_FEWEST_JUDGED, round(_JUDGED_A_SECOND * count / span.format.rate)))
    numbers = {span.counted.start + (2 * place + 1) * count // (2 * wanted) for place in range(wanted)}
    return DetailJudge.of(enumerate(span.frames()), numbers, span.format.geometry)


def run_trial(
    span: TreatedSpan, recipe: Recipe, judge: DetailJudge, reporter: Reporter, *, crop_to: Path | None = None,
    whole: TreatedSpan | None = None,
) -> Trial:
    """Encode a span and compare its pictures with what went in, or, where a recipe makes them smaller, with those of full size (``whole``),
    enlarged as a player would."""
    watch = LoadWatch()
    key_at = _key_place(span, recipe)
    packets, seconds, frames, header = encode_span(span, recipe, reporter, key_at=key_at)
    quiet_part = watch.load().quiet_part
    if frames == 0:
        raise UnreadableError(
            f"No frame of {span.path.name} can be decoded from frame {span.segment.first} on.", remedy="Read it again.", path=span.path
        )
    sizes = picture_sizes(packets, codec=recipe.codec, cuts=() if recipe.row.cut_keys else span.cuts)
    inside = slice(span.counted.start, span.counted.stop)
    if key_at:
        sizes = sizes.settled(range(key_at, span.counted.stop), pictures=recipe.row.settles)
    cuts, within = sizes.cuts[inside], sizes.keys[key_at or span.counted.start : span.counted.stop]
    compared, judged = _compare(whole or span, decoded_again(span, recipe, packets, header), judge, reporter, crop_to)
    return Trial(
        between_bytes=float(sizes.between[inside].sum()),
        begun_bytes=float(sizes.keys[inside].sum() + cuts.sum()),
        key_sizes=tuple(within[within > 0].tolist()),
        fresh_key=float(sizes.keys[0]),
        cut_excess=tuple(cuts[cuts != 0].tolist()),
        counted_frames=len(sizes.between[inside]),
        seconds_per_frame=seconds / max(1, frames),
        ssim=float(np.mean([one.ssim for one in compared])) if compared else 0.0,
        mse=float(np.mean([one.mse for one in compared])) if compared else 0.0,
        quiet_part=quiet_part,
        judged=judged,
        worst_kbps=worst_second(sizes, inside, span.format.rate),
    )


def _key_place(span: TreatedSpan, recipe: Recipe) -> int:
    """Which picture of a span is made a key picture: that with which the counted part begins, or one of the few before it. An encoder that
    has seen the run-up makes it as large as within a copy, which the first of an encode is not (docs/science.md). 0, the first that there
    is, where the encoder cannot, and where a cut follows so soon that it would get no key picture of its own, as it has in the copy."""
    first, step = span.counted.start, recipe.row.key_step(recipe.speed)
    place = first // step * step if step else 0
    if not recipe.row.cut_keys:
        return place
    soon = place + _soonest(span, recipe)
    return 0 if any(place < cut < soon for cut in span.cuts) else place


def _soonest(span: TreatedSpan, recipe: Recipe) -> int:
    return soonest_key(recipe.key_distance(span.format.rate))


def encode_span(
    span: TreatedSpan, recipe: Recipe, reporter: Reporter, *, key_at: int = 0
) -> tuple[list[av.Packet], float, int, bytes]:
    """Packets, seconds spent, frames, and what of the stream stands before its packets. ``key_at``: picture that is made a key picture
    besides the first; so soon after that, HEVC's encoder makes one only if told to make it an IDR, which is a few per cent larger."""
    plan = plan_for(recipe, span.format)
    encoder = av.CodecContext.create(plan.encoder, "w")
    assert isinstance(encoder, av.VideoCodecContext)
    forced = {"forced-idr": "1"} if 0 < key_at < _soonest(span, recipe) and recipe.codec == "hevc" else {}
    set_up(encoder, recipe, span.format, plan, plan.in_pass(1, None) | forced)
    encoder.flags |= Flags.global_header  # as in a file: what the stream says of itself is no part of its pictures
    encoder.open()
    lower_all_threads()
    packets: list[av.Packet] = []
    spent, frames = 0.0, 0
    for frame in span.frames():
        reporter.check()
        frame.pict_type = _KEY if frames == key_at else _ANY
        began = time.perf_counter()
        packets += encoder.encode(frame)
        spent += time.perf_counter() - began
        frames += 1
    began = time.perf_counter()
    packets += encoder.encode(None)
    return packets, spent + time.perf_counter() - began, frames, bytes(encoder.extradata or b"")


def _compare(
    whole: TreatedSpan, decoded: Iterator[av.VideoFrame], judge: DetailJudge, reporter: Reporter, crop_to: Path | None
) -> tuple[list[Compared], Judged | None]:
    shape = whole.format.geometry
    meter: SampleMeter | None = None
    found: list[Compared] = []
    shown: dict[int, NDArray[np.float32]] = {}
    middle = (whole.counted.start + whole.counted.stop) // 2
    for number, source in enumerate(whole.frames()):
        reporter.check()
        copy = next(decoded, None)
        if copy is None:
            break
        if number not in whole.counted:
            continue
        copy = as_played(copy, shape)
        meter = meter or SampleMeter(source, rate=whole.format.rate)
        found.extend(meter.feed(source, copy))
        if number in judge.numbers:
            shown[number] = plane_of(copy)
        if crop_to is not None and number == middle:
            save_crop(copy, crop_to, place=busiest_place(source))
    if meter:
        found.extend(meter.finish())
    return found, judge.judge(shown)


def decoded_again(span: TreatedSpan, recipe: Recipe, packets: list[av.Packet], header: bytes) -> Iterator[av.VideoFrame]:
    """The pictures of a copy of a span, with the colour that it was told."""
    decoder = av.CodecContext.create(recipe.row.decoder, "r")
    assert isinstance(decoder, av.VideoCodecContext)
    decoder.thread_type = "AUTO"
    decoder.width, decoder.height = span.format.geometry.width, span.format.geometry.height
    if header:
        decoder.extradata = header
    for packet in [*packets, None]:
        for frame in decoder.decode(packet):
            frame.colorspace, frame.color_range = span.format.colour.matrix, span.format.colour.range
            yield frame


def busiest_place(frame: av.VideoFrame) -> tuple[int, int]:
    """Left and top of the crop with most fine detail: there compression shows first."""
    y = luma(frame).astype(np.float32)
    detail = cv2.boxFilter(np.abs(cv2.Laplacian(y, cv2.CV_32F)), -1, (_CROP_WIDTH // 2, _CROP_HEIGHT // 2))
    half_w, half_h = min(_CROP_WIDTH, y.shape[1]) // 2, min(_CROP_HEIGHT, y.shape[0]) // 2
    # The bottom lines of a tape hold the head-switching band, which is no picture.
    inner = detail[half_h : y.shape[0] - half_h - 16 or None, half_w : y.shape[1] - half_w or None]
    if not inner.size:
        return 0, 0
    row, column = np.unravel_index(int(inner.argmax()), inner.shape)
    return int(column) // 2 * 2, int(row) // 2 * 2


def crop_of(frame: av.VideoFrame, place: tuple[int, int]) -> NDArray[np.uint8]:
    """A part of a frame, pixel for pixel; shape=(lines, columns, 3), uint8 RGB, smaller where the frame is."""
    left, top = place
    return rgb(frame)[top : top + _CROP_HEIGHT, left : left + _CROP_WIDTH]


def save_crop(frame: av.VideoFrame, path: Path, *, place: tuple[int, int]) -> None:
    """A PNG of that."""
    part = crop_of(frame, place)
    path.parent.mkdir(parents=True, exist_ok=True)
    cv2.imwrite(str(path), np.ascontiguousarray(part[..., ::-1]))
