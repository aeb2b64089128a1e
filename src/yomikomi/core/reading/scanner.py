"""Reading a file: one pass, and the document that comes of it."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor, wait
from pathlib import Path

from yomikomi.core.errors import CancelledError, UnfinishedError, UnreadableError
from yomikomi.core.reading.assembling import assemble
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.taking import MOST_SAMPLES, Pass, ReadProgress, ReadRequest
from yomikomi.core.video.damage import count_damage
from yomikomi.core.video.identity import content_hash, identify
from yomikomi.core.video.media import describe_failure, probe
from yomikomi.core.work import Reporter

__all__ = ["ReadProgress", "ReadRequest", "read"]


@contextlib.contextmanager
def _hashing(path: Path) -> Iterator[Future[str]]:
    """All bytes of the file, hashed beside the pass: it waits for the drive, not for a processor."""
    stop = threading.Event()

    def check() -> None:
        if stop.is_set():
            raise CancelledError("Not wanted any more.")

    with ThreadPoolExecutor(1, "hashing") as pool:
        try:
            yield pool.submit(content_hash, path, check)
        finally:
            stop.set()


def _waited_for(hashed: Future[str], reporter: Reporter) -> str:
    """Raises OSError where the file could not be read, CancelledError."""
    while not hashed.done():
        reporter.check()
        wait([hashed], timeout=0.1)
    return hashed.result()


def read(request: ReadRequest, reporter: Reporter) -> Reading:
    """Measure a file in one pass. Raises UnreadableError or CancelledError; a damaged file is read as far as it goes. Raises
    UnfinishedError where the file changed meanwhile: what was measured then fits neither the old nor the new."""
    info = probe(request.path)
    if info.geometry.width * info.geometry.height > MOST_SAMPLES:
        raise UnreadableError(
            f"{info.path.name} claims pictures of {info.geometry.width} × {info.geometry.height}.",
            remedy="No camera makes such; its header is damaged: copy the file again.",
            path=info.path,
        )
    whole = request.mode == "full" and request.most_seconds is None
    one = Pass(request, info, reporter)
    content = None
    try:
        before = after = identify(request.path)
        with _hashing(request.path) as hashed:
            one.run()
            if not one.stamps:
                raise UnreadableError(f"No frame of {info.path.name} can be decoded.", remedy="Copy it again.", path=info.path)
            if one.damage.any and whole:
                one.damage = count_damage(request.path, reporter.check)
            # A name or a drive that vanished at the end costs none of what was measured.
            with contextlib.suppress(OSError):
                content = _waited_for(hashed, reporter) if whole else None
                after = identify(request.path)
    except OSError as error:
        raise describe_failure(request.path, error) from error
    if (before.size, before.written_ns, before.inode) != (after.size, after.written_ns, after.inode):
        raise UnfinishedError(
            f"{info.path.name} changed while it was read.", remedy="Wait until it is finished, then read it again.", path=info.path
        )
    return assemble(one).model_copy(update={"identity": after, "content": content})
