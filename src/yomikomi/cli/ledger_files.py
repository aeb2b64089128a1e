"""Commands of the ledger for files: hashed, read again, mended, and copied to other places."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from yomikomi.cli.root import Json, answer, carriers_named, open_record, say_aside
from yomikomi.core.errors import UnfinishedError, WrongUseError, YomikomiError

if TYPE_CHECKING:
    from yomikomi.core.ledger.files import Located
    from yomikomi.core.ledger.places import PlaceView
    from yomikomi.core.ledger.record import Record

Labels = Annotated[list[str] | None, typer.Argument(help="Labels of carriers; all unless given.")]
PlaceName = Annotated[str, typer.Argument(help="Name of a place, as ledger places tells it.")]


def verify(
    context: typer.Context,
    carriers: Labels = None,
    due: Annotated[bool, typer.Option("--due", help="Only what was not read for as long as the rules say.")] = False,
    exchange: Annotated[bool, typer.Option("--sha256", help="By SHA-256 too, which takes ten times as long.")] = False,
    repair: Annotated[bool, typer.Option("--repair", help="Mend what is damaged from a whole copy in another place.")] = False,
    as_json: Json = False,
) -> None:
    """Read files again and hold them against their digests; files that were never hashed are hashed first."""
    from yomikomi.cli.ledger_documents import FileLine, VerifyDocument

    with open_record(context) as record:
        record.workspace.check_writable()
        hashed = hash_new(record, quiet=as_json)
        wanted = _wanted(record, carriers)
        if due:
            ids = {one.id for one in record.files.due(days=record.releases.rules().check_days, now=datetime.now(UTC), most=100_000)}
            wanted = [one for one in wanted if one.id in ids]
        found_places(record)
        away = check(record, wanted, exchange=exchange, quiet=as_json)
        mended = _mend(record, quiet=as_json) if repair else 0
        lines = {one.id: one for one in record.files.all()}
        told = [FileLine.of(lines[one.id], away=one.id in away) for one in wanted if one.id in lines]
    document = VerifyDocument(hashed=hashed, checked=len(wanted) - len(away), repaired=mended, files=told)
    words = [f"{line.carrier:<10} {line.place or 'workspace':<14} {line.state:<10} {line.file}  {line.note}".rstrip() for line in told]
    answer(document, as_json, "\n".join([*words, f"{hashed} hashed, {document.checked} checked, {mended} repaired."]))
    wrong = sum(line.state not in {"whole", "away"} for line in told)
    if wrong:
        raise UnfinishedError(f"{wrong} of {len(told)} files are not whole.", remedy="Add --repair, or look at them in the ledger.")


def places(
    context: typer.Context,
    add: Annotated[Path | None, typer.Option("--add", help="Make this folder a place, best on another drive.")] = None,
    name: Annotated[str, typer.Option("--name", help="What it is called.")] = "",
    always: Annotated[str | None, typer.Option("--always", help="New copies go there by themselves, while the window is idle.")] = None,
    not_always: Annotated[str | None, typer.Option("--not-always", help="They do not any more.")] = None,
    forget: Annotated[str | None, typer.Option("--forget", help="Take a place off the record; its files stay where they are.")] = None,
    as_json: Json = False,
) -> None:
    """List the places that second copies lie in, and whether each is there now."""
    from yomikomi.cli.ledger_documents import PlaceLine, PlacesDocument
    from yomikomi.core.places.place import make_place

    with open_record(context) as record:
        if add is not None:
            record.workspace.check_writable()
            record.places.add(make_place(add, workspace=record.workspace.folder), name)
        for named, on in ((always, True), (not_always, False)):
            if named is not None:
                record.places.set_always(_place(record, named).id, on)
        if forget is not None:
            record.places.forget(_place(record, forget).id)
        there = found_places(record)
        lines = [PlaceLine.of(one, there=one.key in there) for one in record.places.all()]
    words = [f"{one.name:<20} {'there' if one.there else 'away':<6} {one.files:>6} files  {one.path}" for one in lines]
    answer(PlacesDocument(places=lines), as_json, "\n".join(words) or "No place yet: yomikomi ledger places --add FOLDER --name NAME")


def second_copy(
    context: typer.Context,
    place: PlaceName,
    carriers: Labels = None,
    copies_only: Annotated[bool, typer.Option("--copies-only", help="Not the raw takes.")] = False,
    as_json: Json = False,
) -> None:
    """Copy files to a place; what is there already is taken, what was cut off goes on, each is read back from the drive."""
    from yomikomi.cli.ledger_documents import SecondCopyDocument
    from yomikomi.cli.work import run_job
    from yomikomi.core.fixity.disks import disk_of
    from yomikomi.core.places.second_copy import copy_there

    wrong: list[str] = []
    with open_record(context) as record:
        record.workspace.check_writable()
        hash_new(record, quiet=as_json)
        found_places(record)
        view = _place(record, place)
        ids = {one.id for one in _wanted(record, carriers)}
        wanted = [one for one in record.files.missing_in(view.id, takes=not copies_only) if one.id in ids]
        done = 0
        for one in wanted:
            request = record.places.request(view, one)
            try:
                path = run_job(copy_there, request, f"copying {one.path.name}", quiet=as_json, heartbeat=True)
            except YomikomiError as error:
                wrong.append(f"{one.path.name}: {error}")
                continue
            record.files.add_second(one.file_id, view.id, request.name, disk_of(path))
            done += 1
    document = SecondCopyDocument(place=view.name, copied=done, wrong=wrong)
    answer(document, as_json, "\n".join([*wrong, f"{done} of {len(wanted)} files copied to {view.name} and read back."]))
    if wrong:
        raise UnfinishedError(f"{len(wrong)} files could not be copied.", remedy="Do it again; what was copied stays.")


def find(
    context: typer.Context,
    folders: Annotated[list[Path], typer.Argument(help="Folders to look through.")],
    as_json: Json = False,
) -> None:
    """Find files that were moved or renamed by their content, and write down where they lie now."""
    from yomikomi.cli.ledger_documents import FoundDocument
    from yomikomi.core.fixity.disks import disk_of
    from yomikomi.core.places.moved import find_moved

    with open_record(context) as record:
        record.workspace.check_writable()
        check(record, [one for one in record.files.all() if one.place_id is None and not one.path.exists()], quiet=as_json)
        lost = {one.content: one for one in record.files.troubled() if one.state == "missing" and one.place_id is None}
        found = find_moved(folders, {content: one.size for content, one in lost.items()})
        for content, path in found.items():
            record.files.moved(lost[content], path.absolute(), disk_of(path))
    told = {lost[content].path.name: str(path) for content, path in found.items()}
    words = "\n".join([*(f"{name}: {path}" for name, path in told.items()), f"{len(found)} of {len(lost)} found."])
    answer(FoundDocument(missing=len(lost), found=told), as_json, words)


def hash_new(record: Record, *, quiet: bool) -> int:
    """Files that were never hashed; returns how many were now."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.fixity.rounds import hash_files

    fresh = record.files.unhashed()
    made = run_job(hash_files, [one.path for one in fresh], "hashing", quiet=quiet, heartbeat=True) if fresh else []
    for one, hashed in zip(fresh, made, strict=True):
        if hashed.digests is not None:
            record.files.add(one, hashed.digests, hashed.disk)
    return sum(one.digests is not None for one in made)


