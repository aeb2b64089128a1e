"""The first of two passes: every treated picture through the encoder, which leaves behind how hard each of them is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import av

from yomikomi.core.recipes.plan import EncoderPlan, set_up
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.chain import Chain
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.damage import Decoder, use_threads
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.work.priority import lower_all_threads


def kept_pictures(frames: Iterable[av.VideoFrame], timing: Timing) -> Iterator[av.VideoFrame]:
    """Those of a chain's pictures that a copy holds, numbered."""
    for frame in frames:
        if timing.cut:
            number = timing.kept.number(frame.pts or 0)
            if number is None:
                continue
            frame.pts = number
        yield frame


def first_pass(
    path: Path, chain: Chain, timing: Timing, recipe: Recipe, plan: EncoderPlan, stats: Path, tell: Callable[[int], None]
) -> None:
    """Run it; ``stats``: the file that is left. ``tell`` is called with the number of pictures so far, and may raise to stop."""
    encoder = av.CodecContext.create(plan.encoder, "w")
    assert isinstance(encoder, av.VideoCodecContext)
    set_up(encoder, recipe, chain.format, plan, plan.in_pass(1, stats))
    encoder.open(strict=False)
    lower_all_threads()
    done = 0
    with open_media(path) as source:
        picture = video_stream(source, path)
        use_threads(picture, exact=True)
        with Decoder(source, [picture], path, lambda: tell(done)) as decoder:
            for frame in (*decoder.frames(), None):
                given = frame[1] if frame is not None else None
                assert given is None or isinstance(given, av.VideoFrame)
                for treated in kept_pictures(chain.push(given), timing):
                    encoder.encode(treated)
                    done += 1
                    tell(done)
                if timing.cut and done >= timing.frames:
                    break
    encoder.encode(None)
