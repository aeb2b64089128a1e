"""Sheets of picture shape, crops, levels and exposure."""

from __future__ import annotations

import math
from fractions import Fraction

from yomikomi.core.reckoner.engine import Field, ReckonError, Relation, Sheet, Values, positive
from yomikomi.core.video.units import number_text, ratio_text

_SIDES = (("1", "any whole number"), ("2", "even"), ("16", "multiples of 16"))


def _to_sides(value: Fraction, v: Values, how: str = "near") -> Fraction:
    """A side as a whole multiple of what sides must be: nearest, down or up. Raises ReckonError where none is that small."""
    step = int(v["sides"])
    exact = value / step
    whole = {"near": round(exact), "down": math.floor(exact), "up": math.ceil(exact)}[how]
    if whole < 1:
        raise ReckonError(f"A side would be smaller than {step}.", remedy="Choose larger sizes, or other sides.")
    return Fraction(whole * step)


SHAPE = Sheet(
    "shape",
    "Picture shape",
    (
        Field("width", "Stored width", "pixels", "720", steady=True),
        Field("height", "Stored height", "pixels", "480", steady=True),
        Field("pixel", "Pixel shape", "shape", "8/9"),
        Field("display", "Display shape", "shape", "4:3", place="shape"),
        Field("sides", "Sides must be", "words", "2", choices=_SIDES),
        Field("scaled_width", "Scaled width", "pixels", "640"),
        Field("scaled_height", "Scaled height", "pixels", "480"),
    ),
    (
        Relation(
            ("width", "height", "pixel", "display"),
            {
                "display": lambda v: v["width"] * v["pixel"] / v["height"],
                "pixel": lambda v: v["display"] * v["height"] / v["width"],
                "width": lambda v: Fraction(max(1, round(v["display"] * v["height"] / v["pixel"]))),
            },
        ),
        Relation(
            ("display", "sides", "scaled_width", "scaled_height"),
            {
                "scaled_width": lambda v: _to_sides(v["scaled_height"] * v["display"], v),
                "scaled_height": lambda v: _to_sides(v["scaled_width"] / v["display"], v),
            },
        ),
    ),
    lambda v: [
        (
            f"{number_text(v['width'])} ÷ {number_text(v['height'])} × pixel {ratio_text(v['pixel'])}"
            f" = {ratio_text(v['display'])} on the screen"
        ),
        (
            f"in square pixels {number_text(v['scaled_width'])} × {number_text(v['scaled_height'])}: shape error"
            f" {number_text(100 * abs(v['scaled_width'] / v['scaled_height'] / v['display'] - 1), places=2)} % from rounding the sides"
        ),
    ],
)


def _inner_size(v: Values) -> tuple[Fraction, Fraction]:
    """The picture inside the frame, in stored pixels, before rounding: bars at the sides, or above and below."""
    frame = v["width"] * v["pixel"] / v["height"]
    if v["inner"] <= frame:
        return v["height"] * v["inner"] / v["pixel"], v["height"]
    return v["width"], v["width"] * v["pixel"] / v["inner"]


def _crop_size(v: Values) -> tuple[Fraction, Fraction]:
    """The largest piece of the target's shape that lies within the picture, before rounding."""
    width, height = _inner_size(v)
    target = v["target"] / v["pixel"]
    return (height * target, height) if width / height >= target else (width, width / target)


def _rounded_inner(v: Values, side: int) -> Fraction:
    exact = _inner_size(v)[side]
    limit = v["height"] if side else v["width"]
    return min(Fraction(limit), _to_sides(exact, v, "up"))


def _inner_of_width(v: Values) -> Fraction:
    """A picture as high as its frame, with bars at the sides."""
    if v["inner_width"] > v["width"]:
        raise ReckonError("The picture cannot be wider than its frame.", remedy="Give a smaller width, or a wider frame.")
    return Fraction(v["inner_width"] * v["pixel"] / v["height"])


def _inner_of_height(v: Values) -> Fraction:
    """A picture as wide as its frame, with bars above and below; one of full height has its shape from its width."""
    if v["inner_height"] > v["height"]:
        raise ReckonError("The picture cannot be higher than its frame.", remedy="Give a smaller height, or a higher frame.")
    return Fraction(v["width"] * v["pixel"] / v["inner_height"]) if v["inner_height"] < v["height"] else _inner_of_width(v)


def _crop_words(v: Values) -> list[str]:
    left, over = v["width"] - v["inner_width"], v["height"] - v["inner_height"]
    bars = (
        f"bars of {number_text(left / 2)} pixels at the sides" if left > over else f"bars of {number_text(over / 2)} lines above and below"
    )
    return [
        f"a picture of {ratio_text(v['inner'])} in the frame is {number_text(v['inner_width'])} × {number_text(v['inner_height'])}"
        + (f": {bars}" if left or over else ", all of it"),
        (
            f"the largest {ratio_text(v['target'])} in it is {number_text(v['crop_width'])} × {number_text(v['crop_height'])};"
            f" its short side is {number_text(min(v['crop_width'] * v['pixel'], v['crop_height']) * 100 / 1080, places=0)} % of 1080"
        ),
    ]


