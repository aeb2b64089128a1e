"""Sound, and whether it is with its picture."""

from __future__ import annotations

from fractions import Fraction

from yomikomi.core.reading.cards.advice import Origin, advice_for
from yomikomi.core.reading.cards.finding import Finding, Mark
from yomikomi.core.reading.models import Reading, Sound
from yomikomi.core.video.units import counted, decibel_text, number_text, signed_text

# A programme's peaks at or above this are clipped, or soon will be.
_HOT_DB = -0.1
_SYNC_MS, _DC, _LENGTH_S, _QUIET_LUFS = 45.0, 0.01, 1.0, -35.0
# Of all channels: one that speaks up now and then is not quiet, however little the others hold.
_QUIET_DB = -20.0


def sound_cards(reading: Reading, origin: Origin) -> list[Finding]:
    if not reading.sound:
        why = "there is no sound stream"
        return [Finding("sound", Mark.WRONG, "No sound in the file", "certain", why, advice_for("no sound", origin), 90)]
    cards = []
    for sound in reading.sound:
        name = "Sound" if len(reading.sound) == 1 else f"Sound {sound.index + 1}"
        cards.append(_level(reading, sound, name, origin))
        cards += _signs(reading, sound, name, origin)
    return cards


def sync_card(reading: Reading) -> Finding | None:
    sync = reading.sync
    if sync is None:
        return None
    if sync.offset_ms is None:
        return Finding(
            "sync", Mark.UNKNOWN, "Sync: nothing to measure it by", "–", sync.reason, "run a sync test through the same path", 30
        )
    assert sync.low is not None
    assert sync.high is not None
    half = (sync.high - sync.low) / 2
    drift = f"; it drifts by {sync.drift_ms_per_hour:.0f} ms an hour" if sync.drift_ms_per_hour else ""
    if abs(sync.offset_ms) - half < _SYNC_MS and not drift:
        title = "Sound and picture together"
        return Finding(
            "sync", Mark.FINE, title, f"±{half:.0f} ms", f"{sync.reason}: {number_text(sync.offset_ms, places=0)} ms", "nothing to do"
        )
    side = "late" if sync.offset_ms > 0 else "early"
    size = abs(sync.offset_ms)
    turn = "sooner" if side == "late" else "later"
    return Finding(
        "sync",
        Mark.WRONG,
        f"Sound {size:.0f} ms {side}",
        f"±{half:.0f} ms",
        sync.reason + drift,
        f"move the sound {size:.0f} ms {turn}",
        88,
    )


def _level(reading: Reading, sound: Sound, name: str, origin: Origin) -> Finding:
    holds = {"speech": ", speech alone", "music": ", music"}.get(sound.holds or "", "")
    what = f"{counted(sound.channels, 'channel', 'channels')}, {sound.codec}, {sound.sample_rate / 1000:g} kHz{holds}"
    silent = sum(end - start for start, end in sound.silences)
    level = f"peak {decibel_text(sound.peak_db)}"
    heard = sound.heard_seconds or sound.seconds
    rate = Fraction(reading.rate.nominal)
    if not sound.seconds:
        return Finding("sound", Mark.WRONG, f"{name}: a stream with nothing in it", "certain", what, advice_for("silent", origin), 90)
    if silent > 0.98 * heard:
        return Finding("sound", Mark.WRONG, f"{name}: silent throughout", "certain", what, advice_for("silent", origin), 90)
    loud = f", {signed_text(sound.loudness, places=1)} LUFS, range {sound.loudness_range:.0f} LU" if sound.loudness is not None else ""
    if sound.clipped:
        at = tuple(int(second * rate) for second in sound.clipped_at)
        return Finding(
            "sound", Mark.WRONG, f"{name} clips: {counted(sound.clipped, 'place', 'places')}", "measured", f"{what}; {level}{loud}",
            advice_for("clips", origin), 72, at[0] if at else None, at, "sound",
        )  # fmt: skip
    if sound.peak_db >= _HOT_DB:
        return Finding(
            "sound", Mark.LOOK, f"{name}: {level}, at the limit", "measured", what + loud, advice_for("at the limit", origin), 50,
            strip="sound",
        )  # fmt: skip
    if sound.loudness is not None and sound.loudness < _QUIET_LUFS and sound.peak_db < _QUIET_DB:
        why = f"{what}; {level}{loud}"
        return Finding("sound", Mark.LOOK, f"{name}: very quiet", "measured", why, "raise it in the treatment", 30, strip="sound")
    quiet = f", silent for {silent:.0f} s" if silent else ", no silence"
    return Finding("sound", Mark.FINE, f"{name}: {level}{quiet}", "measured", what + loud, "nothing to do", strip="sound")


def _signs(reading: Reading, sound: Sound, name: str, origin: Origin) -> list[Finding]:
    """What else is odd about a stream."""
    cards = []
    low = name[0].lower() + name[1:]
    if sound.relation == "one side":
        side = "left" if sound.empty_channels == [1] else "right"
        cards.append((Mark.LOOK, f"{name} on the {side} only", "the other channel is silent", "copy it to both channels", 52))
    elif sound.relation == "identical":
        cards.append(
            (Mark.FINE, f"{name}: the same on both sides", "their difference is 50 dB below their sum", "one channel is enough", 8)
        )
    elif sound.relation == "out of phase":
        cards.append(
            (Mark.WRONG, f"{name} out of phase", "the channels cancel in mono", "invert one channel", 68)
        )
    if sound.hum_hz:
        why = f"harmonics of {sound.hum_hz:.0f} Hz at {decibel_text(sound.hum_db or 0)}"
        cards.append((Mark.LOOK, f"Hum in the {low}", why, advice_for("hum", origin), 47))
    if sound.speed:
        why = f"its hum lies at {100 * sound.speed:.1f} % of the mains frequency"
        cards.append((Mark.WRONG, f"{name} runs at {100 * sound.speed:.1f} % speed", why, advice_for("speed", origin), 66))
    if sound.dc > _DC:
        cards.append((Mark.LOOK, f"{name}: DC offset {100 * sound.dc:.1f} %", "mean of all samples", "remove the offset", 26))
    if reading.mode == "full" and abs(sound.ends_at - reading.duration_seconds) > _LENGTH_S:
        ends = "before" if sound.ends_at < reading.duration_seconds else "after"
        size = abs(sound.ends_at - reading.duration_seconds)
        why = f"it ends {size:.1f} s {ends} the picture"
        cards.append((Mark.LOOK, f"{name} and picture end apart", why, "check that neither was cut off", 58))
    return [Finding("sound", mark, title, "measured", why, advice, cost, strip="sound") for mark, title, why, advice, cost in cards]
