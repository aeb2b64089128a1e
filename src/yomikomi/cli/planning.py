"""Commands of planning: titles of discs, the Reckoner, the shelf."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from yomikomi.cli.root import Json, answer, open_record
from yomikomi.core.errors import WrongUseError

if TYPE_CHECKING:
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView


shelf = typer.Typer(help="Carriers on the shelf of a workspace.", no_args_is_help=True)


def titles(
    disc: Annotated[Path, typer.Argument(help="A VIDEO_TS folder, the folder it lies in, or an image.")], as_json: Json = False
) -> None:
    """List the titles of a video disc: which are programme, episodes, extras, menus, and why."""
    from yomikomi.cli.planning_documents import TitleDocument, TitlesDocument
    from yomikomi.core.disc.contents import read_contents, refuse_scrambled
    from yomikomi.core.disc.titles import judge_titles
    from yomikomi.core.video.timecode import clock

    contents = read_contents(disc)
    refuse_scrambled(contents)
    found = [TitleDocument.of(one) for one in judge_titles(contents.titles)]
    document = TitlesDocument(disc=str(disc), titles=found, menus=contents.menus, trouble=list(contents.trouble))
    lines = [
        f"{one.index:>3}  {clock(one.seconds)}  {one.kind:<9} {100 * one.confidence:3.0f} %  {one.chapters} chapters, "
        f"{len(one.sound)} sound, {len(one.subtitles)} subtitles, {one.shape}\n{'':6}{one.reason}"
        for one in found
    ]
    answer(document, as_json, "\n".join([*lines, *contents.trouble]))


def reckon(
    sheet: Annotated[str | None, typer.Argument(help="Which sheet; without one, all are listed.")] = None,
    sides: Annotated[list[str] | None, typer.Argument(help="What is given, as side=value: time=2h size=4.7GB.")] = None,
    as_json: Json = False,
) -> None:
    """Work out a sheet of the Reckoner: what is given stands, the rest follows."""
    from yomikomi.cli.planning_documents import ReckonDocument, SheetsDocument
    from yomikomi.core.reckoner.engine import reckon as work_out
    from yomikomi.core.reckoner.sheets import SHEETS, sheet_of

    if sheet is None:
        listed = {key: {side.key: side.words for side in one.fields} for key, one in SHEETS.items()}
        words = "\n".join(f"{key:<10} {SHEETS[key].words}: {', '.join(sides)}" for key, sides in listed.items())
        answer(SheetsDocument(sheets=listed), as_json, words)
        return
    given: dict[str, str] = {}
    for side in sides or []:
        key, equals, value = side.partition("=")
        if not equals:
            raise WrongUseError(f"{side!r} is not side=value.", remedy="Write for example time=2h.")
        given[key.strip()] = value
    made = work_out(sheet_of(sheet), given)
    document = ReckonDocument.of(made, given)
    lines = [f"{side.words:<22} {made.text(side.key)}{'  (given)' if side.key in given else ''}" for side in made.sheet.fields]
    answer(document, as_json, "\n".join([*lines, "", *made.explain()]))


@shelf.command("list")
def shelf_list(context: typer.Context, as_json: Json = False) -> None:
    """List the carriers."""
    from yomikomi.cli.planning_documents import CarrierDocument, ShelfDocument
    from yomikomi.core.video.timecode import clock

    with open_record(context) as record:
        views = record.carriers()
        document = ShelfDocument(carriers=[CarrierDocument.of(view) for view in views])
        lines = [
            f"{view.label:<10} {view.title:<36} {view.kind:<10} {view.standard or '':<11} "
            f"{clock(view.nominal_seconds) if view.nominal_seconds else '':>8}  {view.next_station:<9} {view.details.condition.words}"
            for view in views
        ]
    answer(document, as_json, "\n".join(lines) or "The shelf is empty.")


@shelf.command("add")
def shelf_add(
    context: typer.Context,
    label: Annotated[str, typer.Argument(help="What stands on it.")],
    kind: Annotated[str, typer.Option(help="vhs, svhs, video8, hi8, laserdisc, disc, card, camera, console.")] = "vhs",
    title: Annotated[str, typer.Option(help="What is on it.")] = "",
    standard: Annotated[str | None, typer.Option(help="525i, 625i, 1080i59.94 …; not known if left out.")] = None,
    length: Annotated[str | None, typer.Option(help="Running time: 1:58:00, 2h.")] = None,
    marked: Annotated[str | None, typer.Option(help="What is marked on it: 120, T-120, E-180.")] = None,
    speed: Annotated[str | None, typer.Option(help="Tape speed, such as SP, LP, EP.")] = None,
    count: Annotated[int, typer.Option(help="How many like this; the number at the end of the label counts up.")] = 1,
    tags: Annotated[str, typer.Option(help="Tags, with commas between.")] = "",
    note: Annotated[str, typer.Option(help="A note.")] = "",
    rights: Annotated[bool, typer.Option("--rights", help="We hold the rights, or may copy it.")] = False,
    as_json: Json = False,
) -> None:
    """Add a carrier, or a series of similar ones."""
    from yomikomi.core.planning.carriers import KINDS
    from yomikomi.core.planning.formats import FORMATS
    from yomikomi.core.planning.intake import Intake, series_labels, tags_of, usual_details
    from yomikomi.core.planning.lengths import factor_of, parse_marked, running_seconds
    from yomikomi.core.video.units import parse_time

    if kind not in KINDS:
        raise WrongUseError(f"There is no kind {kind!r}.", remedy=f"Use one of: {', '.join(KINDS)}.")
    if standard is not None and standard not in FORMATS:
        raise WrongUseError(f"There is no standard {standard!r}.", remedy=f"Use one of: {', '.join(FORMATS)}.")
    seconds = parse_time(length) if length else None
    if length and not seconds:
        raise WrongUseError(f"{length!r} is no running time.", remedy="Write it as 1:58:00, 2h or 118 min.")
    usual = usual_details(kind)
    chosen = speed or usual.speed
    if speed:
        factor_of(KINDS[kind], speed)
    shell = parse_marked(marked) if marked else None
    minutes, cassette = shell or (None, "")
    if marked and minutes is None:
        raise WrongUseError(f"{marked!r} are no marked minutes.", remedy="Write what stands on it: 120, T-120 or E-180.")
    runs = float(seconds) if seconds else None
    if runs is None and minutes and KINDS[kind].speeds:
        runs = running_seconds(KINDS[kind], marked_minutes=minutes, speed=chosen, lines=standard, cassette=cassette)
    found = {"marked_minutes": minutes, "cassette": cassette, "speed": chosen, "rights": rights, "tags": tags_of(tags)}
    details = usual.model_copy(update=found)
    with open_record(context) as record:
        labels = series_labels(label, count, record.shelf.labels())
        intakes = [Intake(label=one, title=title, kind=kind, format=standard, seconds=runs, note=note, details=details) for one in labels]
        _put(record, intakes, as_json)


@shelf.command("import")
def shelf_import(
    context: typer.Context,
    paths: Annotated[list[Path], typer.Argument(help="Files, folders, or an inventory (CSV).")],
    kind: Annotated[str, typer.Option(help="For rows of an inventory that name no kind.")] = "vhs",
    as_json: Json = False,
) -> None:
    """Take in footage by reference, or an inventory; what is not understood is told and left out."""
    from yomikomi.cli.planning_documents import CarrierDocument, ImportDocument
    from yomikomi.core.ledger.gathering import gather
    from yomikomi.core.planning.inventory import TABLE_SUFFIXES, match_columns, read_table, take_in

    tables = [path for path in paths if path.suffix.lower() in TABLE_SUFFIXES]
    with open_record(context) as record:
        ids: list[int] = []
        problems: list[str] = []
        for path in tables:
            table = read_table(path)
            made = take_in(table, match_columns(table.headings), kind=kind, taken=record.shelf.labels())
            problems += [f"{path.name} row {one.number}: {one.words}" for one in made.problems]
            ids += record.shelf.put(made.intakes, _players(made.intakes))
        rest = [path for path in paths if path not in tables]
        found = gather(record.takes, rest)
        if found.failures and len(paths) == 1 and not found.taken:
            raise found.failures[0]
        ids += found.taken
        problems += [error.message for error in found.failures] + [f"{name}: {words}" for name, words in found.warnings]
        problems += [f"{disc.name} is a disc: see yomikomi titles, and take its titles in on the Shelf." for disc in found.discs]
        document = ImportDocument(
            carriers=[CarrierDocument.of(record.carrier(one)) for one in ids], problems=problems, left_aside=found.left_aside
        )
    lines = [f"{len(ids)} added", *problems]
    answer(document, as_json, "\n".join(lines))


def _put(record: Record, intakes: list[Any], as_json: bool) -> None:
    from yomikomi.cli.planning_documents import CarrierDocument, ShelfDocument

    ids = record.shelf.put(intakes, _players(intakes))
    views: list[CarrierView] = [record.carrier(one) for one in ids]
    document = ShelfDocument(carriers=[CarrierDocument.of(view) for view in views])
    answer(document, as_json, "\n".join(f"{view.label} is on the shelf." for view in views))


def _players(intakes: Any) -> list[dict[str, Any] | None]:
    from yomikomi.sim.stand_ins import stand_in

    return [stand_in(one.kind, one.format, seed=number + 1, seconds=one.seconds) for number, one in enumerate(intakes)]
