"""Copying a take's own packets into another file: nothing is encoded, and nothing can be lost.

Where a part is asked for, it begins at the key picture before and ends before the key picture behind; or, where it is wanted exactly, the
pictures between its ends and the nearest key pictures inside are encoded. What was written is read again and held against what was read,
packet by packet; where the new container wraps packets otherwise (start codes become lengths), the decoded pictures and sound are held
against each other instead.
"""

from __future__ import annotations

import time
from fractions import Fraction
from pathlib import Path

from yomikomi.core.balance.leaving import why_not_untouched
from yomikomi.core.copying.checks import index_check, outlet_check, source_check
from yomikomi.core.copying.containers import open_copy
from yomikomi.core.copying.copied_streams import CopiedStreams
from yomikomi.core.copying.exact_ends import ExactStreams
from yomikomi.core.copying.made import Made
from yomikomi.core.copying.packet_proof import same_packets
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.rates import Untouched
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media
from yomikomi.core.work import Reporter


def copy_untouched(request: CopyRequest, part: Path, reporter: Reporter) -> Made:
    """Into ``part``, an empty file. Raises WrongUseError where a treatment needs an encode; OSError for the drive, and what the library
    says of packets that do not fit."""
    reading = request.reading
    reason = why_not_untouched(request.treatment, reading)
    if reason is not None:
        raise WrongUseError(f"The streams cannot be copied untouched: {reason}.", remedy="Encode, or leave the treatment out.")
    kind, started = request.recipe.container, time.monotonic()
    with open_media(request.path) as source, open_copy(part, kind) as sink:
        exact = isinstance(request.recipe.rate, Untouched) and request.recipe.rate.exact
        copied = (ExactStreams if exact else CopiedStreams)(source, sink, request, reporter)
        copied.run()
    geometry = reading.geometry
    if kind == "mkv":
        set_display_shape(part, Geometry(geometry.width, geometry.height, Fraction(geometry.sample_aspect)))
    spent = time.monotonic() - started
    checks = [
        *copied.own_checks(part), *same_packets(copied, request, part, reporter), index_check(part, kind),
        *source_check(request.path, reading.content, reporter), *outlet_check(part, kind, request.outlet, reporter),
    ]  # fmt: skip
    pictures = copied.tracks[copied.picture_index]
    return Made(
        size_bytes=part.stat().st_size, frames=pictures.packets + sum(copied.encoded), duration_seconds=round(copied.seconds, 6),
        encode_seconds=round(spent, 3), checks=checks, not_carried=copied.left, source_damage=reading.damage,
    )  # fmt: skip
