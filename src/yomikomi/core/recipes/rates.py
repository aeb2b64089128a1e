"""What rules the size of the pictures: the kinds of rate that a recipe can ask for."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.video.units import bit_rate_text, size_text

# Seconds of data that a player is taken to hold: what H.264's and HEVC's levels count with (Annexes A and C), a second.
BUFFER_SECONDS = 1


# A target size is a promise ("it fits"), so the aim lies a little under it.
SIZE_AIM = 0.99


class _Rate(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class ConstantQuality(_Rate):
    """The rate follows the picture."""

    kind: Literal["quality"] = "quality"
    quality: int = Field(description="smaller is better and larger in bytes", ge=0, le=63)

    @property
    def words(self) -> str:
        return f"quality {self.quality}"


class CappedQuality(_Rate):
    """The same up to a rate that is never exceeded over :data:`BUFFER_SECONDS`."""

    kind: Literal["capped"] = "capped"
    quality: int = Field(ge=0, le=63)
    cap_kbps: int = Field(ge=50, le=800_000)

    @property
    def words(self) -> str:
        return f"quality {self.quality}, at most {bit_rate_text(1000 * self.cap_kbps)}"


class AverageRate(_Rate):
    """So much over the whole copy, hard parts more than easy ones."""

    kind: Literal["average"] = "average"
    kbps: int = Field(ge=50, le=800_000)
    passes: Literal[1, 2] = 2

    @property
    def words(self) -> str:
        return f"{bit_rate_text(1000 * self.kbps)} on average, {'two passes' if self.passes == 2 else 'one pass'}"


class TargetSize(_Rate):
    """The whole file, sound and container included."""

    kind: Literal["size"] = "size"
    size_bytes: int = Field(ge=10_000)

    @property
    def words(self) -> str:
        return f"{size_text(self.size_bytes)} in all"


class ConstantRate(_Rate):
    """The same rate all through, filled up where the picture needs less."""

    kind: Literal["constant"] = "constant"
    kbps: int = Field(ge=50, le=800_000)

    @property
    def words(self) -> str:
        return f"{bit_rate_text(1000 * self.kbps)} constant"


class Lossless(_Rate):
    """Every sample as it went in."""

    kind: Literal["lossless"] = "lossless"

    @property
    def words(self) -> str:
        return "lossless"


class Untouched(_Rate):
    """Nothing is encoded: the take's own packets in another container. ``exact``: a part begins and ends where it was asked for, and what
    lies there outside of whole groups of pictures is encoded."""

    kind: Literal["untouched"] = "untouched"
    exact: bool = False

    @property
    def words(self) -> str:
        return "streams copied untouched, cut exactly" if self.exact else "streams copied untouched"


Rate = Annotated[
    ConstantQuality | CappedQuality | AverageRate | TargetSize | ConstantRate | Lossless | Untouched, Field(discriminator="kind")
]
RateKind = Literal["quality", "capped", "average", "size", "constant", "lossless", "untouched"]
