"""Rules of how devices are joined: connectors, cables, ways of sound, who listens where."""

from __future__ import annotations

from yomikomi.core.path.catalogue import CATALOGUE, CONNECTORS, cable_for
from yomikomi.core.path.findings import AddPiece, Found, SetOption, Site, gone
from yomikomi.core.path.plan import format_at, recorded_format, sends_raw
from yomikomi.core.path.structure import Link
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.rates import rate_family


def cable_missing(site: Site) -> Found | None:
    link = site.link
    if link is None or link.cable is not None:
        return None
    out, into = site.setup.port_out(link), site.setup.port_in(link)
    best = cable_for(out.connector, into.connector)
    what = CATALOGUE[best].words if best else f"{out.words} cable"
    ends = {"source": site.setup.words(link.source), "target": site.words}
    return Found("cable missing", {"strand": site.strand, **ends, "what": what}, (AddPiece(best),) if best else (), gone(site))


def unfed(site: Site) -> Found | None:
    """A bus-powered box passes no picture, even to the screen, until its data cable feeds it (common practice, no source)."""
    if site.kind.power != "bus":
        return None
    feeding = next((link for link in site.setup.path.links if link.source == site.piece and link.cable and _feeds(site, link)), None)
    if feeding is None or site.setup.options.get((feeding.cable or "", "plugged")) != "loose":
        return None
    cable = site.setup.words(feeding.cable or "")
    return Found(
        "unfed", {"device": site.words, "cable": cable}, (SetOption((feeding.cable or "", "plugged"), "home"),), {site.strand: "none"}
    )


def _feeds(site: Site, link: Link) -> bool:
    return CONNECTORS[site.setup.port_out(link).connector].feeds


def no_sound_way(site: Site) -> Found | None:
    """The picture's cable carries no sound, and the recorder has no other way in for it."""
    path = site.setup.path
    if not site.first or path.sound or site.setup.task.silent or site.setup.reads_data or path.recorder == path.source:
        return None
    link = path.picture[0]
    out = site.setup.port_out(link)
    if "sound" in CONNECTORS[out.connector].carries and "sound" not in out.carries:
        return Found(
            "no sound sent",
            {"device": site.words, "socket": out.words},
            (AddPiece("microphone_powered"), AddPiece("cable_mic")),
            {"sound": "none"},
        )
    recorder = site.setup.words(path.recorder)
    return Found(
        "no sound input",
        {"recorder": recorder, "device": site.words},
        (AddPiece("sound_interface"), AddPiece("cable_stereo"), AddPiece("cable_usb2")),
        {"sound": "none"},
    )


def converts(site: Site) -> Found | None:
    """A box on the way turns the format into another."""
    if site.link is None or not site.kind.turns_into or site.link not in site.setup.path.picture:
        return None
    before = format_at(site.setup, site.piece)
    after = site.kind.turns_into.get(before)
    if after is None:
        return None
    return Found(
        "converts",
        {"device": site.words, "after": FORMATS[after].words, "before": FORMATS[before].words},
        (),
        {"detail": "soft", "fields": "blended"},
    )


def unpowered_microphone(site: Site) -> Found | None:
    if not site.first or site.kind.role != "microphone" or site.kind.powered_mic:
        return None
    return Found("unpowered microphone", {"device": site.words}, (AddPiece("microphone_powered"),), gone(site))


def two_clocks(site: Site) -> Found | None:
    """Sound that goes past the recorder is counted by another clock than the picture."""
    path = site.setup.path
    if not site.is_computer or site.setup.reads_data or not path.sound or path.sound[-1].target != site.piece:
        return None
    return Found("two clocks")


def takes_sound_away(site: Site) -> Found | None:
    ears = site.setup.path.ears
    if not site.first or not ears or ears[0].source != site.piece or not site.setup.port_out(ears[0]).takes_away:
        return None
    return Found("takes sound away", {"device": site.words}, (AddPiece("screen"), AddPiece("cable_hdmi")), {"sound": "none"})


