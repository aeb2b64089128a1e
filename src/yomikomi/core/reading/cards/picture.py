"""Shape, borders, levels, colour."""

from __future__ import annotations

from yomikomi.core.reading.cards.advice import Origin, advice_for
from yomikomi.core.reading.cards.finding import Finding, Mark, certainty_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.units import number_text

_CAST, _CAST_DRIFT = 6.0, 10.0
_PHASE, _SATURATION, _BAR_LUMA = 5.0, 0.1, 6.0
_TRANSFERS = {"could be PQ": "PQ", "could be SDR": "SDR"}


def shape_card(reading: Reading) -> Finding:
    shape, borders = reading.geometry, reading.borders
    turned = f", turned by {reading.rotation}°" if reading.rotation else ""
    flagged = f"{shape.width} × {shape.height}, shown {shape.shape}{turned}"
    pixels = f"pixels {shape.sample_aspect} · {reading.colour.words}"
    if borders is None or "shape" in reading.overruled:
        return Finding("shape", Mark.FINE, flagged, "as flagged", pixels, "keep size and pixel shape")
    if borders.likely_shape and borders.likely_shape != shape.shape:
        return Finding(
            "shape", Mark.WRONG, f"Shown {shape.shape}, but meant {borders.likely_shape}", "likely", borders.shape_reason,
            f"flag it {borders.likely_shape}", 85,
        )  # fmt: skip
    if borders.likely_shape:
        return Finding("shape", Mark.FINE, flagged, "likely", borders.shape_reason, "keep size and pixel shape")
    return Finding("shape", Mark.FINE, flagged, "as flagged", f"{pixels}; {borders.shape_reason}", "keep size and pixel shape")


def border_cards(reading: Reading) -> list[Finding]:
    borders = reading.borders
    if borders is None:
        why = "most of the picture is too dark to separate borders from dark scenes"
        return [Finding("borders", Mark.UNKNOWN, "Borders undetermined", "–", why, "check a bright scene")]
    cards = []
    frame = reading.levels.brightest_frame if reading.levels else None
    sides = [
        f"{count} {unit} {place}" for count, unit, place in (
            (borders.top, "lines", "above"), (borders.bottom, "lines", "below"),
            (borders.left, "samples", "left"), (borders.right, "samples", "right"),
        ) if count
    ]  # fmt: skip
    sure = certainty_words(borders.confidence)
    if sides:
        advice = "crop to the picture; it would cost bits and shrink the picture on screens"
        inside = f"the picture inside is {borders.active_shape}"
        moving = f"; not the same throughout: {len(borders.changes)} changes" if borders.moving else ""
        cards.append(Finding("borders", Mark.LOOK, "Borders: " + ", ".join(sides), sure, inside + moving, advice, 40, frame))
    elif borders.moving:
        frames = tuple(at for at, _ in borders.changes)
        cards.append(
            Finding(
                "borders", Mark.LOOK, "Borders come and go", sure, f"{len(frames)} changes", "crop each part by itself", 45, frames[0],
                frames,
            )
        )  # fmt: skip
    else:
        cards.append(Finding("borders", Mark.FINE, "No borders", sure, "the picture reaches all four edges", "nothing to do", frame=frame))
    if borders.head_switching_lines:
        lines = borders.head_switching_lines
        cards.append(
            Finding(
                "head switching", Mark.LOOK, f"Head-switching band, {lines} lines at the bottom", "measured",
                "they change and tear more than the lines above", "crop or mask them", 65, frame,
            )
        )  # fmt: skip
    return cards


