"""What Balance says: at the head of the station, and why a choice stands out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.machine import was_disturbed
from yomikomi.core.balance.models import Estimate, Fidelity, Prediction, TrialSet, Worst
from yomikomi.core.balance.threshold import Threshold
from yomikomi.core.balance.viewing import WORDS as VIEWING_WORDS
from yomikomi.core.balance.viewing import FidelityStep, step_of
from yomikomi.core.outlets.conforming import Violation
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.sound import SOUND_CODECS
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import bit_rate_text, counted, size_text
from yomikomi.core.work.text import capital

TRIALS_STOPPED = "Trials stopped; what was measured so far is kept."
# Noise power is known to a tenth, so that nothing may read as a third of its rms (tests/balance/test_detail.py).
LEAST_NOISE_TOLD = 0.35
# From here on the picture looks cleaner than the take beside it: judgement.
_LESS_NOISE = 0.75


def before_trials(*, read: bool, treated: bool, running: bool) -> tuple[str, str]:
    """The sentence and its basis while nothing is tried: what comes first."""
    if not read:
        return "Read the take first.", "Its hard and easy parts decide what the trials encode"
    if not treated:
        return "Choose the treatment first.", "Trials run on the treated picture"
    words = "Trials running; the first curves appear in a moment." if running else "Run trials to see what copies would cost."
    return words, "Short parts of this take are encoded: the hardest, the easiest and typical ones"


def none_fits(limit_bytes: float, smallest: PlanePoint | None) -> tuple[str, str]:
    """Where no tried recipe surely stays under a limit; ``smallest``: of all tried."""
    least = size_text(smallest.prediction.size_bytes.high) if smallest else "?"
    return f"No tried recipe is sure to stay under {size_text(limit_bytes)}.", f"The smallest tried needs {least}"


def none_smaller(own_bytes: float) -> tuple[str, str]:
    """Where every tried recipe makes a larger file than the take is."""
    return (
        f"Every copy tried is larger than the take itself, {size_text(own_bytes)}.",
        "It is compressed already and gains nothing by another encoding; a point on the plane can be chosen all the same",
    )


def nothing_in_common(conflicts: Sequence[str], alone: Sequence[str]) -> tuple[str, str]:
    """Outlets that no copy plays at together; ``alone``: of which leaving one out is enough."""
    remedy = f"leave out {' or '.join(alone)}, or make a copy for each" if alone else "choose fewer, and make a copy for each"
    return "No single copy plays at all of these outlets.", f"{capital('; '.join(conflicts))} · {remedy}"


def pictures_do_not_fit(violations: Sequence[Violation], added: Sequence[str]) -> tuple[str, str]:
    """``added``: what would be done to make them fit."""
    return "The pictures do not fit the outlet as they are treated.", f"{_all_of(violations)} · would fit: {', '.join(added)}"


def no_tried_codec_fits(outlet: Outlet, outside: Mapping[str, Sequence[Violation]], *, can_try: bool) -> tuple[str, str]:
    """``outside``: codecs tried, with what stands in the way. ``can_try``: trials know others that it plays."""
    basis = " · ".join(f"{CODECS[codec].words}: {_all_of(wrong)}" for codec, wrong in outside.items() if codec in CODECS)
    if not can_try:
        basis = "Trials know no codec that it plays; choose another outlet, or make the copy by hand"
    return f"None of the codecs tried plays at: {outlet.words}.", basis


def not_as_it_is(outlet: str, violations: Sequence[Violation]) -> str:
    """Why the take's own streams are not offered."""
    return f"As it is, the take does not play at: {outlet} ({_all_of(violations)})."


def _all_of(violations: Sequence[Violation]) -> str:
    return "; ".join(one.words for one in violations)


