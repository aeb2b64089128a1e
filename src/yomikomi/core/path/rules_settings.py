"""Rules of settings that do not go with the path: inputs, standards, ranges, levels, delays."""

from __future__ import annotations

from yomikomi.core.path.findings import Check, Found, SetOption, Site, gone, the
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
        f"{the(site.words)} looks at {site.option_words('input', chosen)}, but the cable ends at {want}",
        f"Set its input to {want}.", (site.set_to("input", link.into),), effect,
    )  # fmt: skip


def wrong_output(site: Site) -> Found | None:
    link = site.setup.path.link_from(site.piece)
    chosen = site.option("output")
    if link is None or chosen is None or chosen == link.out:
        return None
    want = site.setup.port_out(link).words
    return Found(
        f"{the(site.words)} sends its picture to {site.option_words('output', chosen)}, but the cable begins at {want}",
        f"Set its output to {want}.", (site.set_to("output", link.out),), {"picture": "blue"},
    )  # fmt: skip


def wrong_standard(site: Site) -> Found | None:
    chosen = site.option("standard")
    if chosen is None or site.link is None:
        return None
    arrives = format_at(site.setup, site.piece)
    if arrives not in site.kind.takes or chosen == arrives:
        return None
    return Found(
        f"{the(site.words)} is set to {FORMATS[chosen].words}, but {FORMATS[arrives].words} arrives",
        f"Set its standard to {FORMATS[arrives].words}.", (site.set_to("standard", arrives),), {"picture": "torn"},
    )  # fmt: skip


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
        f"{the(site.setup.words(source))} sends {want} range and {the(site.words)} takes it for {other}",
        f"Set the range of {the(site.words)} to {want}.", (site.set_to("range", want),),
        {"levels": "crushed" if sends_full else "washed out"},
    )  # fmt: skip


def differs_from_plan(key: str, effect: dict[str, object], says: str) -> Check:
    """A setting that follows from the path and is at something else."""

    def check(site: Site) -> Found | None:
        chosen, wanted = site.option(key), planned(site.setup, site.piece, key)
        if wanted is None or chosen is None or chosen == wanted.option:
            return None
        return Found(
            f"{the(site.words)} {says.format(site.option_words(key, chosen))}",
            f"Set it to {site.option_words(key, wanted.option)}. {wanted.why}",
            (site.set_to(key, wanted.option),), effect,
        )  # fmt: skip

    return check


order_differs = differs_from_plan("field_order", {"order": "swapped"}, "takes the fields for {}")


def matrix_differs(site: Site) -> Found | None:
    """The program works with another matrix than the picture that comes is in."""
    chosen, wanted = site.option("matrix"), planned(site.setup, site.piece, "matrix")
    if wanted is None or chosen is None:
        return None
    right = matrix_in(site.setup)
    if chosen == right:
        return None
    now, want = site.option_words("matrix", chosen), site.option_words("matrix", right)
    return Found(
        f"{the(site.words)} works with {now}, and the picture comes in {want}", f"Set its matrix to {want}.",
        (site.set_to("matrix", right),), {"colours": "wrong"},
    )  # fmt: skip


def raw_not_taken(site: Site) -> Found | None:
    if not site.is_recorder or site.kind.takes_raw or not sends_raw(site.setup):
        return None
    return Found(
        f"{the(site.words)} takes no raw pictures", "Send video instead.",
        (SetOption((site.setup.path.source, "signal"), "video"),), {"picture": "none"},
    )  # fmt: skip


def blends(site: Site) -> Found | None:
    if not site.is_recorder or site.option("deinterlace") != "blend":
        return None
    undo = (site.set_to("deinterlace", "none"),) if planned(site.setup, site.piece, "deinterlace") else ()
    return Found(
        f"{the(site.words)} blends the fields: moving things show twice, for good",
        "Keep the fields, and deinterlace afterwards.", undo, {"fields": "blended"},
    )  # fmt: skip


def enlarges(site: Site) -> Found | None:
    if not site.is_recorder or site.option("size") != "enlarged":
        return None
    return Found(
        f"{the(site.words)} enlarges the picture: several times the bytes, and no more detail",
        "Record the native size.", (site.set_to("size", "native"),), {"detail": "soft", "fields": "combed" if interlaced(site) else "kept"},
    )  # fmt: skip


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
        f"{the(site.words)} takes the sound at {site.option_words('level', chosen)} level",
        f"Set it to {site.option_words('level', right)}, and leave loud passages below −2 dB.", (site.set_to("level", right),),
        {"level": "hot" if hot else "quiet"},
    )  # fmt: skip


def sound_ahead(site: Site) -> Found | None:
    if not site.is_recorder or not goes_past_camera(site.setup) or site.option("sound_delay") == "matched":
        return None
    lead = site.setup.kind(site.setup.path.source).lead_ms
    if lead < _NOTICED_MS:
        return None
    fix = (site.set_to("sound_delay", "matched"),) if "sound_delay" in site.kind.settings else ()
    return Found(
        f"the camera's picture comes {lead} ms after the sound that goes past it",
        "Delay the sound to match, and prove it with a clap.", fix, {"sound_lead_ms": lead},
    )  # fmt: skip


def sound_behind(site: Site) -> Found | None:
    if not site.is_recorder or goes_past_camera(site.setup) or site.option("sound_delay") != "matched":
        return None
    return Found(
        f"{the(site.words)} delays sound that came with its picture", "Set its sound delay to none.",
        (site.set_to("sound_delay", "none"),), {"sound_lead_ms": -200},
    )  # fmt: skip


def silent_input(site: Site) -> Found | None:
    chosen, wanted = site.option("sound_input"), planned(site.setup, site.piece, "sound_input")
    if wanted is None or chosen is None or chosen == wanted.option:
        return None
    return Found(
        f"the program listens to {site.option_words('sound_input', chosen)}, which is silent on this path",
        f"Choose {site.option_words('sound_input', wanted.option)}.", (site.set_to("sound_input", wanted.option),), {"sound": "none"},
    )  # fmt: skip


def interlaced_sport(site: Site) -> Found | None:
    path, wishes = site.setup.path, site.setup.wishes
    if not site.first or not wishes.fast_sport or site.piece != path.source or "send" not in site.kind.all_settings:
        return None
    now = format_at(site.setup, path.recorder)
    fast = "720p50" if FORMATS[now].rate in {25, 50} else "720p59.94"
    if not FORMATS[now].interlaced or fast not in site.kind.takes or fast not in site.setup.kind(path.recorder).takes:
        return None
    return Found(
        "fast sport in interlaced pictures: every second line lags behind",
        f"Send {FORMATS[fast].words}: progressive beats interlaced here.",
        (site.set_to("send", fast),),
    )  # fmt: skip


def two_links(site: Site) -> Found | None:
    if site.option("links") != "two":
        return None
    return Found(
        "two links are recorded as alternate frames on two drives",
        "Merge them afterwards" + ("." if site.setup.path.twin else ", or use one link."),
        () if site.setup.path.twin else (site.set_to("links", "one"),),
    )
