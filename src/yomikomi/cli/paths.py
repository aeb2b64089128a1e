"""Commands of planning the path: which ways lead through the equipment, and where a signal has gone."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from yomikomi.cli.root import Json, answer, open_record
from yomikomi.core.errors import UnfinishedError, WrongUseError

if TYPE_CHECKING:
    from yomikomi.core.path.equipment import Equipment
    from yomikomi.core.path.ranking import Ranked
    from yomikomi.core.path.structure import Setup, Task

CarrierOption = Annotated[str, typer.Option("--carrier", help="vhs, svhs, video8, hi8, laserdisc, disc, card, camera, console.")]
HaveOption = Annotated[Path | None, typer.Option("--have", help="An equipment file; without one, the workspace's equipment.")]
StandardOption = Annotated[str | None, typer.Option(help="525i, 625i, 1080i59.94 …; what is usual for the carrier if left out.")]
SoundOption = Annotated[str | None, typer.Option(help="mono, stereo, hi-fi stereo, silent …")]
SetOption = Annotated[list[str] | None, typer.Option("--set", help="What a setting is at, PIECE.SETTING=OPTION; may be repeated.")]
NumberOption = Annotated[int, typer.Option("--path", help="Which path, by its rank.", min=1)]


def path(
    context: typer.Context,
    carrier: CarrierOption,
    have: HaveOption = None,
    standard: StandardOption = None,
    sound: SoundOption = None,
    settings: SetOption = None,
    watch: Annotated[bool, typer.Option("--watch", help="Watch or play without lag meanwhile.")] = False,
    headphones: Annotated[bool, typer.Option("--headphones", help="Hear it in headphones meanwhile.")] = False,
    commentary: Annotated[bool, typer.Option("--commentary", help="Speak a commentary.")] = False,
    second: Annotated[bool, typer.Option("--second", help="A second recording at the same time.")] = False,
    sport: Annotated[bool, typer.Option("--sport", help="Fast movement.")] = False,
    limit: Annotated[int, typer.Option(help="How many paths are listed.", min=1, max=400)] = 20,
    sheet: Annotated[Path | None, typer.Option(help="Save the best path's settings sheet here (.pdf or .md).")] = None,
    as_json: Json = False,
) -> None:
    """List every workable path from a carrier through the equipment, best first, with reasons and breaks."""
    from yomikomi.cli.path_documents import ImprovementDocument, PathDocument, PathsDocument
    from yomikomi.core.path.improving import improvements
    from yomikomi.core.path.ranking import rank_paths
    from yomikomi.core.path.structure import Wishes
    from yomikomi.core.path.telling import told
    from yomikomi.core.path.trace import trace
    from yomikomi.core.video.delivery import symptoms_of

    equipment, task = _equipment(context, have), _task(carrier, standard, sound)
    wishes = Wishes(watch=watch, headphones=headphones, commentary=commentary, second=second, fast_sport=sport)
    ranked = rank_paths(equipment, task, wishes)
    more = improvements(equipment, task, wishes, ranked, None)
    paths = []
    for one in ranked[:limit]:
        traced = trace(_set(one.trace.setup, settings))
        paths.append((one, traced, PathDocument.of(one, traced, sorted(symptoms_of(traced.delivery)))))
    document = PathsDocument(
        carrier=carrier, format=task.picture_format, pieces=len(equipment.pieces), paths=[row[2] for row in paths],
        improvements=[ImprovementDocument(adds=list(one.adds), score=round(one.score, 2), words=one.words) for one in more],
    )  # fmt: skip
    if sheet is not None:
        _save_sheet(sheet, paths[0][0] if paths else None, settings)
    lines = []
    for one, traced, made in paths:
        lines.append(f"{one.place:>3}  {traced.mark:<9} {one.score:5.1f}  {made.route}")
        lines += [f"{'':21}{words}" for words in (*made.reasons, *(f"{found.cause} {found.remedy}" for found in traced.breaks))]
    if paths:
        lines += ["", *told(paths[0][1])]
    lines += [one.words for one in more]
    answer(document, as_json, "\n".join(lines) or "No path leads through this equipment, and nothing in the catalogue would make one.")


def diagnose(
    context: typer.Context,
    carrier: CarrierOption,
    seen: Annotated[list[str], typer.Option("--seen", help="A symptom; may be given several times. See --symptoms.")] = [],  # noqa: B006  read only
    have: HaveOption = None,
    standard: StandardOption = None,
    sound: SoundOption = None,
    number: NumberOption = 1,
    settings: SetOption = None,
    answers: Annotated[list[str] | None, typer.Option("--answer", help="An answer to a test: KEY=yes; may be given several times.")] = None,
    symptoms: Annotated[bool, typer.Option("--symptoms", help="List the symptoms, and do nothing else.")] = False,
    as_json: Json = False,
) -> None:
    """From what is seen or heard back to the cause on a path, and the next test that tells most."""
    from yomikomi.cli.path_documents import DiagnoseDocument
    from yomikomi.core.path.diagnosis import Diagnosis
    from yomikomi.core.path.ranking import rank_paths, route_words
    from yomikomi.core.path.structure import Wishes
    from yomikomi.core.video.delivery import SYMPTOMS

    if symptoms:
        print("\n".join(f"{key:<18} {one.words}" for key, one in SYMPTOMS.items()))
        return
    unknown = [one for one in seen if one not in SYMPTOMS]
    if unknown or not seen:
        what = f"{unknown[0]!r} is no symptom." if unknown else "No symptom was given."
        raise WrongUseError(what, remedy=f"Use --seen with one of: {', '.join(SYMPTOMS)}.")
    ranked = rank_paths(_equipment(context, have), _task(carrier, standard, sound), Wishes())
    if number > len(ranked):
        raise WrongUseError(f"There is no path {number}: {len(ranked)} were found.", remedy="See yomikomi path for the list.")
    setup = _set(ranked[number - 1].trace.setup, settings)
    hunt = Diagnosis(setup, seen)
    for words in answers or ():
        key, _, outcome = words.rpartition("=")
        try:
            hunt.answer(key, outcome)
        except (KeyError, StopIteration) as error:
            remedy = f"Tests: {', '.join(test.key for test in hunt.tests)}."
            raise WrongUseError(f"{words!r} answers no test of this path.", remedy=remedy) from error
    document = DiagnoseDocument.of(route_words(setup), hunt)
    lines = [f"{100 * one.probability:5.1f} %  {one.cause}\n{'':9}{one.remedy}" for one in document.suspects[:8]]
    if document.next_test is not None:
        test = document.next_test
        lines += ["", f"{test.question} ({test.how} About {60 * test.minutes:.0f} s.)", f'Answer with --answer "{test.key}=yes" or =no.']
    answer(document, as_json, "\n".join(lines))


def equipment(as_json: Json = False) -> None:
    """List the catalogue of kinds of equipment, by the keys that an equipment file uses."""
    from yomikomi.cli.path_documents import EquipmentDocument, KindDocument
    from yomikomi.core.path.catalogue import CATALOGUE

    kinds = [
        KindDocument(
            key=kind.key, words=kind.words, role=kind.role, plays=list(kind.plays),
            inputs=[port.connector for port in kind.ports if port.way == "in"],
            outputs=[port.connector for port in kind.ports if port.way == "out"],
        )
        for kind in CATALOGUE.values()
    ]  # fmt: skip
    answer(EquipmentDocument(kinds=kinds), as_json, "\n".join(f"{one.key:<24} {one.role:<11} {one.words}" for one in kinds))


def _equipment(context: typer.Context, have: Path | None) -> Equipment:
    from yomikomi.core.path.equipment import read_equipment

    if have is not None:
        return read_equipment(have)

    with open_record(context) as record:
        return record.settings.equipment()


def _task(carrier: str, standard: str | None, sound: str | None) -> Task:
    from yomikomi.core.path.structure import Task
    from yomikomi.core.planning.carriers import KINDS
    from yomikomi.core.planning.formats import FORMATS

    if carrier not in KINDS:
        raise WrongUseError(f"There is no kind {carrier!r}.", remedy=f"Use one of: {', '.join(KINDS)}.")
    if standard is not None and standard not in FORMATS:
        raise WrongUseError(f"There is no standard {standard!r}.", remedy=f"Use one of: {', '.join(FORMATS)}.")
    return Task(carrier, standard, sound if sound is not None else KINDS[carrier].sounds[0])


def _set(setup: Setup, settings: list[str] | None) -> Setup:
    """With settings as somebody says they are; those of pieces that are not on this path are left out."""
    changes = []
    for words in settings or ():
        knob, _, option = words.partition("=")
        piece, _, key = knob.rpartition(".")
        if piece not in setup.equipment.by_id:
            raise WrongUseError(f"There is no piece {piece!r}.", remedy=f"Pieces: {', '.join(setup.equipment.by_id)}.")
        options = [one for one, _ in setup.kind(piece).options(key)] if key in (*setup.kind(piece).all_settings, "plugged") else []
        if option not in options:
            raise WrongUseError(f"{words!r} is no setting of it.", remedy=f"{key or 'It'} can be: {', '.join(options) or 'nothing'}.")
        if (piece, key) in set(setup.knobs()):
            changes.append(((piece, key), option))
    return setup.changed(*changes)


def _save_sheet(target: Path, best: Ranked | None, settings: list[str] | None) -> None:
    from yomikomi.core.path.sheet import make_sheet
    from yomikomi.core.path.sheet_export import write_sheet
    from yomikomi.core.path.trace import trace

    if best is None:
        raise UnfinishedError("There is no path, and so no settings sheet.", remedy="See what would make one.")
    write_sheet(make_sheet(trace(_set(best.trace.setup, settings))), target)
