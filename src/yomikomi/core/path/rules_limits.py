"""Rules of what devices, links, drives and processors can take."""

from __future__ import annotations

from yomikomi.core.path.findings import AddPiece, Found, SetOption, Site, gone, the
from yomikomi.core.path.plan import format_at, option_of, recorded_format
from yomikomi.core.path.rates import flow_over, recorded_pixel_rate, seconds_until_full_buffer, write_limit_mbps, written_mbps
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import bit_rate_text

# 720p has 0.89 of the pixels of 1080i a second: a choice, not a loss.
_ENOUGH_PIXELS = 0.85


def cannot_take(site: Site) -> Found | None:
    """The device knows no such format."""
    if site.link is None or not site.kind.takes:
        return None
    arrives = format_at(site.setup, site.piece) if site.strand == "picture" else recorded_format(site.setup)
    if arrives in site.kind.takes:
        return None
    source = site.setup.kind(site.setup.path.source)
    both = [one for one in source.takes if one in site.kind.takes]
    if not both:
        return Found(f"{the(site.words)} cannot take {FORMATS[arrives].words}", "Take another recorder.", (), gone(site))
    best = max(both, key=lambda one: FORMATS[one].pixel_rate)
    return Found(
        f"{the(site.words)} cannot take {FORMATS[arrives].words}",
        f"Have {the(site.setup.words(site.setup.path.source))} send {FORMATS[best].words}, which both know.",
        tuple(send_changes(site, best)), gone(site),
    )  # fmt: skip


def send_changes(site: Site, format_key: str) -> list[SetOption]:
    """The source sends it, and every device that was set to something else by hand follows."""
    knobs = [(site.setup.path.source, "send"), *(knob for knob in site.setup.options if knob[1] == "standard")]
    return [SetOption(knob, format_key) for knob in knobs]


def too_narrow(site: Site) -> Found | None:
    if site.link is None:
        return None
    flow = flow_over(site.setup, site.link)
    if flow.margin is None or flow.margin >= 1 or flow.needed is None or flow.payload is None:
        return None
    out, into = site.setup.port_out(site.link), site.setup.port_in(site.link)
    need, there = bit_rate_text(flow.needed * 1e6), bit_rate_text(flow.payload * 1e6)
    if site.setup.path.twin:
        return Found(
            f"one link needs {need}, and {there} get through it", "Set the recorder to two links.",
            (SetOption((site.setup.path.recorder, "links"), "two"),), {"drops": True},
        )  # fmt: skip
    wider = "laptop_tunnel" if flow.needed > 3200 else "computer"
    adds = (AddPiece(wider), AddPiece("cable_usb3")) if "data" in out.carries else (AddPiece("cable_hdmi"),)
    return Found(
        f"this link needs {need}, and {there} get through {out.words} into {into.words}",
        "Use a faster socket and cable, or a smaller size or rate.", adds,
        {"drops": True} if site.strand == "picture" else gone(site),
    )  # fmt: skip


def tight(site: Site) -> Found | None:
    if site.link is None:
        return None
    flow = flow_over(site.setup, site.link)
    shared = "data" in site.setup.port_out(site.link).carries  # picture links belong to one device each
    if flow.margin is None or not 1 <= flow.margin < 1.2 or not shared:
        return None
    return Found(f"this link has hardly any room left: {flow.margin:.2f}× what is needed", "Keep other devices off this socket.")


def smaller_than_asked(site: Site) -> Found | None:
    """A live source sends less than the recording is wanted in."""
    if not site.first or "send" not in site.kind.all_settings:
        return None
    now, asked = FORMATS[format_at(site.setup, site.setup.path.recorder)], FORMATS[site.setup.task.picture_format]
    share = float(now.pixel_rate / asked.pixel_rate)
    if share > _ENOUGH_PIXELS:
        return None
    return Found(
        f"{now.words} is sent where {asked.words} is wanted: {100 * share:.0f} % of its pixels",
        "Take a camera and a recorder that both know it.", (), {"detail": "soft"},
    )  # fmt: skip