def headline(trials: TrialSet, picked: PlanePoint, *, running: bool, taught: int = 0) -> tuple[str, str]:
    """What the picked copy would be, and what that rests on. ``taught``: copies of this codec that corrected it."""
    told = picked.prediction
    size, name = told.size_bytes, told.recipe.row.words
    fidelity = told.fidelity
    head = f"{name}, {told.recipe.rate.words}: {size_text(size.expected)}, {difference_words(fidelity)}."
    parts = len(trials.segments)
    tried = f"measured on {parts} segments, size estimated from {max(trials.sized_on, parts)}"
    tried = "measured on the whole take" if trials.whole else tried
    still = "" if trials.complete else " · trials running" if running else " · trials stopped early"
    if was_disturbed(trials) and trials.complete:
        still = f" · other programs slowed the trials ({100 * trials.disturbed:.0f} % of the time): run them again later"
    if taught and told.learned is not None:
        tried += f", corrected by {counted(taught, 'earlier copy', 'earlier copies')}"
    interval = _interval(size)
    kept = f"{detail_words(fidelity)} · " if fidelity else ""
    return head, f"{kept}{interval} · {tried} · encode time about {spoken(told.encode_seconds.expected)}{still}"


def _interval(size: Estimate) -> str:
    return f"{size_text(size.low)} to {size_text(size.high)} (90 % interval)"


def detail_words(fidelity: Fidelity) -> str:
    """Detail and noise that a copy keeps, as figures."""
    noise = noise_words(fidelity.noise_kept)
    return f"detail kept {fidelity.value:.1f} dB on {VIEWING_WORDS[fidelity.viewing]}" + (f", {noise}" if noise else "")


def difference_words(fidelity: Fidelity | None) -> str:
    """What is seen of the loss, in half a sentence. That noise is gone is seen too, and no loss."""
    if fidelity is None:
        return "not compared"
    step = step_of(fidelity.value)
    seen = step.words if step.key == "none" else f"difference {step.words}"
    return f"{seen} but less noise" if fidelity.noise_kept is not None and fidelity.noise_kept < _LESS_NOISE else seen


def sound_words(recipe: Recipe) -> str:
    """What a copy's sound is."""
    if recipe.untouched or recipe.sound_copied:
        return "sound as it is"
    row = SOUND_CODECS[recipe.sound_codec]
    return f"sound {row.words}" + (f" {recipe.sound_kbps} kb/s" if row.lossless_share is None else "")


def seen_words(fidelity: Fidelity | None) -> str:
    """The same for a card, with what is known of the noise."""
    if fidelity is None:
        return ""
    noise = noise_words(fidelity.noise_kept)
    return capital(difference_words(fidelity.model_copy(update={"noise_kept": None}))) + (f", {noise}" if noise else "")


def noise_words(kept: float | None) -> str:
    """Empty where there is next to none to keep. Told to about a tenth, and a third is not told apart from nothing."""
    if kept is None:
        return ""
    return f"noise kept {10 * round(10 * min(1.0, kept))} %" if kept >= LEAST_NOISE_TOLD else "most of the noise removed"


def blind_result(found: Threshold) -> tuple[str, str]:
    """What a person's blind comparisons came to."""
    chance = f"{found.right} of {found.rounds} answers right where copies keep less"
    if not found.seen:
        return "You told no copy from the take.", f"{chance}: guessing does as well · small copies are enough for your eyes"
    odds = f"guessing does as well once in {counted_odds(found.chance)}"
    interval = f"90 % interval {found.low:.1f} to {found.high:.1f} dB"
    return f"You stop seeing a difference at {found.detail_db:.1f} dB.", f"{interval} · {chance}; {odds}"


def counted_odds(chance: float) -> str:
    """One in how many, in round figures."""
    times = 1 / max(chance, 1e-9)
    return f"{round(times)}" if times < 100 else "100 times or more"


# Why a choice stands out.

UNTOUCHED = "As it is, without recompression"
SMALLEST, FASTEST, BEST_TRIED = "Smallest at this fidelity", "Fastest at this fidelity", "Highest fidelity tried"


# For who has no wish: of the first three steps of what is seen.
STEP_TITLES = ("Best", "Better", "Good")
CUT_EXACTLY = "As it is, cut exactly"
WHY_CUT_EXACTLY = (
    "Begins and ends at the pictures that you chose: the few before the first and behind the last whole group are encoded,"
    " all others copied."
)
WITHOUT_NOISE = "With the noise taken out"
BY_HAND, AS_LAST = "Set by hand", "As last time"
WHY_BY_HAND = "The settings that you made."
WHY_AS_LAST = "The settings of the last copy that was put into the run."


