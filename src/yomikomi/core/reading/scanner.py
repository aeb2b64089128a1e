"""Reading a file: one pass, and the document that comes of it."""

from __future__ import annotations

from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.assembling import assemble
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.taking import MOST_SAMPLES, Pass, ReadProgress, ReadRequest
from yomikomi.core.video.media import probe
from yomikomi.core.work import Reporter

__all__ = ["ReadProgress", "ReadRequest", "read"]


def read(request: ReadRequest, reporter: Reporter) -> Reading:
    """Measure a file in one pass. Raises UnreadableError or CancelledError; a damaged file is read as far as it goes."""
    info = probe(request.path)
    if info.geometry.width * info.geometry.height > MOST_SAMPLES:
        raise UnreadableError(
            f"{info.path.name} claims pictures of {info.geometry.width} × {info.geometry.height}.",
            remedy="No camera makes such; its header is damaged: copy the file again.",
            path=info.path,
        )
    one = Pass(request, info, reporter)
    one.run()
    if not one.stamps:
        raise UnreadableError(f"No frame of {info.path.name} can be decoded.", remedy="Copy it again.", path=info.path)
    return assemble(one)
