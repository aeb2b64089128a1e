"""What every setting of a path should be at, and why. A setting that does not matter on a path has no plan."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from yomikomi.core.path.catalogue import SETTINGS, DeviceKind
from yomikomi.core.path.sentences import WHYS
from yomikomi.core.path.structure import Knob, Setup
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.rates import rate_family
from yomikomi.core.video.standards import FieldOrder

# Lossless compression of raw pictures: what is left of 12 bits a pixel (common practice, no source).
RAW_LOSSLESS = 0.55


@dataclass(frozen=True)
class Planned:
    """What a knob should be at; ``because``, ``args``: the row of ``sentences.WHYS`` that tells why, and what fills it."""

    option: str
    because: str
    args: Mapping[str, object] = field(default_factory=dict)

    @property
    def why(self) -> str:
        return WHYS[self.because].format_map(self.args)


def _usual(key: str) -> Planned:
    """What is right everywhere, by the table of settings."""
    return Planned(SETTINGS[key].right, *_as_always(key))


def _as_always(key: str) -> tuple[str, Mapping[str, object]]:
    return "as always", {"why": SETTINGS[key].why}


Answer = Planned | None


def plan(setup: Setup) -> dict[Knob, Planned]:
    """What every knob that matters on this path should be at."""
    found: dict[Knob, Planned] = {}
    for piece, key in setup.knobs():
        answer = planned(setup, piece, key)
        if answer is not None:
            found[piece, key] = answer
    return found


def planned(setup: Setup, piece: str, key: str) -> Answer:
    """What one knob should be at when everything else is as planned too; None where it does not matter.

    A plan never follows a device that is set wrong: setting another one to match would be a second mistake.
    """
    bare, knob = setup.bare, (piece, key)
    if knob not in bare.memo:
        rule = _RULES.get(key)
        bare.memo[knob] = rule(bare, piece) if rule is not None else _ALWAYS[key]
    answer: Answer = bare.memo[knob]
    return answer


def option_of(setup: Setup, piece: str, key: str) -> str | None:
    """What a knob is at: as changed, or as planned; None where it does not matter."""
    chosen = setup.options.get((piece, key))
    if chosen is not None:
        return chosen
    answer = planned(setup, piece, key)
    return answer.option if answer else None


def sent_format(setup: Setup) -> str:
    """The format that leaves the source."""
    kind = setup.kind(setup.path.source)
    if not kind.takes:
        return setup.task.picture_format
    return setup.options.get((setup.path.source, "send")) or _best_format(setup, kind)


def format_at(setup: Setup, piece: str) -> str:
    """The format of the picture as it comes into a piece on the picture's way."""
    if ("format", piece) not in setup.memo:
        now = sent_format(setup)
        for link in setup.path.picture:
            if link.target == piece:
                break
            now = setup.kind(link.target).turns_into.get(now, now)
        setup.memo["format", piece] = now
    found: str = setup.memo["format", piece]
    return found


def recorded_format(setup: Setup) -> str:
    """The format as it comes into the recorder."""
    return format_at(setup, setup.path.recorder)


def _best_format(setup: Setup, source: DeviceKind) -> str:
    """Of what the source sends and the recorder takes: the one asked for, or the one nearest to it by the school chosen."""
    # A converter between them may take less, or turn formats; what the recorder itself takes is checked by the trace.
    through = [setup.kind(link.target) for link in setup.path.picture]
    common = list(source.takes)
    for kind in through:
        if kind.takes:
            common = [one for one in common if one in kind.takes] or common
    asked = setup.task.picture_format
    base = FORMATS[asked]
    wanted = _by_school(setup, common)
    if wanted:
        return wanted
    if asked in common:
        return asked
    # Film may travel inside a faster signal of the 30 family; between those of 25 and of 30 nothing goes without judder, and where
    # nothing else is to be had, what was asked for stays and the trace says where it breaks.
    wanted_family = rate_family(base.rate)
    for family in (wanted_family, "30") if wanted_family == "24" else (wanted_family,):
        near = [one for one in common if rate_family(FORMATS[one].rate) == family]
        if near:
            return min(near, key=lambda one: abs(float(FORMATS[one].pixel_rate - base.pixel_rate)))
    return asked


def _by_school(setup: Setup, common: list[str]) -> str | None:
    asked = FORMATS[setup.task.picture_format]
    fast = 50 if asked.rate in {25, 50} else 59.94
    progressive, interlaced = f"720p{fast}", f"1080i{fast}"
    school = setup.wishes.scan
    if school == "progressive 720" or (school == "as it is" and setup.wishes.fast_sport and asked.interlaced):
        return progressive if progressive in common else None
    if school == "interlaced 1080":
        return interlaced if interlaced in common else None
    return None


