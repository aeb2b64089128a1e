"""What the Capture station says of a carrier and its source."""

from __future__ import annotations

from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.source import SourceFormat
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted
from yomikomi.core.work.text import capital
from yomikomi.ui.source_of import is_simulated


def source_words(view: CarrierView | None, source: SourceFormat | None, settings: CaptureSettings) -> tuple[str, str]:
    """The head and the lines of the card that tells where the pictures come from."""
    if view is None or source is None:
        copied = view is not None and kind_of(view.kind).way == "copy"
        return "No player", "Its data are copied, not captured." if copied else "No player for this kind of carrier is connected."
    standard = source.standard
    order = source.field_order.words if source.field_order else "progressive"
    depth = f", {source.bits} bits" if source.bits > 8 else ""
    head = f"Simulated {kind_of(view.kind).words} player" if is_simulated(view) else f"Device {(view.source or {}).get('video', '')}"
    if is_simulated(view) and kind_of(view.kind).way == "live":
        head = f"Simulated {kind_of(view.kind).words}"
    lines = [f"{standard.words} fps, {standard.width} × {standard.height}{depth}, {order}"]
    tracks = " and ".join(f"{track.name} ({'mono' if track.channels == 1 else 'stereo'})" for track in source.tracks)
    lines.append(f"sound: {tracks}" if tracks else "no sound")
    if is_simulated(view):
        lines.append(view.path.route if view.path else "no path was planned: as if all were set right")
        if (view.source or {}).get("kind") == "tape player":
            steady = not view.path.delivery.wobble if view.path else bool((view.source or {}).get("corrector"))
            lines[0] += " · time-base corrector fitted" if steady else " · no time-base corrector"
    lines.append(f"recorded as {settings.record_as.words}")
    return head, "\n".join(lines)


def caution_words(view: CarrierView | None) -> str:
    if view is None or not view.has_player:
        return ""
    condition = view.details.condition
    lines = [*([f"{capital(condition.words)}."] if condition.ticked else []), *kind_of(view.kind).caution_words("play", "live")]
    if kind_of(view.kind).way != "live" and not condition.looked and not condition.ticked:
        lines.insert(0, "Its condition was not checked. Do not play a tape that shows mould or squeals.")
    return "\n".join(lines)


def idle_words(view: CarrierView | None) -> tuple[str, str]:
    """The station's sentence while nothing runs, and what it rests on."""
    if view is None:
        return "Choose a carrier on the Shelf first.", ""
    if view.unfit:
        return (
            f"{view.label} must not be played: {view.details.condition.words}.",
            "Judge its condition anew on the Shelf (F2) once it was treated; until then nothing is recorded",
        )
    if not view.has_player:
        words = "its data are copied" if kind_of(view.kind).way == "copy" else "no player is connected"
        return f"{view.label} has nothing to capture: {words}.", "What is there already can be read as it is"
    if view.take is not None and view.takes:
        take = view.take
        lost = f"{take.dropped or 0} lost" + (f", {take.details.repeated} repeated" if take.details.repeated else "")
        parts = f" in {len(take.details.parts)} files" if take.details.parts else ""
        return (
            f"{view.label} has {counted(view.takes, 'take', 'takes')}; the last is {clock(take.seconds or 0)} long{parts}.",
            f"{take.frames or 0} frames, {lost} · a further take is kept beside it",
        )
    return f"{view.label} is ready to be captured.", "Rehearse first (Prove), then start with F9 or the button; F9 again ends the take"
