"""Rules of settings that do not go with the path: inputs, standards, ranges, levels, delays."""

from __future__ import annotations

from yomikomi.core.path.findings import Found, SetOption, Site, gone
from yomikomi.core.path.plan import format_at, goes_past_camera, matrix_in, option_of, planned, recorded_format, sends_raw
from yomikomi.core.planning.formats import FORMATS

# Sound that comes early or late by less is not noticed (ITU-R BT.1359: 45 ms early, 125 ms late; from memory).
_NOTICED_MS = 45


def wrong_input(site: Site) -> Found | None:
    link = site.link
    chosen = site.option("input")
    if link is None or chosen is None or chosen == link.into:
        return None
    if link.into not in dict(site.kind.options("input")):
        return None  # sound that comes in beside the pictures that are switched
    want = site.setup.port_in(link).words
    effect = {"picture": "blue"} if site.strand == "picture" else gone(site)
    return Found(
        "wrong input",
        {"device": site.words, "chosen": site.option_words("input", chosen), "want": want},
        (site.set_to("input", link.into),),
        effect,
    )


def wrong_output(site: Site) -> Found | None:
    link = site.setup.path.link_from(site.piece)
    chosen = site.option("output")
    if link is None or chosen is None or chosen == link.out:
        return None
    want = site.setup.port_out(link).words
    return Found(
        "wrong output",
        {"device": site.words, "chosen": site.option_words("output", chosen), "want": want},
        (site.set_to("output", link.out),),
        {"picture": "blue"},
    )


def wrong_standard(site: Site) -> Found | None:
    chosen = site.option("standard")
    if chosen is None or site.link is None:
        return None
    arrives = format_at(site.setup, site.piece)
    if arrives not in site.kind.takes or chosen == arrives:
        return None
    return Found(
        "wrong standard",
        {"device": site.words, "chosen": FORMATS[chosen].words, "arrives": FORMATS[arrives].words},
        (site.set_to("standard", arrives),),
        {"picture": "torn"},
    )


def range_differs(site: Site) -> Found | None:
    if not site.is_recorder:
        return None
    source = site.setup.path.source
    sends_full = "range_out" in site.setup.kind(source).settings and option_of(site.setup, source, "range_out") == "full"
    takes_full = site.option("range") == "full"
    if site.option("range") is None or sends_full == takes_full:
        return None
    want, other = ("full", "limited") if sends_full else ("limited", "full")
    return Found(
        "range differs",
        {"source": site.setup.words(source), "want": want, "device": site.words, "other": other},
        (site.set_to("range", want),),
        {"levels": "crushed" if sends_full else "washed out"},
    )


def order_differs(site: Site) -> Found | None:
    """The field order follows from the path, and is set to something else."""
    chosen, wanted = site.option("field_order"), planned(site.setup, site.piece, "field_order")
    if wanted is None or chosen is None or chosen == wanted.option:
        return None
    now, right = (site.option_words("field_order", one) for one in (chosen, wanted.option))
    figures = {"device": site.words, "chosen": now, "right": right, "why": wanted.why}
    return Found("field order differs", figures, (site.set_to("field_order", wanted.option),), {"order": "swapped"})


def matrix_differs(site: Site) -> Found | None:
    """The program works with another matrix than the picture that comes is in."""
    chosen, wanted = site.option("matrix"), planned(site.setup, site.piece, "matrix")
    if wanted is None or chosen is None:
        return None
    right = matrix_in(site.setup)
    if chosen == right:
        return None
    now, want = site.option_words("matrix", chosen), site.option_words("matrix", right)
    return Found("matrix differs", {"device": site.words, "now": now, "want": want}, (site.set_to("matrix", right),), {"colours": "wrong"})


def raw_not_taken(site: Site) -> Found | None:
    if not site.is_recorder or site.kind.takes_raw or not sends_raw(site.setup):
        return None
    return Found("raw not taken", {"device": site.words}, (SetOption((site.setup.path.source, "signal"), "video"),), {"picture": "none"})


def blends(site: Site) -> Found | None:
    if not site.is_recorder or site.option("deinterlace") != "blend":
        return None
    undo = (site.set_to("deinterlace", "none"),) if planned(site.setup, site.piece, "deinterlace") else ()
    return Found("blends", {"device": site.words}, undo, {"fields": "blended"})


def enlarges(site: Site) -> Found | None:
    if not site.is_recorder or site.option("size") != "enlarged":
        return None
    return Found(
        "enlarges",
        {"device": site.words},
        (site.set_to("size", "native"),),
        {"detail": "soft", "fields": "combed" if interlaced(site) else "kept"},
    )


def interlaced(site: Site) -> bool:
    return FORMATS[recorded_format(site.setup)].interlaced and site.option("deinterlace") != "blend"


def level_differs(site: Site) -> Found | None:
    if site.strand not in {"sound", "commentary"}:
        return None
    chosen, wanted = site.option("level"), planned(site.setup, site.piece, "level")
    if wanted is None or chosen is None:
        return None
    right = "mic" if wanted.option == "mic" else "consumer"
    if chosen == right:
        return None
    # A microphone's gain clips what comes from a line. What gives −10 dBV (0.316 V) reads 11.8 dB too low at an input for +4 dBu (1.228 V).
    hot = chosen == "mic"
    return Found(
        "level differs",
        {"device": site.words, "chosen": site.option_words("level", chosen), "right": site.option_words("level", right)},
        (site.set_to("level", right),),
        {"level": "hot" if hot else "quiet"},
    )


def sound_ahead(site: Site) -> Found | None:
    if not site.is_recorder or not goes_past_camera(site.setup) or site.option("sound_delay") == "matched":
        return None
    lead = site.setup.kind(site.setup.path.source).lead_ms
    if lead < _NOTICED_MS:
        return None
    fix = (site.set_to("sound_delay", "matched"),) if "sound_delay" in site.kind.settings else ()
    return Found("sound ahead", {"lead": lead}, fix, {"sound_lead_ms": lead})


def sound_behind(site: Site) -> Found | None:
    if not site.is_recorder or goes_past_camera(site.setup) or site.option("sound_delay") != "matched":
        return None
    return Found("sound behind", {"device": site.words}, (site.set_to("sound_delay", "none"),), {"sound_lead_ms": -200})


def silent_input(site: Site) -> Found | None:
    chosen, wanted = site.option("sound_input"), planned(site.setup, site.piece, "sound_input")
    if wanted is None or chosen is None or chosen == wanted.option:
        return None
    return Found(
        "silent input",
        {"chosen": site.option_words("sound_input", chosen), "right": site.option_words("sound_input", wanted.option)},
        (site.set_to("sound_input", wanted.option),),
        {"sound": "none"},
    )


def interlaced_sport(site: Site) -> Found | None:
    path, wishes = site.setup.path, site.setup.wishes
    if not site.first or not wishes.fast_sport or site.piece != path.source or "send" not in site.kind.all_settings:
        return None
    now = format_at(site.setup, path.recorder)
    fast = "720p50" if FORMATS[now].rate in {25, 50} else "720p59.94"
    if not FORMATS[now].interlaced or fast not in site.kind.takes or fast not in site.setup.kind(path.recorder).takes:
        return None
    return Found("interlaced sport", {"fast": FORMATS[fast].words}, (site.set_to("send", fast),))


def two_links(site: Site) -> Found | None:
    if site.option("links") != "two":
        return None
    if site.setup.path.twin:
        return Found("two links needed")
    return Found("two links", {}, (site.set_to("links", "one"),))
