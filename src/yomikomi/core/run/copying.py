"""A copy from start to proof, as one job."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.run.encode import CopyProgress, CopyRequest, encode
from yomikomi.core.run.verify import Check, Expected, verify
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.work import Reporter


class CopyResult(BaseModel):
    """What came out."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    duration_seconds: float
    encode_seconds: float = Field(description="wall-clock time of treating and encoding, without verification")
    verified: bool
    checks: list[Check]


def make_copy(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Encode and verify. A copy that fails a check is kept, marked as not verified: a person decides."""
    encoded = encode(request, reporter)
    reading = request.reading
    treated = chain_for(reading, request.treatment).format
    expected = Expected(
        encoded=encoded,
        treated=treated,
        seconds=reading.duration_seconds,
        sounds=tuple((sound.ends_at, sound.peak_db) for sound in reading.sound if sound.seconds > 0),
        container=request.recipe.container,
    )
    checks = verify(expected, reporter)
    return CopyResult(
        file=encoded.path.name,
        size_bytes=encoded.size_bytes,
        frames=encoded.frames,
        duration_seconds=round(float(encoded.frames / encoded.rate), 6),
        encode_seconds=round(encoded.seconds, 3),
        verified=all(check.passed for check in checks),
        checks=checks,
    )


__all__ = ["CopyProgress", "CopyRequest", "CopyResult", "make_copy"]