def why_without_noise(noise: float, saved: float, recipe: Recipe) -> str:
    """``noise``: of the take, rms in code values; ``saved``: of the bytes with it, as a part."""
    return (
        f"Noise of {noise:.1f} code values takes {100 * saved:.0f} % of what {recipe.row.words}, {recipe.rate.words} needs. The finest"
        " texture goes with it: compare before and after in Treatment."
    )


def best_under(limit_bytes: float) -> str:
    return f"Best under {size_text(limit_bytes)}"


def fills(limit_bytes: float) -> str:
    return f"Uses all of {size_text(limit_bytes)}"


def why_fills(gain_db: float, passes: int) -> str:
    """``gain_db``: over the best of constant quality that is sure to stay under the limit."""
    how = "Two passes spread the bytes over the take, up to 2 %" if passes == 2 else "Encoded again until the size is hit, up to 6 %"
    return f"{how} under the limit and never over it: {gain_db:.1f} dB more than constant quality that is sure to stay under it."


def why_untouched(codec: str) -> str:
    return (
        f"The take is {codec} already and the treatment changes nothing: its streams are copied, and nothing can be lost."
        " Encoding again would cost time and detail."
    )


def untouched_headline(codec: str, size: float, *, tried: bool) -> tuple[str, str]:
    """Where the take is best copied as it is."""
    more = "" if tried else " · Run trials only if it must become smaller, or play where this codec does not"
    basis = f"Streams copied as they are, proven packet by packet{more}"
    return f"{codec} already, {size_text(size)}: copy it without recompression.", basis


def why_best(limit_bytes: float, behind: tuple[str, float] | None) -> str:
    """``behind``: the next codec and how many dB it stays behind."""
    more = f"; {behind[0]} stays {behind[1]:.1f} dB behind" if behind else ""
    return f"Highest fidelity of all that are sure to stay under {size_text(limit_bytes)}{more}."


def why_best_tried(wanted: str) -> str:
    return f"None of the tried recipes reaches “{wanted}” on this footage; this one comes nearest."


def why_smallest(wanted: FidelityStep, other: tuple[str, float] | None) -> str:
    """``other``: the next codec and how much more it needs, as a part."""
    more = f"; {other[0]} needs {100 * other[1]:.0f} % more" if other else ""
    return f"The smallest that keeps at least {wanted.least:.0f} dB of detail, “{wanted.words}”{more}."


def why_fastest(wanted: FidelityStep) -> str:
    return f"The fastest to encode of all that keep at least {wanted.least:.0f} dB of detail."


def without_noise_headline(told: Prediction) -> tuple[str, str]:
    """A copy of another treatment than the take has got."""
    name, size = f"{told.recipe.row.words}, {told.recipe.rate.words}", size_text(told.size_bytes.expected)
    kept = f"{detail_words(told.fidelity)} · " if told.fidelity else ""
    interval = _interval(told.size_bytes)
    return f"{name} with the noise taken out: {size}.", f"{kept}{interval} · adds a step to the treatment, and runs the trials again"


# Settings by hand.

NOT_READ = "Read the take and choose its treatment first."
GRAIN_SYNTHESIS = "Grain synthesis"
USUAL_SD = "Usual for standard definition"
COMFORTABLE_SD = "Comfortable for standard definition"
LEAST_SD = "The least for detailed pictures"
TELEVISION_HD = "Accepted by many for high definition on television"


def does_not_fit(outlet: Outlet, violation: Violation) -> str:
    return f"Does not play at {outlet.words}: {violation.words}."


def above_the_source(kbps: float, source_kbps: float) -> str:
    rates = f"{bit_rate_text(1000 * kbps)} asked for, {bit_rate_text(1000 * source_kbps)} in the take"
    return f"A rate above the take's own gains nothing: {rates}."


def larger_than_the_source(size: float) -> str:
    return f"{size_text(size)} is larger than the take itself, and can only look worse."


def held_back(worst: Worst, kbps: float) -> str:
    """By a cap, or by the level."""
    rates = f"{bit_rate_text(1000 * worst.kbps)} wanted at {clock(worst.at_seconds)}, {bit_rate_text(1000 * kbps)} allowed"
    return f"The hardest part is held back and looks worse than told: {rates}."


