"""Commands of the ledger for the record itself: backed up, put back, checked, joined with another."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from yomikomi.cli.root import Json, answer, default_workspace, open_record, say_aside
from yomikomi.core.errors import UnfinishedError, WrongUseError


def backup(
    context: typer.Context,
    to: Annotated[Path | None, typer.Option("--to", help="A second folder for this one; as the rules say unless given.")] = None,
    only_list: Annotated[bool, typer.Option("--list", help="Only tell which there are.")] = False,
    as_json: Json = False,
) -> None:
    """Back up the record while it is in use: proven, the oldest going when there are enough. Takes and copies are no part of it."""
    from yomikomi.cli.ledger_documents import BackupDocument, BackupLine
    from yomikomi.core.ledger.backups import FOLDER, backups_in, make_backup

    with open_record(context) as record:
        rules = record.releases.rules()
        if not only_list:
            second = to or (Path(rules.backup_folder) if rules.backup_folder else None)
            make_backup(record.workspace, keep=rules.backups, second=second)
        found = backups_in(record.workspace.folder / FOLDER)
    lines = [BackupLine.of(one) for one in found]
    words = [f"{one.at:%Y-%m-%d %H:%M:%S}  {one.carriers:>6} carriers  {one.takes:>6} takes  {one.path.name}" for one in found]
    answer(BackupDocument(backups=lines), as_json, "\n".join(words) or "No backup yet.")


def restore(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(help="A backup, as ledger backup --list tells it; by name or path.")],
) -> None:
    """Put a backup in the place of the record. The record as it is now is kept beside it."""
    from yomikomi.core.errors import WorkspaceError
    from yomikomi.core.ledger.backups import FOLDER, restore_unopened
    from yomikomi.core.ledger.backups import restore as put_back
    from yomikomi.core.ledger.integrity import record_problems
    from yomikomi.core.ledger.workspace import RECORD_FILE

    folder = (context.obj.workspace or default_workspace()).expanduser().resolve()
    backup = file if file.is_file() else folder / FOLDER / file.name
    try:
        with open_record(context) as record:
            kept = put_back(record.workspace, backup)
    except WorkspaceError as damaged:
        if not (folder / RECORD_FILE).is_file() or not record_problems(folder / RECORD_FILE):
            raise
        say_aside(damaged.message, "Putting the backup back …")
        kept = restore_unopened(folder, backup)
    print(f"The record is that of {file.name} now. The one before is kept as {kept.name}.")


def merge(
    context: typer.Context,
    other: Annotated[Path, typer.Argument(help="Folder of another workspace; it stays as it is.")],
    as_json: Json = False,
) -> None:
    """Bring over all that another workspace holds. What came once is known again; labels that are taken get a number."""
    from yomikomi.cli.ledger_documents import MergeDocument
    from yomikomi.core.ledger.backups import make_backup
    from yomikomi.core.ledger.merging import merge as bring_over
    from yomikomi.core.video.units import size_text

    with open_record(context) as record:
        record.workspace.check_writable()
        make_backup(record.workspace, keep=record.releases.rules().backups)
        told = bring_over(record, other)
    document = MergeDocument.of(told)
    words = [f"{told.carriers} carriers, {told.takes} takes, {told.copies} copies came; {told.files} files, {size_text(told.bytes)}."]
    words += [f"{told.known} carriers were here already."] if told.known else []
    words += [f"{old} is {new} here, since the label was taken." for old, new in told.renamed.items()]
    words += [f"missing there: {one}" for one in told.missing]
    answer(document, as_json, "\n".join(words))


def check(
    context: typer.Context,
    repair: Annotated[bool, typer.Option("--repair", help="Save what can be read into a new record; the damaged one is kept.")] = False,
) -> None:
    """Look through the whole record for damage."""
    from yomikomi.core.ledger.integrity import record_problems
    from yomikomi.core.ledger.repairing import repair_record
    from yomikomi.core.ledger.workspace import RECORD_FILE

    folder = (context.obj.workspace or default_workspace()).expanduser().resolve()
    if not (folder / RECORD_FILE).is_file():
        raise WrongUseError(f"{folder.name}/ is no workspace.", remedy="Name a folder with workspace.sqlite in it.")
    found = record_problems(folder / RECORD_FILE)
    if not found:
        print("The record is whole.")
        return
    if not repair:
        words = f"The record is damaged: {'; '.join(found[:3])}."
        raise UnfinishedError(words, remedy="Restore a backup, or add --repair.", path=folder)
    told, kept = repair_record(folder)
    rows = sum(told.rows.values())
    print(f"{rows} rows saved, {told.lost} could not be read. The damaged record is kept as {kept.name}.")
