"""The table of rules. (What a single option spoils by itself stands in settings.toml.)

To add one: a function in ``rules_ways``, ``rules_settings`` or ``rules_limits`` and a row here; a case in
``tests/path/cases.py`` that sets it off and one that does not.
"""

from __future__ import annotations

from yomikomi.core.path import rules_limits as limits
from yomikomi.core.path import rules_settings as settings
from yomikomi.core.path import rules_ways as ways
from yomikomi.core.path.findings import STRANDS, Rule

RULES: dict[str, Rule] = {
    rule.key: rule
    for rule in (
        Rule("cable missing", "no cable", "link", STRANDS, "break", ways.cable_missing),
        Rule("unfed", "not fed", "device", STRANDS, "break", ways.unfed),
        Rule("no way for sound", "no sound connection", "device", ("sound",), "break", ways.no_sound_way),
        Rule("too narrow", "bandwidth", "link", ("picture", "screen"), "break", limits.too_narrow),
        Rule("tight", "hardly any room", "link", ("picture",), "risk", limits.tight),
        Rule("composite", "composite", "link", ("picture",), "degrade", ways.composite),
        Rule("false component", "component is S-Video", "link", ("picture",), "note", ways.false_component),
        Rule("takes sound away", "headphones", "device", ("sound",), "break", ways.takes_sound_away),
        Rule("marks stay", "information stays", "device", ("picture",), "degrade", ways.marks_stay),
        Rule("disc captured", "data played", "device", ("picture",), "degrade", ways.disc_captured),
        Rule("interlaced sport", "interlaced sport", "device", ("picture",), "risk", settings.interlaced_sport, "send"),
        Rule("unpowered microphone", "no power", "device", ("sound", "commentary"), "break", ways.unpowered_microphone),
        Rule("wrong output", "wrong output", "device", ("picture",), "break", settings.wrong_output, "output"),
        Rule("wrong input", "wrong input", "device", STRANDS, "break", settings.wrong_input, "input"),
        Rule("cannot take", "unknown format", "device", ("picture", "screen"), "break", limits.cannot_take),
        Rule("wrong standard", "wrong standard", "device", ("picture",), "break", settings.wrong_standard, "standard"),
        Rule("converts", "converted", "device", ("picture",), "degrade", ways.converts),
        Rule("range differs", "range", "device", ("picture",), "degrade", settings.range_differs, "range"),
        Rule("blends", "fields blended", "device", ("picture",), "degrade", settings.blends, "deinterlace"),
        Rule("enlarges", "enlarged", "device", ("picture",), "degrade", settings.enlarges, "size"),
        Rule("two links", "two links", "device", ("picture",), "note", settings.two_links, "links"),
        Rule("head switching", "head switching", "device", ("picture",), "note", ways.head_switching),
        Rule("smaller than asked", "smaller than asked", "device", ("picture",), "degrade", limits.smaller_than_asked, "send"),
        Rule("no corrector", "no corrector", "device", ("picture",), "degrade", ways.no_corrector),
        Rule("hidden cadence", "cadence", "device", ("picture",), "note", ways.hidden_cadence),
        Rule("level differs", "sound level", "device", ("sound", "commentary"), "degrade", settings.level_differs, "level"),
        Rule("sound ahead", "sound early", "device", ("sound",), "degrade", settings.sound_ahead),
        Rule("sound behind", "sound late", "device", ("sound",), "degrade", settings.sound_behind, "sound_delay"),
        Rule("shares hub", "hub", "device", ("picture",), "risk", limits.shares_hub),
        Rule("two clocks", "two clocks", "device", ("sound",), "risk", ways.two_clocks),
        Rule("silent input", "silent input", "device", ("sound",), "break", settings.silent_input, "sound_input"),
        Rule("matrix differs", "matrix", "device", ("picture",), "degrade", settings.matrix_differs, "matrix"),
        Rule("order differs", "field order", "device", ("picture",), "degrade", settings.order_differs, "field_order"),
        Rule("encoder too slow", "processor", "device", ("picture",), "break", limits.encoder_too_slow, "codec"),
        Rule("system drive", "system drive", "device", ("picture",), "risk", limits.system_drive, "record_to"),
        Rule("drive full", "drive full", "device", ("picture",), "break", limits.drive_full, "codec"),
        Rule("side bars", "side bars", "device", ("picture",), "note", ways.side_bars),
        Rule("squeezed", "squeezed", "device", ("picture",), "note", ways.squeezed),
        Rule("drive too slow", "drive", "device", ("picture",), "break", limits.drive_too_slow),
        Rule("card too slow", "card", "device", ("picture",), "break", limits.card_too_slow),
        Rule("raw not taken", "no raw", "device", ("picture",), "break", settings.raw_not_taken),
        Rule("focus rate", "focus tracking", "device", ("picture",), "note", ways.focus_rate),
        Rule("watches preview", "preview lags", "device", ("picture",), "degrade", ways.watches_preview),
        Rule("hears preview", "preview lags", "device", ("ears",), "degrade", ways.hears_preview),
    )
}