CROP = Sheet(
    "crop",
    "Crop and bars",
    (
        Field("width", "Frame width", "pixels", "1920"),
        Field("height", "Frame height", "pixels", "1080"),
        Field("pixel", "Pixel shape", "shape", "1:1"),
        Field("inner", "Picture in it", "shape", "3:2", place="shape"),
        Field("target", "Wanted shape", "shape", "1:1"),
        Field("sides", "Sides must be", "words", "1", choices=_SIDES),
        Field("inner_width", "Picture width", "pixels", "1620"),
        Field("inner_height", "Picture height", "pixels", "1080"),
        Field("crop_width", "Crop width", "pixels", "1080"),
        Field("crop_height", "Crop height", "pixels", "1080"),
    ),
    (
        Relation(
            ("width", "height", "pixel", "inner", "sides", "inner_width"),
            {"inner_width": lambda v: _rounded_inner(v, 0), "inner": _inner_of_width},
        ),
        Relation(
            ("width", "height", "pixel", "inner", "sides", "inner_height"),
            {"inner_height": lambda v: _rounded_inner(v, 1), "inner": _inner_of_height},
        ),
        Relation(
            ("width", "height", "pixel", "inner", "target", "sides", "crop_width"),
            {"crop_width": lambda v: _to_sides(_crop_size(v)[0], v, "down")},
        ),
        Relation(
            ("width", "height", "pixel", "inner", "target", "sides", "crop_height"),
            {"crop_height": lambda v: _to_sides(_crop_size(v)[1], v, "down")},
        ),
    ),
    _crop_words,
)


def _limited(v: Values) -> Fraction:
    depth = int(v["depth"])
    step = 2 ** (depth - 8)
    top = 2**depth - 1
    if v["full"] > top:
        raise ReckonError(f"{depth} bits hold code values up to {top}.", remedy="Choose a greater depth, or a smaller code.")
    return Fraction(round(16 * step + v["full"] * 219 * step / Fraction(top)))


def _full(v: Values) -> Fraction:
    depth = int(v["depth"])
    step = 2 ** (depth - 8)
    top = 2**depth - 1
    return Fraction(min(top, max(0, round((v["limited"] - 16 * step) * Fraction(top) / (219 * step)))))


def _level_words(v: Values) -> list[str]:
    depth = int(v["depth"])
    step, top = 2 ** (depth - 8), 2**depth - 1
    low, high = 16 * step, 235 * step
    return [
        f"{depth} bits: full range 0 to {top}; limited range {low} (black) to {high} (white), colour {low} to {240 * step}",
        (
            f"{low} + {number_text(v['full'])} × {219 * step} ÷ {top} = {number_text(v['limited'])},"
            f" {number_text((v['limited'] - low) * 100 / (219 * step), places=1)} % of white"
        ),
        f"as output levels: end {high} ÷ {top} = {high / top:.3f}, start {low} ÷ {top} = {low / top:.3f}",
    ]


LEVELS = Sheet(
    "levels",
    "Full and limited levels",
    (
        Field("depth", "Depth", "words", "8", choices=(("8", "8 bits"), ("10", "10 bits"))),
        Field("full", "Full-range code", "count", "255"),
        Field("limited", "Limited-range code", "count", "235"),
    ),
    (Relation(("depth", "full", "limited"), {"limited": _limited, "full": _full}),),
    _level_words,
)


def _exact(value: float) -> Fraction:
    """A value that went through a power or a logarithm, to twelve figures."""
    return Fraction(f"{value:.12g}")


DECIBELS = Sheet(
    "decibels",
    "Decibels and ratios",
    (
        Field("level", "Level", "decibel", "-6 dB"),
        Field("amplitude", "Amplitude ratio", "number", "0.5012"),
        Field("power", "Power ratio", "number", "0.2512"),
    ),
    (
        Relation(
            ("level", "amplitude"),
            {
                "amplitude": lambda v: _exact(10 ** (float(v["level"]) / 20)),
                "level": lambda v: _exact(20 * math.log10(v["amplitude"])),
            },
        ),
        Relation(
            ("amplitude", "power"),
            {"power": lambda v: v["amplitude"] ** 2, "amplitude": lambda v: _exact(math.sqrt(v["power"]))},
        ),
    ),
    lambda v: [
        f"10 to the power of {number_text(v['level'])} ÷ 20 = {number_text(v['amplitude'], places=4)} in voltage or sample value",
        f"squared, {number_text(v['power'], places=4)} in power; twice the amplitude is 6.02 dB, twice the power 3.01 dB",
    ],
)

STOPS = Sheet(
    "stops",
    "Exposure stops",
    (
        Field("stops", "Difference", "stops", "1"),
        Field("light", "Light ratio", "number", "2"),
        Field("before", "Exposure before", "short time", "1/50", steady=True),
        Field("after", "Exposure after", "short time", "1/25"),
    ),
    (
        Relation(
            ("stops", "light"),
            {"light": lambda v: _exact(2.0 ** float(v["stops"])), "stops": lambda v: _exact(math.log2(v["light"]))},
        ),
        Relation(
            ("light", "before", "after"),
            {
                "after": lambda v: v["before"] * v["light"],
                "light": lambda v: positive(v["after"], "the exposure") / positive(v["before"], "the exposure"),
                "before": lambda v: v["after"] / v["light"],
            },
        ),
    ),
    lambda v: [
        f"2 to the power of {number_text(v['stops'])} = {number_text(v['light'], places=4)} times the light",
        f"an exposure of {number_text(v['before'], places=4)} s becomes {number_text(v['after'], places=4)} s",
    ],
)
