"""Choices on which the trade is of two schools: side by side, with what each gives and costs on this path."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from yomikomi.core.path.finder import find_paths
from yomikomi.core.path.plan import over_sdi, recorded_format, sends_raw
from yomikomi.core.path.ranking import Ranked, rate, score_of
from yomikomi.core.path.rates import flow_over, written_mbps
from yomikomi.core.path.structure import Path, Setup, Wishes
from yomikomi.core.path.trace import trace
from yomikomi.core.planning.data_rates import capture_bits_per_second
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import frame_rate_text, size_text

_HOUR_S = 3600


@dataclass(frozen=True)
class SchoolOption:
    """``figure``: computed for this path; ``points``: what the path scores with it, 0…100. To follow it: take ``wishes`` and
    ``path``."""

    key: str
    words: str
    gives: str
    costs: str
    figure: str
    points: float
    wishes: Wishes
    path: Path


@dataclass(frozen=True)
class School:
    """``chosen``: the key of the option followed now."""

    key: str
    question: str
    options: tuple[SchoolOption, ...]
    chosen: str


def schools_of(setup: Setup, ranked: Sequence[Ranked]) -> list[School]:
    """The choices that this path has; one that makes no difference here is left out."""
    makers = (_fields, _size, _connector, _scan, _signal, _links, _colour, _level, _codec)
    found = (maker(setup, ranked) for maker in makers)
    return [school for school in found if school is not None and len(school.options) > 1]


def _option(setup: Setup, key: str, words: str, gives: str, costs: str, figure: str, **wishes: object) -> SchoolOption:
    changed = replace(setup, wishes=setup.wishes.model_copy(update=wishes), options={})
    return SchoolOption(key, words, gives, costs, figure, _points(changed), changed.wishes, setup.path)


def _points(setup: Setup) -> float:
    traced = trace(setup)
    return score_of(rate(traced), setup.wishes, broken=bool(traced.breaks))


def _an_hour(setup: Setup, **wishes: object) -> str:
    rate_now = written_mbps(replace(setup, wishes=setup.wishes.model_copy(update=wishes), options={}))
    return f"up to {size_text((rate_now or 0) * 1e6 / 8 * _HOUR_S)} an hour"


def _fields(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    row = FORMATS[recorded_format(setup)]
    recorder = setup.kind(setup.path.recorder)
    if setup.reads_data or not row.interlaced or "deinterlace" not in recorder.settings:
        return None
    fields, frames = frame_rate_text(2 * row.rate), frame_rate_text(row.rate)
    return School(
        "fields", "Fields kept, or deinterlaced in the device?",
        (
            _option(
                setup, "kept", "fields kept", "Everything that is on the tape; it can be deinterlaced later, better, and again.",
                "One more step afterwards; combing on moving edges until then.", f"{fields} fields per second kept", fields="kept",
            ),
            _option(
                setup, "finished", "finished at once: blended", "Nothing is left to do; it plays anywhere as it is.",
                "Moving edges appear twice, and half of the motion is lost for good.", f"{frames} blended fps",
                fields="finished",
            ),
        ),
        setup.wishes.fields,
    )  # fmt: skip


def _size(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    row = FORMATS[recorded_format(setup)]
    if "size" not in setup.kind(setup.path.recorder).settings or row.height >= 1080:
        return None
    more = Fraction(1920 * 1080, row.width * row.height)
    return School(
        "size", "Native size, or enlarged in the device?",
        (
            _option(
                setup, "native", f"native, {row.width} × {row.height}", "What is there and nothing else; the fields stay apart.",
                "Players enlarge it themselves.", _an_hour(setup, size="native"), size="native",
            ),
            _option(
                setup, "enlarged", "enlarged, 1920 × 1080", "Upload services give larger sizes more bits.",
                f"{float(more):.1f} times the pixels without any more detail; fields are mixed for good.",
                _an_hour(setup, size="enlarged"), size="enlarged",
            ),
        ),
        setup.wishes.size,
    )  # fmt: skip


def _connector(setup: Setup, ranked: Sequence[Ranked]) -> School | None:
    """The other connectors between the same source and recorder, from the paths that there are."""
    if not setup.path.picture:
        return None
    gives = {
        "component": ("Brightness and both colour signals apart.", "Three plugs, and a second cable for sound."),
        "s_video": ("Colour and detail apart.", "No sound: a second cable is needed."),
        "composite": ("One plug; every device has it.", "Colour is mixed into detail: softer, and dots crawl along edges."),
    }
    found: dict[str, SchoolOption] = {}
    for one in ranked:
        if (one.path.source, one.path.recorder) != (setup.path.source, setup.path.recorder) or not one.path.picture:
            continue
        port = setup.port_out(one.path.picture[0])
        if port.connector in found or not port.analogue:
            continue
        good, bad = gives.get(port.connector, (port.words, ""))
        if port.connector == "component" and not setup.kind(setup.path.source).true_component:
            good, bad = "For tapes the same as S-Video in this device.", "Two plugs more."
        figure = f"{one.score:.0f} points, rank {one.place}"
        found[port.connector] = SchoolOption(port.connector, port.words, good, bad, figure, one.score, setup.wishes, one.path)
    now = setup.port_out(setup.path.picture[0]).connector
    return School("connector", "Which connector?", tuple(found.values()), now) if now in found else None


def _scan(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    source, recorder = setup.kind(setup.path.source), setup.kind(setup.path.recorder)
    fast = "50" if FORMATS[setup.task.picture_format].rate in {25, 50} else "59.94"
    pair = (f"720p{fast}", f"1080i{fast}")
    if not all(one in source.takes and one in recorder.takes for one in pair):
        return None
    texts = {
        "progressive 720": ("Every picture is whole: fast movement stays clean.", "Fewer lines on things that stand still."),
        "interlaced 1080": ("More lines on things that stand still.", "Movement is in half pictures and has to be deinterlaced."),
    }
    options = []
    for key, one in zip(texts, pair, strict=True):
        row = FORMATS[one]
        whole = f"{row.height} lines, {frame_rate_text(row.rate if not row.interlaced else 2 * row.rate)} "
        whole += "fields per second" if row.interlaced else "progressive frames per second"
        options.append(_option(setup, key, row.words, *texts[key], whole, scan=key))
    now = recorded_format(setup)
    return School("scan", "Progressive 720 or interlaced 1080?", tuple(options), _school_of(now))


def _school_of(format_key: str) -> str:
    return "progressive 720" if format_key.startswith("720p") else "interlaced 1080" if format_key.startswith("1080i") else ""


def _other_way(setup: Setup, key: str, words: str, gives: str, costs: str, **wishes: object) -> SchoolOption | None:
    """The same devices with other wishes, which may want another number of links between them; None where that does not work."""
    asked = setup.wishes.model_copy(update=wishes)
    first = setup.port_out(setup.path.picture[0]).connector
    ways = (
        Setup(setup.equipment, path, setup.task, asked)
        for path in find_paths(setup.equipment, setup.task, asked)
        if (path.source, path.recorder) == (setup.path.source, setup.path.recorder)
    )
    whole = [way for way in ways if way.port_out(way.path.picture[0]).connector == first and not trace(way).breaks]
    if not whole:
        return None
    best = max(whole, key=_points)
    flow = flow_over(best, best.path.picture[0]).needed or 0.0
    figure = f"{flow / 1000:.2f} Gb/s on {'each of two links' if best.path.twin else 'one link'}"
    return SchoolOption(key, words, gives, costs, figure, _points(best), asked, best.path)


def _either_way(setup: Setup, wish: str, question: str, *ways: tuple[str, str, str, str]) -> School:
    """A choice that may change the way itself; ``ways``: what ``wish`` can be, in words, what it gives and what it costs."""
    options = (_other_way(setup, *way, **{wish: way[0]}) for way in ways)
    return School(wish, question, tuple(one for one in options if one), getattr(setup.wishes, wish))


def _signal(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    if not over_sdi(setup) or not (setup.kind(setup.path.source).sends_raw and setup.kind(setup.path.recorder).takes_raw):
        return None
    return _either_way(
        setup, "signal", "Raw, or video over SDI?",
        ("raw", "raw, one sample a pixel", "All that the sensor saw; exposure and colour are chosen later.",
         "It must be developed before it can be edited."),
        ("video", "video, 4:2:2 in 10 bits", "It can be edited as it is.",
         "Exposure and colour are settled in the camera; it fills more of the links."),
    )  # fmt: skip


def _links(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    if not over_sdi(setup):
        return None
    return _either_way(
        setup, "links", "One link or two?",
        ("as needed", "one link where it carries the rate", "Nothing to merge; a second drive goes on when one is full.",
         "One drive has to take all of it."),
        ("two", "two links", "Alternate frames on two drives: each takes half of the rate.",
         "They must be merged before anything can be seen; losing one drive spoils both."),
    )  # fmt: skip


def _colour(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    source = setup.kind(setup.path.source)
    if "gamut_out" not in source.settings or setup.kind(setup.path.recorder).depth < 10 or sends_raw(setup) or not setup.path.picture:
        return None
    return School(
        "colour", "Standard colour, or wide?",
        (
            _option(
                setup, "standard", "standard, BT.709", "Every screen and editor shows it as it is.",
                "What is brighter or more colourful than the standard is cut off in the camera.", "8 or 10 bits", gamut="standard",
            ),
            _option(
                setup, "wide", "wide, BT.2020 and PQ", "Highlights and colours are kept for later.",
                "It must be converted for ordinary screens; exposure is set one stop over and pulled back.", "10 bits", gamut="wide",
            ),
        ),
        setup.wishes.gamut,
    )  # fmt: skip


def _level(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    link = setup.path.link_into(setup.path.recorder, "sound")
    if link is None or not setup.port_in(link).analogue or "level" not in setup.kind(setup.path.recorder).settings:
        return None
    if setup.kind(link.source).role == "microphone":
        return None
    return School(
        "level", "Which sound level?",
        (
            _option(
                setup, "consumer", "−10 dBV, more sensitive", "Fits what a player gives: the full range of the converter is used.",
                "A player with a high level clips; check the peak of the rehearsal.", "loud passages below −2 dB", level="consumer",
            ),
            _option(
                setup, "professional", "+4 dBu, less sensitive", "Nothing clips, however hot the player.",
                "A consumer player reads too low, and its noise is raised with it later.", "11.8 dB lower", level="professional",
            ),
        ),
        setup.wishes.level,
    )  # fmt: skip


def _codec(setup: Setup, _ranked: Sequence[Ranked]) -> School | None:
    path = setup.path
    if path.computer is None or setup.reads_data or setup.kind(path.recorder).compresses:
        return None
    row = FORMATS[recorded_format(setup)]
    texts = {
        "ffv1": ("FFV1, lossless", "Nothing is lost; it can be encoded again for the next screen.", "Large, and few editors open it."),
        "rdd36_hq": ("RDD 36 422 HQ, for editing", "Editors cut it directly; more than a tape holds.", "Not quite lossless."),
        "h264_high": ("H.264, high rate", "The smallest; it plays everywhere at once.", "A generation is spent, and editing strains it."),
    }
    options = []
    for key, (words, gives, costs) in texts.items():
        bits = capture_bits_per_second(key, width=row.width, height=row.height, rate=row.rate, measured=setup.task.codec_bits.get(key))[1]
        seconds = setup.task.seconds or _HOUR_S
        figure = f"{size_text(bits / 8 * seconds)} for {spoken(seconds)}"
        able = setup.task.pixel_rates.get(key)
        if able is not None:
            figure += f"; this machine encodes {able / float(row.pixel_rate):.1f} × as fast as it plays"
        options.append(_option(setup, key, words, gives, costs, figure, codec=key))
    return School("codec", "Which codec to record with?", tuple(options), setup.wishes.codec)
