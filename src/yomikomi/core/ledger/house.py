"""House rules at work: a carrier is taken through like the first of its kind, or waits for a person with the difference named."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from yomikomi.core.balance.models import Prediction
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.house.differences import Difference, differences, planned_differences, predicted_differences
from yomikomi.core.house.rules import HouseRules, copy_name, rules_from
from yomikomi.core.ledger.house_cases import Case
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.run_queue import ask_set
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.outlets.model import outlets
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.reading.sentences import findings
from yomikomi.core.sets.model import SetCopy
from yomikomi.core.sets.planning import PlannedCopy, SetRequest, check_folders, plan_set
from yomikomi.core.treatment.advice import fields_treatment, suggested
from yomikomi.core.treatment.model import Treatment

# Steps that say something of one take alone, and what rules say themselves.
_OF_ONE_TAKE = frozenset({"fields", "trim", "cut out", "split", "film", "crop"})
# What predicts the copies of a set, in whatever process; None: nobody does.
Predicts = Callable[[SetRequest], Sequence[Prediction | None]]


def take_through(
    record: Record, view: CarrierView, rules: HouseRules, *, predicts: Predicts | None = None, all_the_same: bool = False
) -> list[Difference]:  # fmt: skip
    """A carrier that is read is treated, and its copies are put into the run; or it waits, and the differences are told.

    ``all_the_same``: a person saw them, and wants it so. Raises UnfinishedError where it has no take or no reading, WrongUseError where the
    rules are for others or a folder is away.
    """
    if view.take is None or view.judged is None:
        raise UnfinishedError(f"{view.label} has no take that was read.", remedy="Capture or import it, and read it.")
    if not rules.suits(view.kind, view.standard):
        raise WrongUseError(f"{view.label} is not what “{rules.words}” is for.", remedy=f"It is for {rules.summary.partition(':')[0]}.")
    treatment = treatment_of(rules, view)
    planned = plan_set(rules.copy_set, view.judged, treatment)
    check_folders(planned)
    found = [*differences(rules, view.judged), *planned_differences(rules, planned)]
    told: Sequence[Prediction | None] = [None] * len(planned)
    if predicts is not None and (all_the_same or not found):
        told = predicts(SetRequest(view.take.path, view.judged, tuple(planned)))
        found += predicted_differences(rules, told, view.judged.duration_seconds)
    if found and not all_the_same:
        record.house.note(view, rules, "waiting", found)
        return found
    _ask(record, view, treatment, planned, told)
    if not all_the_same:
        record.house.note(view, rules, "applied", [])
    return []


def prepare(record: Record, view: CarrierView, sheet: PathSheet | None, how: RecordAs | None) -> tuple[str, ...]:
    """Before the capture: a path that such carriers are captured by, where none was planned, and how they are recorded. What was done, in
    words; nothing for a carrier that has a take."""
    if view.take is not None:
        return ()
    done = []
    if sheet is not None and view.path is None:
        record.paths.save(view.id, unticked(sheet).model_copy(update={"carrier": f"{view.label} {view.title}".strip()}))
        done.append(f"path: {sheet.route}")
    settings = record.settings.capture()
    if how is not None and how != settings.record_as:
        record.settings.save_capture(settings.model_copy(update={"record_as": how}))
        done.append(f"recorded as {how.words}")
    return tuple(done)


def unticked(sheet: PathSheet) -> PathSheet:
    """With everything to be set and seen again: another tape lies in the player, and somebody may have turned a knob."""
    items = tuple(item.model_copy(update={"state": "open", "at": "", "at_words": ""}) for item in sheet.items)
    return sheet.model_copy(update={"items": items})


def accept(record: Record, case: Case, *, predicts: Predicts | None = None) -> None:
    """A person saw how a carrier differs, and wants it like the others all the same."""
    take_through(record, record.carrier(case.carrier), case.rules, predicts=predicts, all_the_same=True)
    record.house.answered(case.id, "accepted")


def treatment_of(rules: HouseRules, view: CarrierView) -> Treatment:
    assert view.judged is not None
    made = suggested(view.judged, findings(view.judged)) if rules.treatment == "suggested" else fields_treatment(view.judged)
    for step in rules.steps:
        made = made.having(step)
    return made


def make_rules(view: CarrierView, words: str, *, taken: Sequence[str] = ()) -> HouseRules:
    """From a carrier that was done by hand. Raises WrongUseError where it was not."""
    if view.judged is None or view.treatment is None:
        raise WrongUseError(f"{view.label} is not read and treated yet.", remedy="House rules are made from a carrier that is done.")
    wanted: list[SetCopy] = []
    names: set[str] = set()
    for number, copy in enumerate((one for one in view.copies if one.state not in {"cancelled", "failed"}), 1):
        name = copy_name(copy.recipe.words, number)
        if name.casefold() in names or len(wanted) == 12:
            continue
        names.add(name.casefold())
        known = copy.outlet is not None and copy.outlet.key in outlets()
        wanted.append(SetCopy(name=name, recipe=copy.recipe, outlets=(copy.outlet.key,) if copy.outlet is not None and known else ()))
    fields = fields_treatment(view.judged)
    all_suggested = view.treatment == suggested(view.judged, findings(view.judged))
    steps = [] if all_suggested else [step for step in view.treatment.steps if step not in fields.steps and step.step not in _OF_ONE_TAKE]
    return rules_from(
        words, view.judged, wanted, kind=view.kind, standard=view.standard, suggested=all_suggested and view.treatment != fields,
        steps=steps, path=view.path.carrier if view.path is not None else "", sheet=unticked(view.path) if view.path is not None else None,
        record_as=view.take.details.record_as if view.take is not None and view.take.origin == "captured" else None, taken=taken,
    )  # fmt: skip


def _ask(
    record: Record, view: CarrierView, treatment: Treatment, planned: Sequence[PlannedCopy], told: Sequence[Prediction | None]
) -> None:  # fmt: skip
    assert view.take is not None
    record.readings.choose_treatment(view.take.id, treatment)
    ask_set(record, record.carrier(view.id), planned, told)