def check(record: Record, wanted: Sequence[Located], *, exchange: bool = False, quiet: bool) -> set[int]:
    """Returns those that are away."""
    from yomikomi.cli.work import run_job
    from yomikomi.core.fixity.rounds import check_files

    requests = [record.files.check_request(one, exchange=exchange) for one in wanted]
    made: list[Any] = run_job(check_files, requests, "checking", quiet=quiet, heartbeat=True) if requests else []
    for one, checked in zip(wanted, made, strict=True):
        record.files.save_check(one, checked.finding, checked.disk)
    return {one.id for one, checked in zip(wanted, made, strict=True) if checked.finding.state == "away"}


def found_places(record: Record) -> set[str]:
    """Keys of the places that are there; where each is seen is written down."""
    from yomikomi.core.ledger.places import there_now

    there = there_now(record.places.all())
    if not record.workspace.read_only:
        for seen in there.values():
            record.places.seen(seen)
    return set(there)


def _mend(record: Record, *, quiet: bool) -> int:
    from yomikomi.cli.work import run_job
    from yomikomi.core.fixity.disks import disk_of
    from yomikomi.core.fixity.repair import repair

    mended = 0
    for one in record.files.troubled():
        try:
            run_job(repair, record.files.repair_request(one), f"repairing {one.path.name}", quiet=quiet)
        except YomikomiError as error:
            say_aside(error.message, error.remedy)
            continue
        record.files.repaired(one, disk_of(one.path))
        mended += 1
    return mended


def _wanted(record: Record, carriers: Sequence[str] | None) -> list[Located]:
    from yomikomi.core.ledger.files import RELEASED

    if not carriers:
        return [one for one in record.files.all() if one.state != RELEASED]
    wanted = {view.id for view in carriers_named(record, carriers)}
    return [one for one in record.files.of_carriers(wanted) if one.state != RELEASED]


def _place(record: Record, name: str) -> PlaceView:
    found = next((one for one in record.places.all() if one.name == name), None)
    if found is None:
        raise WrongUseError(f"There is no place {name}.", remedy="yomikomi ledger places lists them.")
    return found