def level_card(reading: Reading, origin: Origin) -> Finding | None:
    levels = reading.levels
    if levels is None:
        return None
    found = f"{levels.range_found} range" if levels.range_found != "undetermined" else "range undetermined"
    title = f"Levels {levels.black:.0f} to {levels.white:.0f}, {found}"
    frame = levels.darkest_frame
    advice = {
        "fine": "nothing to do", "raised black": "lower black to its level", "washed out": "check range and gain, then stretch",
        "crushed black": advice_for("crushed black", origin), "clipped white": advice_for("clipped white", origin),
        "undetermined": "check the scopes",
    }[levels.tone]  # fmt: skip
    flagged = {1: "limited", 2: "full"}.get(reading.colour.range)
    if flagged and levels.range_found not in {flagged, "undetermined"}:
        return Finding(
            "levels", Mark.WRONG, f"Flagged {flagged} range, found {levels.range_found}", "likely", levels.range_reason,
            "read it as found, or correct the flag", 75, levels.brightest_frame, strip="luma range",
        )  # fmt: skip
    if levels.tone == "fine" and levels.range_found != "undetermined":
        return Finding("levels", Mark.FINE, title, "likely", levels.range_reason, advice, 0, frame, strip="luma range")
    mark = Mark.UNKNOWN if levels.tone in {"fine", "undetermined"} else Mark.LOOK
    name = "" if levels.tone in {"fine", "undetermined"} else f", {levels.tone}"
    shown = levels.brightest_frame if levels.tone == "clipped white" else frame
    sure = "–" if mark is Mark.UNKNOWN else "likely"
    if mark is Mark.UNKNOWN:
        advice = "keep the flag unless the picture looks flat or the blacks crushed"
    return Finding("levels", mark, title + name, sure, levels.range_reason, advice, 45, shown, strip="luma range")


def colour_cards(reading: Reading) -> list[Finding]:
    cards = []
    bars, levels = reading.bars, reading.levels
    if bars is not None:
        off = abs(bars.phase_degrees) > _PHASE or abs(bars.saturation - 1) > _SATURATION or abs(bars.luma_error) > _BAR_LUMA
        standard = {"bt601": "ITU-R BT.601", "bt709": "ITU-R BT.709"}[bars.matrix]
        why = (
            f"against {standard}: hue {number_text(bars.phase_degrees, places=1)}°, saturation {100 * bars.saturation:.0f} %, "
            f"luma within {number_text(bars.luma_error, places=1)} code values"
        )
        advice = "correct hue and saturation by the bars" if off else "nothing to do"
        cards.append(
            Finding("bars", Mark.LOOK if off else Mark.FINE, f"Colour bars, {bars.level} %", "measured", why, advice, 35, bars.at_frame)
        )
        tagged = {1: "bt709", 5: "bt601", 6: "bt601"}.get(reading.colour.matrix)
        if tagged and tagged != bars.matrix:
            cards.append(
                Finding(
                    "matrix", Mark.WRONG, f"Tagged {tagged.upper()[:2]}.{tagged[2:]}, but the bars are {standard[6:]}", "measured", why,
                    "correct the tag", 70, bars.at_frame,
                )
            )  # fmt: skip
    unusual = next(iter(reading.doubted("matrix")), "")
    if unusual and bars is None:
        cards.append(Finding("matrix", Mark.UNKNOWN, "Colour matrix doubtful", "–", unusual, "compare skin and sky with another take", 30))
    if levels is not None and (max(abs(one) for one in levels.cast) > _CAST or levels.cast_drift > _CAST_DRIFT):
        what = f"greys lie at Cb {number_text(levels.cast[0], places=1)}, Cr {number_text(levels.cast[1], places=1)} from neutral"
        drift = f"; they drift by {levels.cast_drift:.0f} code values" if levels.cast_drift > _CAST_DRIFT else ""
        title = "Colour cast drifts" if levels.cast_drift > _CAST_DRIFT else "Colour cast"
        advice = "correct the white balance, unless the scenes are lit that way (lamps, dusk)"
        cards.append(Finding("cast", Mark.UNKNOWN, title, "–", what + drift, advice, 20, strip="luma range"))
    if levels is not None and (kind := _TRANSFERS.get(levels.transfer_found)):
        cards.append(
            Finding(
                "transfer", Mark.UNKNOWN, f"Could be {kind}, by its levels", "–", f"the brightest parts lie at {levels.white:.0f} of 255",
                "ask the camera's settings before it is converted", 60,
            )
        )  # fmt: skip
    return cards