def _send(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.source:
        return None
    best = _best_format(setup, setup.kind(piece))
    asked = setup.task.picture_format
    if best == asked:
        return Planned(best, "format as asked")
    if best.startswith("720p") and FORMATS[asked].interlaced:
        return Planned(best, "progressive for sport")
    return Planned(best, "nearest format", {"asked": FORMATS[asked].words})


def _input(setup: Setup, piece: str) -> Answer:
    for leg in ("picture", "second", "screen", "ears", "sound"):
        link = setup.path.link_into(piece, leg)
        if link is not None and any(key == link.into for key, _ in setup.kind(piece).options("input")):
            return Planned(link.into, "cable ends", {"socket": setup.port_in(link).words})
    return None


def _output(setup: Setup, piece: str) -> Answer:
    link = setup.path.link_from(piece)
    return Planned(link.out, "cable begins", {"socket": setup.port_out(link).words}) if link else None


def _standard(setup: Setup, piece: str) -> Answer:
    if piece not in {link.target for link in setup.path.picture}:
        return None
    now = format_at(setup, piece)
    return Planned(now, "as it arrives", {"format": FORMATS[now].words})


def _range(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.recorder:
        return None
    sent = option_of(setup, setup.path.source, "range_out") if "range_out" in setup.kind(setup.path.source).settings else "limited"
    return Planned(sent or "limited", "limited range" if sent == "limited" else "full range")


def _matrix(setup: Setup, _piece: str) -> Answer:
    if setup.reads_data:
        return None
    matrix = matrix_in(setup)
    return Planned(matrix, f"matrix {matrix}")


def matrix_in(setup: Setup) -> str:
    """The matrix that the picture comes in."""
    if option_of(setup, setup.path.source, "gamut_out") == "wide":
        return "bt2020"
    return "bt601" if FORMATS[recorded_format(setup)].height < 720 else "bt709"


def _field_order(setup: Setup, _piece: str) -> Answer:
    if setup.reads_data or not FORMATS[recorded_format(setup)].interlaced:
        return None
    row = FORMATS[recorded_format(setup)]
    order = row.first_field or FieldOrder.TFF
    return Planned(order.value, "field order by convention", {"format": row.words})


def _deinterlace(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.recorder or not FORMATS[recorded_format(setup)].interlaced:
        return None
    if setup.wishes.fields == "finished":
        return Planned("blend", "blended as asked")
    return Planned("none", "fields kept")


def _size(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.recorder or FORMATS[recorded_format(setup)].height >= 1080:
        return None
    if setup.wishes.size == "enlarged":
        return Planned("enlarged", "enlarged as asked")
    return Planned("native", "native size")


def _shape(setup: Setup, piece: str) -> Answer:
    on_way = piece in {link.target for link in setup.path.picture}
    return Planned("keep", *_as_always("shape")) if on_way and FORMATS[format_at(setup, piece)].height < 720 else None


def _plug(setup: Setup, piece: str) -> Answer:
    link = setup.path.link_into(piece)
    if link is None or setup.port_in(link).connector != "composite":
        return None
    return Planned("green", *_as_always("plug"))


def _level(setup: Setup, piece: str) -> Answer:
    link = setup.path.link_into(piece, "sound") or setup.path.link_into(piece, "commentary")
    if link is None or not setup.port_in(link).analogue:
        return None
    if setup.kind(link.source).role == "microphone":
        return Planned("mic", "microphone level")
    if setup.wishes.level == "professional":
        return Planned("professional", "professional as asked")
    return Planned("consumer", "consumer level")


def _mic_power(setup: Setup, piece: str) -> Answer:
    speaks = piece in {link.source for link in (*setup.path.sound, *setup.path.commentary)}
    return Planned("on", *_as_always("mic_power")) if speaks else None


def _sound_delay(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.recorder or not setup.path.sound:
        return None
    if goes_past_camera(setup):
        return Planned("matched", "camera delays picture", {"lead": setup.kind(setup.path.source).lead_ms})
    return Planned("none", "same way")


def goes_past_camera(setup: Setup) -> bool:
    """The sound does not come through the camera that delays the picture."""
    source = setup.path.source
    return bool(setup.path.sound) and setup.path.sound_source != source and setup.kind(source).lead_ms > 0


def _links(setup: Setup, piece: str) -> Answer:
    link = setup.path.link_into(piece)
    if link is None or not setup.port_in(link).sdi:
        return None
    if setup.path.twin:
        return Planned("two", "two links needed")
    return Planned("one", "one link enough")


def _sound_input(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.computer or setup.reads_data or not setup.path.sound:
        return None
    last = setup.path.sound[-1]
    if last.target == piece and setup.kind(last.source).role == "interface":
        return Planned("interface", "separate interface")
    if last.target == piece:
        return Planned("default", "own line input")
    if setup.kind(setup.path.recorder).sound_device == "default":
        return Planned("default", "default input works")
    return Planned("recorder", "same recorder")


def _codec(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.computer or setup.reads_data:
        return None
    if setup.kind(setup.path.recorder).compresses:
        return Planned("device", "compressed inside")
    return Planned(setup.wishes.codec, f"codec {setup.wishes.codec}")


def _record_to(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.computer:
        return None
    if setup.path.store is None:
        return Planned("system", "only drive")
    return Planned("separate", *_as_always("record_to"))


def _commentary_track(setup: Setup, piece: str) -> Answer:
    return Planned("own", *_as_always("commentary_track")) if piece == setup.path.computer and setup.path.commentary else None


def over_sdi(setup: Setup) -> bool:
    """The picture leaves its source by SDI."""
    link = setup.path.link_from(setup.path.source)
    return link is not None and setup.port_out(link).sdi


def sends_raw(setup: Setup) -> bool:
    """Raw pictures travel from the source to the recorder."""
    return over_sdi(setup) and option_of(setup, setup.path.source, "signal") == "raw"


def _signal(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.source or not setup.kind(piece).sends_raw or not over_sdi(setup):
        return None
    if not setup.kind(setup.path.recorder).takes_raw:
        return Planned("video", "no raw taken")
    if setup.wishes.signal == "video":
        return Planned("video", "video as asked")
    return Planned("raw", *_as_always("signal"))


def _gamut(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.source or "gamut_out" not in setup.kind(piece).settings or sends_raw(setup) or not setup.path.picture:
        return None  # raw has no primaries or matrix of its own
    deep = setup.kind(setup.path.recorder).depth >= 10
    if setup.wishes.gamut == "wide" and deep:
        return Planned("wide", "wide as asked")
    return Planned("standard", "standard colour" if deep else "too few bits")


def _ears_by_light(setup: Setup, piece: str) -> bool:
    return any(link.source == piece and setup.port_out(link).connector == "optical" for link in setup.path.ears)


def _raw_compression(setup: Setup, piece: str) -> Answer:
    if piece != setup.path.source or not setup.keeps_own_record or setup.path.recorder != piece:
        return None
    return Planned("lossless", "card lasts longer")


def _only_where(leg_role: Callable[[Setup, str], bool], key: str) -> Callable[[Setup, str], Answer]:
    def rule(setup: Setup, piece: str) -> Answer:
        return _usual(key) if leg_role(setup, piece) else None

    return rule


def _starts_recorder(setup: Setup, piece: str) -> bool:
    return piece == setup.path.source and setup.keeps_own_record and bool(setup.path.picture)


def _records_live(setup: Setup, piece: str) -> bool:
    return piece == setup.path.computer and not setup.reads_data


_ALWAYS = {key: _usual(key) if setting.right else None for key, setting in SETTINGS.items()}
_RULES: dict[str, Callable[[Setup, str], Answer]] = {
    "send": _send,
    "input": _input,
    "output": _output,
    "standard": _standard,
    "range": _range,
    "matrix": lambda setup, piece: _matrix(setup, piece) if piece == setup.path.computer else None,
    "field_order": lambda setup, piece: _field_order(setup, piece) if piece == setup.path.computer else None,
    "deinterlace": _deinterlace,
    "size": _size,
    "shape": _shape,
    "plug": _plug,
    "level": _level,
    "mic_power": _mic_power,
    "sound_delay": _sound_delay,
    "links": _links,
    "sound_input": _sound_input,
    "codec": _codec,
    "record_to": _record_to,
    "commentary_track": _commentary_track,
    "raw_compression": _raw_compression,
    "signal": _signal,
    "gamut_out": _gamut,
    "main_codec": _only_where(lambda setup, piece: piece == setup.path.source and sends_raw(setup), "main_codec"),
    "record_trigger": _only_where(_starts_recorder, "record_trigger"),
    "optical_sound": _only_where(_ears_by_light, "optical_sound"),
    "rate_mode": _only_where(_records_live, "rate_mode"),
}