def card_too_slow(site: Site) -> Found | None:
    path = site.setup.path
    if site.piece != path.store or path.recorder != path.source:
        return None
    rate, limit = written_mbps(site.setup), write_limit_mbps(site.setup)
    if rate is None or limit is None or rate <= limit:
        return None
    lasts = seconds_until_full_buffer(buffer_mb=site.setup.kind(path.source).buffer_mb, rate_mbps=rate, write_mbps=limit)
    squeeze = option_of(site.setup, path.source, "raw_compression") == "none"
    changes = (SetOption((path.source, "raw_compression"), "lossless"),) if squeeze else ()
    return Found(
        f"{the(site.words)} takes {limit / 8:.0f} MB/s of the {rate / 8:.0f} MB/s needed: it stops after about {lasts:.0f} s",
        f"{'Compress losslessly, take' if squeeze else 'Take'} a faster card, or record a smaller picture.",
        (*changes, AddPiece("card_fast")),
        {"stops_after": round(lasts, 1)},
    )  # fmt: skip


def drive_too_slow(site: Site) -> Found | None:
    path = site.setup.path
    holder = path.store or path.computer
    if site.piece != holder or path.recorder == path.source:
        return None
    rate, limit = written_mbps(site.setup), write_limit_mbps(site.setup)
    if rate is not None and path.twin:
        rate /= 2  # alternate frames on two drives
    if rate is None or limit is None or rate <= limit:
        return None
    return Found(
        f"the drive takes {limit / 8:.0f} MB/s steadily and the recording needs up to {rate / 8:.0f} MB/s",
        "Record to a faster drive, or with a codec that takes less.", (AddPiece("ssd"),), {"drops": True},
    )  # fmt: skip


def drive_full(site: Site) -> Found | None:
    """The whole recording does not fit where takes are kept."""
    task, path = site.setup.task, site.setup.path
    rate = written_mbps(site.setup, worst=False) if site.is_computer else None
    if rate is None or task.free_gb is None or task.seconds is None:
        return None
    lasts = task.free_gb * 8e3 / rate
    if lasts >= task.seconds:
        return None
    codecs = [key for key, _ in site.kind.options("codec") if _fits(site, key)] if site.option("codec") != "device" else []
    codec = min(codecs, key=lambda key: -(written_mbps(site.setup.changed(((site.piece, "codec"), key)), worst=False) or 0), default="")
    other = f", or record with {site.option_words('codec', codec)}" if codec else ""
    return Found(
        f"the drive has {task.free_gb} GB left: it is full after about {spoken(lasts)} of {spoken(task.seconds)}",
        f"Make room on the drive of the workspace{other}.", (site.set_to("codec", codec),) if codec else (AddPiece("ssd"),),
        {"stops_after": round(lasts, 1)},
    ) if path.computer else None  # fmt: skip


def _fits(site: Site, codec: str) -> bool:
    """The recording would fit with another codec."""
    task = site.setup.task
    rate = written_mbps(site.setup.changed(((site.piece, "codec"), codec)), worst=False)
    known = codec in CAPTURE_CODECS and rate and task.free_gb is not None and task.seconds
    return bool(known) and (task.free_gb or 0) * 8e3 / (rate or 1) >= (task.seconds or 0)


def system_drive(site: Site) -> Found | None:
    if not site.is_computer or site.setup.reads_data or site.option("record_to") != "system":
        return None
    says, remedy = "the recording shares the system drive with everything else", "Record to a separate solid-state drive."
    if site.setup.path.store is None:
        return Found(says, remedy, (AddPiece("ssd"),))
    return Found(says, remedy, (site.set_to("record_to", "separate"),), {"drops": True})


def encoder_too_slow(site: Site) -> Found | None:
    codec = site.option("codec") if site.is_computer else None
    able = site.setup.task.pixel_rates.get(codec or "")
    if able is None or codec is None or site.setup.reads_data:
        return None
    need = recorded_pixel_rate(site.setup)
    if need <= able:
        return None
    quicker = [key for key, _ in site.kind.options("codec") if site.setup.task.pixel_rates.get(key, 0) >= need]
    return Found(
        f"this machine was measured to encode {able / need:.2f} times what {site.option_words('codec', codec)} needs here",
        "Choose a codec it can keep up with, turn the preview off, or have a recorder that compresses inside.",
        tuple(site.set_to("codec", key) for key in quicker[:1]), {"drops": True},
    )  # fmt: skip


def shares_hub(site: Site) -> Found | None:
    if site.kind.role != "hub":
        return None
    return Found(f"{the(site.words)} shares one socket among all that hangs on it", "Plug the recorder into the computer itself.")
