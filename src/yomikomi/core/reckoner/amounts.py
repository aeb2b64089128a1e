"""Sheets of rates, sizes and times."""

from __future__ import annotations

from fractions import Fraction

from yomikomi.core.planning.data_rates import CAPTURE_CODECS, PCM_BITS_PER_SECOND, SAMPLES_PER_PIXEL, uncompressed_bits_per_pixel
from yomikomi.core.reckoner.engine import Field, Relation, Sheet, Values, positive
from yomikomi.core.reckoner.quantities import NEVER, bits_words, bytes_words, size_words, time_words
from yomikomi.core.video.units import number_text

# What MP4 and Matroska add for each packet comes to about this much at 60 pictures and 47 blocks of sound a second
# (tests/planning/test_reckoner.py measures it).
_CONTAINER = "12k"
_OWN = "own"


def _size_rate(v: Values) -> Fraction:
    return Fraction(v["video"] + v["sound"] + v["container"])


SIZE = Sheet(
    "size",
    "Rate, size and time",
    (
        Field("time", "Length", "time", "1h", place="length"),
        Field("video", "Video rate", "bit rate", "2000k"),
        Field("sound", "Sound rate", "bit rate", "160k", steady=True),
        Field("container", "Container adds", "bit rate", _CONTAINER, steady=True),
        Field("size", "File size", "size", "1GB"),
    ),
    (
        Relation(
            ("time", "video", "sound", "container", "size"),
            {
                "size": lambda v: _size_rate(v) * v["time"] / 8,
                "video": lambda v: positive(v["size"] * 8 / v["time"] - v["sound"] - v["container"], "the picture"),
                "time": lambda v: v["size"] * 8 / _size_rate(v),
                "sound": lambda v: positive(v["size"] * 8 / v["time"] - v["video"] - v["container"], "the sound"),
            },
        ),
    ),
    lambda v: [
        (
            f"{bits_words(v['video'])} picture + {bits_words(v['sound'])} sound + {bits_words(v['container'])} container"
            f" = {bits_words(_size_rate(v))}"
        ),
        f"{bits_words(_size_rate(v))} × {time_words(v['time'])} ÷ 8 bits a byte = {size_words(v['size'])}",
        f"that is {size_words(_size_rate(v) * 450)} an hour",
    ],
)


def _bits_per_pixel(v: Values) -> Fraction:
    if v["codec"] == "uncompressed":
        return uncompressed_bits_per_pixel(depth=int(v["depth"]), sampling=v["sampling"])
    if v["codec"] == _OWN:
        return Fraction(v["bits"])
    return Fraction(str(CAPTURE_CODECS[v["codec"]].bits_per_pixel[1]))


def _capture_words(v: Values) -> list[str]:
    if v["codec"] == "uncompressed":
        how = f"{v['depth']} bits × {number_text(SAMPLES_PER_PIXEL[v['sampling']])} samples a pixel ({v['sampling']})"
    elif v["codec"] == _OWN:
        how = "worked back from the rate"
    else:
        low, _, high = CAPTURE_CODECS[v["codec"]].bits_per_pixel
        how = f"usual for {CAPTURE_CODECS[v['codec']].words}; by material {number_text(low)} to {number_text(high)}"
    return [
        f"{number_text(v['bits'], places=3)} bits a pixel: {how}",
        (
            f"{number_text(v['width'])} × {number_text(v['height'])} pixels × {number_text(v['rate'])} fps"
            f" × {number_text(v['bits'], places=3)} bits = {bits_words(v['video'])}"
        ),
        (
            f"with {bits_words(v['sound'])} sound, {time_words(v['time'])} take {size_words(v['size'])};"
            f" the drive must keep up {bytes_words(v['video'] + v['sound'])}"
        ),
    ]