def level_too_low(recipe: Recipe, width: int, height: int, needed: str | None) -> str:
    more = f" Choose level {needed} or higher, or any." if needed is not None else " Choose any level."
    return f"Level {recipe.codec_level} of {recipe.row.words} cannot hold pictures of {width} × {height} at this rate.{more}"


def one_pass(*, short: bool) -> str:
    missed = ", on a take as short as this by up to a third" if short else ""
    return f"One pass may miss its average{missed}; two hold it within 2 %."


def codec_not_tried(recipe: Recipe) -> str:
    return f"{recipe.row.words} was not tried on this take."


def effort_not_tried(recipe: Recipe, tried: Recipe) -> str:
    return f"{recipe.row.words} was tried with {tried.speed_words or 'one effort'}, not with {recipe.speed_words}."


def keys_not_tried(tried: Recipe) -> str:
    return f"Trials had key pictures at most {tried.key_seconds:g} s apart."


def quality_not_tried(recipe: Recipe, tried: Sequence[Recipe]) -> str:
    known = sorted(one.level for one in tried if one.quality is not None)
    if not known or recipe.quality is None or not recipe.row.highest_quality_number:
        return f"{recipe.words} was not tried on this take."
    return f"Quality {known[0]} to {known[-1]} was tried, not {recipe.quality}."


def size_not_tried(size: float, least: float, most: float) -> str:
    return f"{size_text(size)} is asked for; what was tried takes {size_text(least)} to {size_text(most)}."


def by_hand_headline(told: Prediction | None, *, reason: str = "", wrong: str = "", named: bool = False) -> tuple[str, str]:
    """Of a recipe that is set by hand. ``reason``: why nothing is told; ``wrong``: what does not go together; ``named``: with its name."""
    if wrong:
        return "These settings do not go together.", wrong
    if told is None:
        return "What this comes to is not known yet.", f"{reason} A trial of it tells"
    size, fidelity = told.size_bytes, told.fidelity
    interval = _interval(size)
    kept = f"{detail_words(fidelity)} · " if fidelity else ""
    how = "measured" if told.measured else "from what was tried"
    time = f"encode time about {spoken(told.encode_seconds.expected)}"
    name = f"{told.recipe.row.words}, {told.recipe.rate.words}: " if named else ""
    return f"{name}{size_text(size.expected)}, {difference_words(fidelity)}.", f"{kept}{interval} · {how} · {time}"


def notch_words(words: str, recipe: Recipe, told: Prediction | None) -> tuple[str, str]:
    """A setting that people know by heart, and what it means here."""
    head = GRAIN_SYNTHESIS if recipe.grain else capital(recipe.rate.words)
    if told is None:
        return head, f"{words}; not tried on this take"
    return head, f"{words}; here {size_text(told.size_bytes.expected)}, {difference_words(told.fidelity)}"


def grain_for(level: int, sigma: float) -> str:
    """Of a noisy take. ``sigma``: its noise, code values, rms."""
    return f"Strength {level} for noise {sigma:.1f} (code values, rms): encoded without it, and players add it again"


def hardest_words(hard: Worst) -> str:
    """When it is, its worst second, and what is seen there; two lines."""
    seen = f"\n{step_of(hard.detail_db).words} there ({hard.detail_db:.1f} dB)" if hard.detail_db is not None else ""
    return f"{clock(hard.at_seconds)}: up to {bit_rate_text(1000 * hard.kbps)} in a second{seen}"


def compared_copy(point: PlanePoint) -> str:
    """Under a moving picture of it."""
    recipe = point.prediction.recipe
    return f"{recipe.row.words}, {recipe.rate.words}: {size_text(point.size)} in all"


NONE_SMALLER_TRIED = "Nothing tried is smaller at this fidelity"


def curve_name(recipe: Recipe, share: float | None) -> str:
    """``share``: of its bytes over those of H.264 at the same fidelity, less one; None where that is not known."""
    if share is None:
        return recipe.curve_words
    return f"{recipe.curve_words}, {abs(100 * share):.0f} % {'less' if share < 0 else 'more'} than {CODECS['h264'].words}"


def smaller_curve_name(recipe: Recipe, below: float | None) -> str:
    """Of smaller pictures. ``below``: the detail below which they take fewer bytes than pictures of full size; None: nowhere."""
    return f"{recipe.curve_words}, less below {below:.0f} dB" if below is not None else recipe.curve_words
