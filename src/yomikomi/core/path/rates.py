"""What travels over a link of a path, and what gets through it. All rates in Mb/s (10⁶ bits a second)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from yomikomi.core.path.catalogue import CONNECTORS, payload_mbps
from yomikomi.core.path.plan import RAW_LOSSLESS, format_at, option_of, recorded_format, sends_raw, sent_format
from yomikomi.core.path.structure import Link, Setup
from yomikomi.core.planning.data_rates import (
    CAPTURE_CODECS,
    PCM_BITS_PER_SECOND,
    capture_bits_per_second,
    published_bits_per_second,
    uncompressed_bits_per_second,
)
from yomikomi.core.planning.formats import FORMATS

# Bits a pixel on a digital picture link: 8-bit RGB or 4:4:4 over HDMI; 10-bit 4:2:2 over SDI (SMPTE ST 292-1).
_LINK_BITS = {"hdmi": 24, "sdi": 20}
_SOUND_MBPS = PCM_BITS_PER_SECOND / 1e6


@dataclass(frozen=True)
class Flow:
    """``needed``: None where nothing is counted in bits; ``payload``: None where the link is analogue."""

    needed: float | None
    payload: float | None

    @property
    def margin(self) -> float | None:
        """How many times what is needed gets through."""
        return self.payload / self.needed if self.needed and self.payload else None


@lru_cache(maxsize=256)
def link_mbps(format_key: str, connector: str) -> float | None:
    """What a picture link carries, with blanking; None for analogue ones."""
    bits = _LINK_BITS.get(connector.split("_", 1)[0])
    if bits is None:
        return None
    row = FORMATS[format_key]
    return float(row.raster[0] * row.raster[1] * row.rate * bits) / 1e6


def captured_mbps(setup: Setup) -> float:
    """What the recorder hands on: raw, compressed inside, or 4:2:2 at its depth with sound; 8 bits where 10 would not get through."""
    kind = setup.kind(setup.path.recorder)
    if sends_raw(setup):
        return _raw_of(setup, recorded_format(setup))
    if kind.compresses_to_mbps is not None:
        return kind.compresses_to_mbps
    if kind.compresses_as:
        row = FORMATS[recorded_format(setup)]
        return published_bits_per_second(kind.compresses_as, width=row.width, height=row.height, rate=row.rate) / 1e6
    return _uncompressed(setup, depth_of(setup))


def depth_of(setup: Setup) -> int:
    """Bits a sample that are recorded: the recorder's own, unless the way to the computer is too narrow for it."""
    own = min(setup.kind(setup.path.recorder).depth, 10)
    payload = _host_payload(setup)
    return 8 if payload is not None and _uncompressed(setup, own) > payload else own


def _uncompressed(setup: Setup, depth: int) -> float:
    row = FORMATS[recorded_format(setup)]
    bits = uncompressed_bits_per_second(width=row.width, height=row.height, rate=row.rate, depth=depth, sampling="4:2:2")
    return float(bits) / 1e6 + _SOUND_MBPS


def _host_payload(setup: Setup) -> float | None:
    found = [payload for link in setup.path.host if (payload := _payload(setup, link)) is not None]
    return min(found) if found else None


def _payload(setup: Setup, link: Link) -> float | None:
    """The slowest of output, input and cable decides."""
    names = [setup.port_out(link).connector, setup.port_in(link).connector]
    for left, right in setup.kind(link.cable).ends if link.cable else ():
        if CONNECTORS[left].carries == CONNECTORS[names[0]].carries:
            names += [left, right]
    return payload_mbps(*names)


def mosaic_mbps(format_key: str, depth: int) -> float:
    """Raw pictures: one sample of ``depth`` bits for each pixel, and nothing between the pictures."""
    return float(FORMATS[format_key].pixel_rate * depth) / 1e6


def _raw_of(setup: Setup, format_key: str) -> float:
    return mosaic_mbps(format_key, setup.kind(setup.path.source).depth)


def raw_mbps(setup: Setup) -> float:
    """A raw recording inside the camera: one sample a pixel."""
    whole = _raw_of(setup, sent_format(setup))
    squeezed = option_of(setup, setup.path.source, "raw_compression") == "lossless"
    return whole * RAW_LOSSLESS if squeezed else whole


def written_mbps(setup: Setup, *, worst: bool = True) -> float | None:
    """What the drive or card has to take at worst, or usually; None where data are copied, which may take as long as it takes."""
    if setup.reads_data:
        return None
    if setup.path.recorder == setup.path.source:
        return raw_mbps(setup)
    codec = option_of(setup, setup.path.computer, "codec") if setup.path.computer else "device"
    if codec is None or codec not in CAPTURE_CODECS:
        return captured_mbps(setup)
    row = FORMATS[recorded_format(setup)]
    width, height = _recorded_size(setup)
    rates = capture_bits_per_second(codec, width=width, height=height, rate=row.rate, measured=setup.task.codec_bits.get(codec))
    return rates[2 if worst else 1] / 1e6


def _recorded_size(setup: Setup) -> tuple[int, int]:
    row = FORMATS[recorded_format(setup)]
    return (1920, 1080) if option_of(setup, setup.path.recorder, "size") == "enlarged" else (row.width, row.height)


def recorded_pixel_rate(setup: Setup) -> float:
    """Pixels a second that the computer has to encode."""
    width, height = _recorded_size(setup)
    return float(width * height * FORMATS[recorded_format(setup)].rate)


def flow_over(setup: Setup, link: Link) -> Flow:
    """What a link carries on this path."""
    if link not in setup.memo:
        setup.memo[link] = _flow_over(setup, link)
    found: Flow = setup.memo[link]
    return found


def _flow_over(setup: Setup, link: Link) -> Flow:
    payload = _payload(setup, link)
    path = setup.path
    if link in path.host:
        return Flow(written_mbps(setup) if setup.keeps_own_record or setup.reads_data else captured_mbps(setup), payload)
    if link in path.picture or link in path.twin or link in path.second or link in path.screen:
        connector = setup.port_out(link).connector
        key = format_at(setup, link.target) if link in path.picture else recorded_format(setup)
        raw = sends_raw(setup) and setup.port_out(link).sdi and link.source == path.source
        needed = _raw_of(setup, key) if raw else link_mbps(key, connector)
        shared = path.twin and link in (*path.twin, path.picture[0]) and option_of(setup, path.recorder, "links") == "two"
        return Flow(needed / 2 if shared and needed else needed, payload)
    return Flow(_SOUND_MBPS if payload else None, payload)


def write_limit_mbps(setup: Setup) -> float | None:
    """What the drive or card takes in steadily."""
    path = setup.path
    holder = path.store
    if path.computer and option_of(setup, path.computer, "record_to") == "system":
        holder = path.computer
    found = setup.kind(holder).write_mb_s if holder else None
    return found * 8 if found else None


def seconds_until_full_buffer(*, buffer_mb: float, rate_mbps: float, write_mbps: float) -> float:
    """Card-limited recording: buffer ÷ (rate − write rate), in seconds (common practice, no source)."""
    return buffer_mb * 8 / (rate_mbps - write_mbps)