CAPTURE = Sheet(
    "capture",
    "Capture data rate",
    (
        Field(
            "codec", "Codec", "words", "ffv1",
            choices=(*((key, row.words) for key, row in CAPTURE_CODECS.items()), (_OWN, "own figure")),
        ),
        Field("width", "Width", "pixels", "720", steady=True),
        Field("height", "Height", "pixels", "480", steady=True),
        Field("rate", "Frame rate, fps", "frame rate", "29.97", steady=True),
        Field("depth", "Depth", "words", "8", choices=(("8", "8 bits"), ("10", "10 bits"), ("12", "12 bits"), ("16", "16 bits"))),
        Field("sampling", "Sampling", "words", "4:2:2", choices=tuple((key, key) for key in SAMPLES_PER_PIXEL)),
        Field("bits", "Bits a pixel", "number", "6.3"),
        Field("video", "Picture rate", "bit rate", "65M"),
        Field("sound", "Sound rate", "bit rate", str(PCM_BITS_PER_SECOND // 1000), steady=True),
        Field("time", "Length", "time", "2h", place="length"),
        Field("size", "Room needed", "size", "60GB"),
    ),
    (
        Relation(("codec", "depth", "sampling", "bits"), {"bits": _bits_per_pixel, "codec": lambda v: _OWN}),
        Relation(
            ("width", "height", "rate", "bits", "video"),
            {
                "video": lambda v: v["width"] * v["height"] * v["rate"] * v["bits"],
                "bits": lambda v: v["video"] / (v["width"] * v["height"] * v["rate"]),
            },
        ),
        Relation(
            ("video", "sound", "time", "size"),
            {
                "size": lambda v: (v["video"] + v["sound"]) * v["time"] / 8,
                "time": lambda v: v["size"] * 8 / (v["video"] + v["sound"]),
                "video": lambda v: positive(v["size"] * 8 / v["time"] - v["sound"], "the picture"),
            },
        ),
    ),
    _capture_words,
)  # fmt: skip

DRIVE = Sheet(
    "drive",
    "Drive time",
    (
        Field("free", "Free on the drive", "size", "500GB", steady=True),
        Field("reserve", "Kept free", "size", "5GB", steady=True),
        Field("rate", "Rate written", "bit rate", "67M"),
        Field("time", "Lasts", "time", "16h"),
        Field("measured", "Drive sustains", "byte rate", "90", steady=True),
        Field("margin", "Margin", "number", "10"),
    ),
    (
        Relation(
            ("free", "reserve", "rate", "time"),
            {
                "time": lambda v: positive(v["free"] - v["reserve"], "the recording") * 8 / v["rate"],
                "rate": lambda v: positive(v["free"] - v["reserve"], "the recording") * 8 / v["time"],
                "free": lambda v: v["rate"] * v["time"] / 8 + v["reserve"],
            },
        ),
        Relation(
            ("rate", "measured", "margin"),
            {
                "margin": lambda v: v["measured"] / v["rate"],
                "measured": lambda v: v["margin"] * v["rate"],
                "rate": lambda v: v["measured"] / v["margin"],
            },
        ),
    ),
    lambda v: [
        f"({size_words(v['free'])} − {size_words(v['reserve'])}) × 8 ÷ {bits_words(v['rate'])} = {time_words(v['time'])}",
        f"needed {bytes_words(v['rate'])}, the drive sustains {bytes_words(v['measured'])}:"
        f" {number_text(v['margin'], places=1)} times as much"
        + ("" if v["margin"] >= 2 else "; less than twice is tight: other programs write too"),
    ],
)


def _until_stop(v: Values) -> object:
    return v["buffer"] * 8 / (v["needs"] - v["card"]) if v["needs"] > v["card"] else NEVER


def _card_words(v: Values) -> list[str]:
    squeeze = f"compression of {number_text(v['compression'], places=2)} : 1 brings the rate down to what the card takes"
    if v["time"] == NEVER:
        return [f"the card takes {bytes_words(v['card'])}, no less than the {bytes_words(v['needs'])} needed: it never stops", squeeze]
    return [
        (
            f"{size_words(v['buffer'])} of buffer ÷ ({bytes_words(v['needs'])} − {bytes_words(v['card'])})"
            f" = {time_words(v['time'])} until it stops"
        ),
        squeeze,
    ]


def _time_or_error(v: Values) -> Fraction:
    if v["time"] == NEVER:
        return Fraction(v["card"])
    return Fraction(v["buffer"] * 8 / v["time"] + v["card"])


CARD = Sheet(
    "card",
    "Card-limited recording",
    (
        Field("needs", "Recording needs", "byte rate", "80"),
        Field("card", "Card writes", "byte rate", "40", steady=True),
        Field("buffer", "Buffer", "size", "400MB", steady=True),
        Field("time", "Stops after", "short time", "10"),
        Field("compression", "Compression needed", "number", "2"),
    ),
    (
        Relation(
            ("needs", "card", "buffer", "time"),
            {
                "time": _until_stop,
                "needs": _time_or_error,
                "buffer": lambda v: positive(v["needs"] - v["card"], "the buffer: the card keeps up") * v["time"] / 8,
                "card": lambda v: positive(v["needs"] - v["buffer"] * 8 / v["time"], "the card"),
            },
        ),
        Relation(
            ("needs", "card", "compression"),
            {
                "compression": lambda v: v["needs"] / v["card"],
                "needs": lambda v: v["compression"] * v["card"],
                "card": lambda v: v["needs"] / v["compression"],
            },
        ),
    ),
    _card_words,
)

_RATE_TIME_SIZE = Relation(
    ("time", "rate", "size"),
    {
        "size": lambda v: v["rate"] * v["time"] / 8,
        "time": lambda v: v["size"] * 8 / v["rate"],
        "rate": lambda v: v["size"] * 8 / v["time"],
    },
)

LOOKBACK = Sheet(
    "lookback",
    "Look-back memory",
    (
        Field("time", "Look-back time", "time", "10 min"),
        Field("rate", "Rate", "bit rate", "67M"),
        Field("size", "Room of the ring", "size", "5GB"),
    ),
    (_RATE_TIME_SIZE,),
    lambda v: [f"{bits_words(v['rate'])} × {time_words(v['time'])} ÷ 8 = {size_words(v['size'])} kept all the time"],
)

CLIPS = Sheet(
    "clips",
    "Clips",
    (
        Field("clip", "One clip", "short time", "30", steady=True),
        Field("count", "How many", "count", "120"),
        Field("time", "Together", "time", "1h", place="length"),
        Field("rate", "Rate", "bit rate", "40M", steady=True),
        Field("size", "Together they take", "size", "18GB"),
    ),
    (
        Relation(
            ("clip", "count", "time"),
            {
                "time": lambda v: v["clip"] * v["count"],
                "count": lambda v: positive(Fraction(v["time"] // positive(v["clip"], "a clip")), "one whole clip"),
                "clip": lambda v: v["time"] / positive(v["count"], "clips"),
            },
        ),
        _RATE_TIME_SIZE,
    ),
    lambda v: [
        f"{number_text(v['count'])} × {time_words(v['clip'])} = {time_words(v['clip'] * v['count'])}",
        f"× {bits_words(v['rate'])} ÷ 8 = {size_words(v['size'])}",
    ],
)

UPLOAD = Sheet(
    "upload",
    "Upload",
    (
        Field("size", "File size", "size", "1GB"),
        Field("uplink", "Uplink", "bit rate", "4M", steady=True),
        Field("share", "Share of it to be had", "percent", "90 %", steady=True),
        Field("time", "Takes", "time", "37 min"),
    ),
    (
        Relation(
            ("size", "uplink", "share", "time"),
            {
                "time": lambda v: v["size"] * 8 / (v["uplink"] * positive(v["share"], "the upload")),
                "size": lambda v: v["time"] * v["uplink"] * v["share"] / 8,
                "uplink": lambda v: v["size"] * 8 / (v["time"] * positive(v["share"], "the upload")),
            },
        ),
    ),
    lambda v: [
        f"{size_words(v['size'])} × 8 ÷ ({bits_words(v['uplink'])} × {number_text(v['share'] * 100)} %) = {time_words(v['time'])}",
    ],
)

_SPEEDS = {"standard": 1, "half": 2, "third": 3}

TAPE = Sheet(
    "tape",
    "Tape length",
    (
        Field("marked", "Marked on it", "time", "120"),
        Field(
            "speed", "Speed", "words", "standard", steady=True,
            choices=(("standard", "standard speed"), ("half", "half speed, twice as long"), ("third", "a third, three times as long")),
        ),
        Field("time", "Runs", "time", "2h", place="length"),
    ),
    (
        Relation(
            ("marked", "speed", "time"),
            {"time": lambda v: v["marked"] * _SPEEDS[v["speed"]], "marked": lambda v: v["time"] / _SPEEDS[v["speed"]]},
        ),
    ),
    lambda v: [f"{time_words(v['marked'])} at standard speed × {_SPEEDS[v['speed']]} = {time_words(v['time'])}; tapes may run 5 % over"],
)  # fmt: skip
