"""A copy from start to proof: written into a part file, proven there, and only then given its name."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.capture.cutting import container_errors
from yomikomi.core.copying.checks import outlet_check
from yomikomi.core.copying.encode import encode
from yomikomi.core.copying.kept_detail import DetailGauge
from yomikomi.core.copying.made import Made, Proof
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.copying.result import CopyResult, unverified_name
from yomikomi.core.copying.untouched import copy_untouched
from yomikomi.core.copying.verify import Expected, verify
from yomikomi.core.reading.current import check_current
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.timing import length_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.load import LoadWatch
from yomikomi.core.work.new_file import new_file
from yomikomi.core.work.processors import machine_name

SAFE = "The take is untouched."


def make_copy(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Encode (or copy untouched) and verify, as one job. Only a copy that passes every check gets the name that was asked for; one that
    fails is kept under a name that says so, and a person decides. Stopped at any moment, nothing is left.

    Raises what :func:`encode` raises, NameTakenError, UnfinishedError where the take is not the one that was read.
    """
    check_current(request.path, request.reading, reporter.check)
    with new_file(request.target, safe=SAFE) as part:
        made = write_copy(request, part.part, reporter)
        proof = prove_copy(request, made, reporter)
        kept = part.keep(None if proof.passed else unverified_name(request.target))
    return made.result(kept.name, proof)


def write_copy(request: CopyRequest, part: Path, reporter: Reporter, chunks: Path | None = None) -> Made:
    """Encode, or copy untouched, into ``part``, an empty file. The take must have been looked at (:func:`check_current`). ``chunks``: see
    :func:`encode`.

    Raises what :func:`encode` raises; OSError for the drive.
    """
    request = request.sized
    if request.recipe.untouched:
        with container_errors(request.target):
            return copy_untouched(request, part, reporter)
    watch = LoadWatch()
    encoded = encode(request, part, reporter, chunks)
    quiet = watch.load().quiet_part
    return Made(
        size_bytes=encoded.size_bytes,
        frames=encoded.frames,
        duration_seconds=round(float(encoded.frames / encoded.rate), 6),
        encode_seconds=round(encoded.seconds, 3),
        machine=machine_name(),
        quiet_part=round(quiet, 3),
        source_damage=encoded.damage,
        filled=encoded.filled,
        dropped=encoded.dropped,
        not_carried=list(encoded.not_carried),
        encoded=encoded,
    )


def prove_copy(asked: CopyRequest, made: Made, reporter: Reporter) -> Proof:
    """All that is checked and measured of a written copy. Raises CancelledError."""
    request, reading = asked.sized, asked.reading
    if made.encoded is None:
        return Proof(checks=made.checks)
    expected = Expected(
        encoded=made.encoded, treated=chain_for(reading, request.treatment).format, seconds=length_of(reading, request.treatment),
        container=request.recipe.container, source=request.path, source_content=reading.content,
    )  # fmt: skip
    gauge = DetailGauge(asked, reporter.check)
    checks = [*verify(expected, reporter, gauge), *outlet_check(made.encoded.path, request.recipe.container, request.outlet, reporter)]
    return Proof(checks=checks, detail=gauge.found())


__all__ = ["CopyProgress", "CopyRequest", "CopyResult", "make_copy", "prove_copy", "write_copy"]
