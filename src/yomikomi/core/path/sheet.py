"""The settings sheet of a path: what to set in which device, in the order of doing, why, and how to see that it is so."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from pydantic import BaseModel, ConfigDict

from yomikomi.core.path.catalogue import SETTINGS
from yomikomi.core.path.plan import option_of, plan, recorded_format, sent_format
from yomikomi.core.path.ranking import route_words
from yomikomi.core.path.rates import captured_mbps, depth_of, written_mbps
from yomikomi.core.path.structure import Knob, Path, Setup, Wishes
from yomikomi.core.path.trace import Trace
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.units import bit_rate_text, frame_rate_text
from yomikomi.core.work.text import capital

State = Literal["open", "done", "unsure"]


class SheetItem(BaseModel):
    """One thing to set. ``option``: what it should be at; ``at``: what it was said to be at, where that differs;
    ``state``: done, or open, or unsure where nobody could see whether it is so."""

    model_config = ConfigDict(frozen=True)

    piece: str
    key: str
    device: str
    setting: str
    option: str
    words: str
    at: str = ""
    at_words: str = ""
    why: str
    see: str
    delivered: str = ""
    state: State = "open"

    @property
    def knob(self) -> Knob:
        return self.piece, self.key


class CaptureFact(BaseModel):
    """What will be recorded, and why."""

    model_config = ConfigDict(frozen=True)

    name: str
    value: str
    why: str


class PathSheet(BaseModel):
    """A path with everything decided about it, as it is kept with a carrier and with its takes; ``delivery``: what the trace
    says will arrive."""

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    carrier: str = ""
    kind: str
    route: str
    path: Path
    wishes: Wishes
    items: tuple[SheetItem, ...]
    capture: tuple[CaptureFact, ...] = ()
    warnings: tuple[str, ...] = ()
    delivery: Delivery = Delivery()

    @property
    def done(self) -> int:
        return sum(item.state == "done" for item in self.items)

    @property
    def unsure(self) -> tuple[SheetItem, ...]:
        return tuple(item for item in self.items if item.state == "unsure")

    @property
    def options(self) -> dict[Knob, str]:
        """What is said to be set otherwise than planned."""
        return {item.knob: item.at for item in self.items if item.at}


def make_sheet(traced: Trace, *, carrier: str = "", before: PathSheet | None = None) -> PathSheet:
    """The sheet of a traced path. What was ticked in ``before`` stays ticked where it asks for the same."""
    setup = traced.setup
    ticked = {(item.knob, item.option): item.state for item in before.items} if before else {}
    items = []
    for (piece, key), answer in plan(setup).items():
        setting, kind = SETTINGS[key], setup.kind(piece)
        options = dict(kind.options(key)) or {answer.option: answer.option}
        at = setup.options.get((piece, key), "")
        at = "" if at == answer.option else at
        delivered = kind.delivered.get(key, "")
        state = "open" if at else ticked.get(((piece, key), answer.option), "open")
        items.append(
            SheetItem(
                piece=piece,
                key=key,
                device=_device_words(setup, piece),
                setting=setting.words,
                option=answer.option,
                words=options.get(answer.option, answer.option),
                at=at,
                at_words=options.get(at, at),
                why=answer.why,
                see=setting.see,
                delivered=options.get(delivered, "") if delivered != answer.option else "",
                state=state,
            )
        )
    return PathSheet(
        carrier=carrier, kind=setup.task.kind, route=route_words(setup), path=setup.path, wishes=setup.wishes,
        items=tuple(_in_order(setup, items)), capture=tuple(_capture_facts(setup)),
        delivery=traced.delivery,
        warnings=tuple(f"{one.cause} {one.remedy}" for one in traced.findings if one.weight in {"break", "degrade"}),
    )  # fmt: skip


def with_state(sheet: PathSheet, knob: Knob, state: State) -> PathSheet:
    return sheet.model_copy(
        update={"items": tuple(item.model_copy(update={"state": state}) if item.knob == knob else item for item in sheet.items)}
    )


def differences(now: PathSheet, last: PathSheet) -> list[str]:
    """What differs between two sheets, in words; empty when they ask for the same."""
    lines = [f"another way: {last.route} then, {now.route} now"] if last.route != now.route else []
    mine, theirs = ({(item.device, item.setting): item for item in sheet.items} for sheet in (now, last))
    for where, item in mine.items():
        other = theirs.get(where)
        name = f"{item.device}, {item.setting.lower()}"
        if other is None:
            lines.append(f"{name}: {item.words}; not on the last sheet")
        elif (other.at_words or other.words) != (item.at_words or item.words):
            lines.append(f"{name}: {other.at_words or other.words} then, {item.at_words or item.words} now")
    lines += [
        f"{item.device}, {item.setting.lower()}: {item.words} then; not needed now" for where, item in theirs.items() if where not in mine
    ]
    lines += [f"{item.device}, {item.setting.lower()}: could not be verified then" for item in last.unsure]
    return lines


def _device_words(setup: Setup, piece: str) -> str:
    return capital(setup.words(piece))


def _in_order(setup: Setup, items: Iterable[SheetItem]) -> list[SheetItem]:
    """Device by device along the signal, cables where they are plugged; in a device by its own order of doing."""
    place: dict[str, int] = {}
    for number, (piece, _key) in enumerate(setup.knobs()):
        place.setdefault(piece, number)
    return sorted(items, key=lambda item: (place[item.piece], SETTINGS[item.key].order))


def _capture_facts(setup: Setup) -> Iterable[CaptureFact]:
    """What the take will be, as far as the path decides it."""
    if setup.reads_data:
        yield CaptureFact(name="copy", value="the data as they are", why="Nothing is encoded again.")
        return
    row = FORMATS[sent_format(setup) if setup.path.recorder == setup.path.source else recorded_format(setup)]
    large = option_of(setup, setup.path.recorder, "size") == "enlarged"
    size = "1920 × 1080" if large else f"{row.width} × {row.height}"
    yield CaptureFact(name="size", value=size, why="Enlarged in the device, as asked." if large else "The size it arrives in.")
    rate = f"{frame_rate_text(row.rate)} fps, constant" + (
        f" ({frame_rate_text(2 * row.rate)} fields)" if row.interlaced else ""
    )
    yield CaptureFact(name="rate", value=rate, why="The rate it arrives at; a variable one loses sync in editors.")
    if setup.path.recorder == setup.path.source:
        yield CaptureFact(name="samples", value=f"{setup.kind(setup.path.source).depth} bits, raw", why="As the sensor gives them.")
    else:
        bits = depth_of(setup)
        carried = bit_rate_text(captured_mbps(setup) * 1e6)
        yield CaptureFact(name="samples", value=f"{bits} bits, 4:2:2, {carried} to record", why="What the recorder hands on.")
    written = written_mbps(setup)
    if written is not None:
        hour = written * 1e6 / 8 * 3600 / 1e9
        yield CaptureFact(name="room", value=f"up to {hour:.1f} GB an hour", why="The codec's rate on busy pictures, with sound.")
    sound = "none" if setup.task.silent else "48 kHz, 16 bits" if setup.path.sound or setup.keeps_own_record else "none: no way for it"
    yield CaptureFact(name="sound", value=sound, why="Leave loud passages below −2 dB: what clips is lost.")