def side_bars(site: Site) -> Found | None:
    """A 3:2 sensor over a 16:9 output: 1620 of 1920 columns (common practice, no source)."""
    if not site.is_recorder or site.setup.task.shape != "3:2" or site.setup.path.recorder == site.setup.path.source:
        return None
    row = FORMATS[recorded_format(site.setup)]
    return Found("side bars", {"width": row.height * 3 // 2, "height": row.height})


def squeezed(site: Site) -> Found | None:
    if not site.is_recorder or site.setup.task.shape != "16:9 squeezed":
        return None
    return Found("squeezed")


def no_corrector(site: Site) -> Found | None:
    path = site.setup.path
    if not site.is_recorder or not site.setup.task.wobbles or site.setup.reads_data:
        return None
    if any(site.setup.kind(piece).corrector for piece in (path.source, *(link.target for link in path.picture))):
        return None
    kinds = {"vhs": "vhs_corrector", "svhs": "vhs_corrector", "video8": "camcorder_8_corrector", "hi8": "camcorder_8_corrector"}
    return Found("no corrector", {}, (AddPiece(kinds.get(site.setup.task.kind, "corrector_box")),), {"wobble": True})


def head_switching(site: Site) -> Found | None:
    if not site.first or not site.setup.task.wobbles or site.setup.reads_data:
        return None
    return Found("head switching", {}, (), {"band": True})


def composite(site: Site) -> Found | None:
    link = site.link
    if link is None or link not in site.setup.path.picture or site.setup.port_out(link).connector != "composite":
        return None
    source, target = site.setup.kind(link.source), site.kind
    better = any(port.connector == "s_video" for port in source.outs("picture")) and any(
        port.connector == "s_video" for port in target.ins("picture")
    )
    if better:
        return Found("composite, S-Video there", {}, (AddPiece("cable_s_video"),), {"crawl": True})
    return Found("composite", {}, (), {"crawl": True})


def false_component(site: Site) -> Found | None:
    link = site.link
    if link is None or site.setup.port_out(link).connector != "component" or site.setup.kind(link.source).true_component:
        return None
    return Found("false component", {"source": site.setup.words(link.source)})


def disc_captured(site: Site) -> Found | None:
    if not site.first or site.setup.task.kind != "disc" or site.setup.reads_data:
        return None
    return Found("disc captured", {}, (AddPiece("disc_drive"),), {"detail": "soft"})


def marks_stay(site: Site) -> Found | None:
    if not site.first or not site.kind.always_marks:
        return None
    return Found("marks stay", {"device": site.words}, (AddPiece("camera_clean"),), {"marks": ["information"]})


def hidden_cadence(site: Site) -> Found | None:
    """A film rate inside a video rate, in fields or whole frames: the label says nothing about it."""
    if not site.is_recorder or site.setup.kind(site.setup.path.source).role != "camera" or sends_raw(site.setup):
        return None
    if rate_family(FORMATS[recorded_format(site.setup)].rate) != "30":
        return None
    return Found("hidden cadence")


def focus_rate(site: Site) -> Found | None:
    """On some bodies focus tracking over HDMI works at 24 and 25 and not at 30 (common practice, no source)."""
    link = site.setup.path.link_from(site.piece) if site.first else None
    if link is None or "focus_marks" not in site.kind.settings or not site.setup.port_out(link).connector.startswith("hdmi"):
        return None
    row = FORMATS[format_at(site.setup, link.target)]
    if row.interlaced or rate_family(row.rate) != "30":
        return None
    return Found("focus rate")


def watches_preview(site: Site) -> Found | None:
    if not site.is_computer or not site.setup.wishes.watch or site.setup.path.screen:
        return None
    return Found("watches preview", {}, (AddPiece("screen"), AddPiece("cable_hdmi")), {"screen": "late"})


def hears_preview(site: Site) -> Found | None:
    ears = site.setup.path.ears
    if not site.first or not ears or site.setup.kind(ears[0].source).role != "computer":
        return None
    return Found("hears preview", {}, (AddPiece("screen"), AddPiece("cable_hdmi")), {"ears": "late"})
