"""Rules of what devices, links, drives and processors can take."""

from __future__ import annotations

from yomikomi.core.path.findings import AddPiece, Found, SetOption, Site, gone
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
        return Found("cannot take, nothing shared", {"device": site.words, "arrives": FORMATS[arrives].words}, (), gone(site))
    best = max(both, key=lambda one: FORMATS[one].pixel_rate)
    return Found(
        "cannot take",
        {
            "device": site.words,
            "arrives": FORMATS[arrives].words,
            "source": site.setup.words(site.setup.path.source),
            "best": FORMATS[best].words,
        },
        tuple(send_changes(site, best)),
        gone(site),
    )


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
            "one link too narrow", {"need": need, "there": there}, (SetOption((site.setup.path.recorder, "links"), "two"),), {"drops": True}
        )
    wider = "laptop_tunnel" if flow.needed > 3200 else "computer"
    adds = (AddPiece(wider), AddPiece("cable_usb3")) if "data" in out.carries else (AddPiece("cable_hdmi"),)
    return Found(
        "too narrow",
        {"need": need, "there": there, "socket": out.words, "into": into.words},
        adds,
        {"drops": True} if site.strand == "picture" else gone(site),
    )


def tight(site: Site) -> Found | None:
    if site.link is None:
        return None
    flow = flow_over(site.setup, site.link)
    shared = "data" in site.setup.port_out(site.link).carries  # picture links belong to one device each
    if flow.margin is None or not 1 <= flow.margin < 1.2 or not shared:
        return None
    return Found("tight", {"margin": flow.margin})


def smaller_than_asked(site: Site) -> Found | None:
    """A live source sends less than the recording is wanted in."""
    if not site.first or "send" not in site.kind.all_settings:
        return None
    now, asked = FORMATS[format_at(site.setup, site.setup.path.recorder)], FORMATS[site.setup.task.picture_format]
    share = float(now.pixel_rate / asked.pixel_rate)
    if share > _ENOUGH_PIXELS:
        return None
    return Found("smaller than asked", {"sent": now.words, "asked": asked.words, "share": 100 * share}, (), {"detail": "soft"})


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
    says = "card too slow, can compress" if squeeze else "card too slow"
    figures = {"device": site.words, "limit": limit / 8, "rate": rate / 8, "lasts": lasts}
    return Found(says, figures, (*changes, AddPiece("card_fast")), {"stops_after": round(lasts, 1)})


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
    return Found("drive too slow", {"limit": limit / 8, "rate": rate / 8}, (AddPiece("ssd"),), {"drops": True})


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
    if path.computer is None:
        return None
    figures = {"free": task.free_gb, "lasts": spoken(lasts), "whole": spoken(task.seconds)}
    effect = {"stops_after": round(lasts, 1)}
    if not codec:
        return Found("drive full", figures, (AddPiece("ssd"),), effect)
    figures["codec"] = site.option_words("codec", codec)
    return Found("drive full, codec fits", figures, (site.set_to("codec", codec),), effect)


def _fits(site: Site, codec: str) -> bool:
    """The recording would fit with another codec."""
    task = site.setup.task
    rate = written_mbps(site.setup.changed(((site.piece, "codec"), codec)), worst=False)
    known = codec in CAPTURE_CODECS and rate and task.free_gb is not None and task.seconds
    return bool(known) and (task.free_gb or 0) * 8e3 / (rate or 1) >= (task.seconds or 0)


def system_drive(site: Site) -> Found | None:
    if not site.is_computer or site.setup.reads_data or site.option("record_to") != "system":
        return None
    if site.setup.path.store is None:
        return Found("system drive", {}, (AddPiece("ssd"),))
    return Found("system drive", {}, (site.set_to("record_to", "separate"),), {"drops": True})


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
        "encoder too slow",
        {"headroom": able / need, "codec": site.option_words("codec", codec)},
        tuple(site.set_to("codec", key) for key in quicker[:1]),
        {"drops": True},
    )


def shares_hub(site: Site) -> Found | None:
    if site.kind.role != "hub":
        return None
    return Found("shares hub", {"device": site.words})
