"""What capture codecs, uncompressed pictures and sound take, in bits a second."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict

from yomikomi.core.planning.data_files import load

Sampling = Literal["4:4:4", "4:2:2", "4:2:0", "4:0:0"]

# Samples for each pixel, luma and both chroma together (ITU-R BT.601 naming of sampling families).
SAMPLES_PER_PIXEL: dict[str, Fraction] = {
    "4:4:4": Fraction(3), "4:2:2": Fraction(2), "4:2:0": Fraction(3, 2), "4:0:0": Fraction(1),
}  # fmt: skip


def pcm_bits_per_second(*, sample_rate: int, depth: int, channels: int) -> int:
    return sample_rate * depth * channels


# PCM as this program records it at most, and AAC at a usual rate. Bits a second. Sources of 16 bits take a third less of it.
PCM_BITS_PER_SECOND = pcm_bits_per_second(sample_rate=48_000, depth=24, channels=2)
AAC_BITS_PER_SECOND = 320_000


class CaptureCodec(BaseModel):
    """A row of ``data/capture_codecs.toml``, where each field is explained. ``bits_per_pixel``: low, usual, high, for each
    pixel of each picture. What begins with ``deep_`` counts for samples of more than 8 bits, where it differs."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    use: str = ""
    bits_per_pixel: tuple[float, float, float]
    clean: float | None = None
    published: tuple[tuple[int, float], ...] = ()
    sound: Literal["pcm", "aac"]
    encoder: str
    container: Literal["matroska", "mov", "nut"]
    suffix: str
    formats: tuple[str, str]
    fields: Literal["flags", "ildct", "params", "none"]
    options: dict[str, str] = {}
    deep_encoder: str = ""
    deep_container: Literal["matroska", "mov", "nut", ""] = ""
    deep_suffix: str = ""
    deep_options: dict[str, str] = {}
    lossless: bool = False
    whole: bool = True
    crf: int | None = None
    measured: bool = False

    @property
    def words(self) -> str:
        """Its name, and what it is good for."""
        return f"{self.name}, {self.use}" if self.use else self.name

    @property
    def sound_bits_per_second(self) -> int:
        return PCM_BITS_PER_SECOND if self.sound == "pcm" else AAC_BITS_PER_SECOND

    def takes(self, bits: int) -> bool:
        """Whether samples of so many bits can be recorded without losing some of them."""
        return bool(self.formats[bits > 8])


CAPTURE_CODECS: dict[str, CaptureCodec] = {key: CaptureCodec.model_validate(row) for key, row in load("capture_codecs").items()}
DEFAULT_CAPTURE_CODEC = "ffv1"


def uncompressed_bits_per_pixel(*, depth: int, sampling: str) -> Fraction:
    return depth * SAMPLES_PER_PIXEL[sampling]


def uncompressed_bits_per_second(*, width: int, height: int, rate: Fraction, depth: int, sampling: str) -> Fraction:
    """Pictures of ``width`` x ``height`` at ``rate`` with ``depth`` bits a sample, tightly packed."""
    return width * height * rate * uncompressed_bits_per_pixel(depth=depth, sampling=sampling)


_MOST_ANALOGUE_LINES = 576
# How far another take of the kind may be off (docs/science.md): tapes and analogue discs by 13 % at most, since their noise is most
# of what is kept; of clean pictures the two halves of one clip differed by up to 42 %.
_LIKE_TAPES, _LIKE_OTHERS = 0.15, 0.5


def capture_bits_per_second(
    codec: str, *, width: int, height: int, rate: Fraction, measured: float | None = None
) -> tuple[float, float, float]:
    """Low, usual and high rate of a capture codec with its usual sound, in bits a second; ``measured``: bits a pixel that it took of
    pictures like these."""
    row = CAPTURE_CODECS[codec]
    pixels = float(width * height * rate)
    if measured is not None:
        usual = measured * pixels + row.sound_bits_per_second
        spread = _LIKE_TAPES if height <= _MOST_ANALOGUE_LINES else _LIKE_OTHERS
        return usual * (1 - spread), usual, usual * (1 + spread)
    low, usual, high = (bits * pixels + row.sound_bits_per_second for bits in row.bits_per_pixel)
    if row.clean is not None and height > _MOST_ANALOGUE_LINES:
        low = row.clean * pixels + row.sound_bits_per_second
    return low, usual, high


def published_bits_per_second(codec: str, *, width: int, height: int, rate: Fraction) -> float:
    """What a recorder that compresses inside makes of it: the publisher's target with the usual sound, in bits a second.

    Raises KeyError for a codec without published targets.
    """
    row = CAPTURE_CODECS[codec]
    bits = next((bits for lines, bits in row.published if height <= lines), None)
    if bits is None:
        raise KeyError(codec)
    return float(width * height * rate) * bits + row.sound_bits_per_second
