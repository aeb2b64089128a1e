"""A copy from start to proof, as one job."""

from __future__ import annotations

from yomikomi.core.copying.checks import outlet_check
from yomikomi.core.copying.encode import encode
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

_SAFE = "The take is untouched."


def make_copy(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Encode (or copy untouched) and verify. Only a copy that passes every check gets the name that was asked for; one that fails is kept
    under a name that says so, and a person decides. Stopped at any moment, nothing is left.

    Raises what :func:`encode` raises, NameTakenError, UnfinishedError where the take is not the one that was read.
    """
    request, reading = request.sized, request.reading
    check_current(request.path, reading, reporter.check)
    if request.recipe.untouched:
        return copy_untouched(request, reporter)
    with new_file(request.target, safe=_SAFE) as made:
        watch = LoadWatch()
        encoded = encode(request, made.part, reporter)
        quiet = watch.load().quiet_part
        expected = Expected(
            encoded=encoded, treated=chain_for(reading, request.treatment).format,
            seconds=length_of(reading, request.treatment), container=request.recipe.container, source=request.path,
            source_content=reading.content,
        )  # fmt: skip
        checks = [*verify(expected, reporter), *outlet_check(made.part, request.recipe.container, request.outlet, reporter)]
        verified = all(check.passed for check in checks)
        kept = made.keep(None if verified else unverified_name(request.target))
    return CopyResult(
        file=kept.name,
        size_bytes=encoded.size_bytes,
        frames=encoded.frames,
        duration_seconds=round(float(encoded.frames / encoded.rate), 6),
        encode_seconds=round(encoded.seconds, 3),
        machine=machine_name(),
        quiet_part=round(quiet, 3),
        verified=verified,
        checks=checks,
        source_damage=encoded.damage,
        filled=encoded.filled,
        dropped=encoded.dropped,
        not_carried=list(encoded.not_carried),
    )


__all__ = ["CopyProgress", "CopyRequest", "CopyResult", "make_copy"]
