"""Archive packages: carriers with their files and records in a folder that says of itself what it holds (BagIt, RFC 8493)."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import bagit

from yomikomi.core.errors import UnfinishedError, UnreadableError, WrongUseError
from yomikomi.core.exports.described import described
from yomikomi.core.exports.whole import Whole, as_json, from_json, whole_of, write_record
from yomikomi.core.exports.xml_records import XML_FORMS
from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.merging import Merged, merge
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.trust import id_of
from yomikomi.core.ledger.workspace import RECORD_FILE, Workspace
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import give_folder_name, new_folder

_RECORD = "record.json"
_PIECE = 4 << 20


@dataclass(frozen=True)
class Bagged:
    """``files``: footage in it; ``left``: files on record that could not be put in, with why."""

    path: Path
    files: int
    bytes: int
    left: tuple[str, ...]


def make_bag(
    record: Record, carriers: Sequence[int], target: Path, *, takes: bool = True, check: Callable[[], None] = lambda: None
) -> Bagged:  # fmt: skip
    """Into a new folder. Footage is copied, never moved, and must be what its digest says; the package is looked through before it has its
    name. ``takes``: raw takes too.

    Raises NameTakenError, UnfinishedError, and what the drive says.
    """
    wanted = [one for one in record.files.of_carriers(carriers) if one.place_id is None]
    wanted = [one for one in wanted if takes or one.what == "copy"]
    staging, origin = new_folder(target), id_of(record.workspace.folder)
    left: list[str] = []
    try:
        count, size = 0, 0
        for one in wanted:
            reason = _put(one, staging, record.workspace, check)
            if reason:
                left.append(f"{one.path.name}: {reason}")
            else:
                count, size = count + 1, size + one.size
        with record.store.session() as session:
            whole = whole_of(session, workspace=origin, carriers=set(carriers))
        (staging / _RECORD).write_bytes(as_json(_inside(whole, record.workspace, wanted)))
        for carrier in carriers:
            told = described(record, carrier)
            folder = staging / "records" / f"{carrier:06d}"
            folder.mkdir(parents=True)
            for name, form in XML_FORMS.items():
                (folder / f"{name}.xml").write_bytes(form(told))
            (folder / "page.json").write_text(told.page.model_dump_json(indent=1))
        about = {"Source-Organization": "", "External-Description": f"{len(carriers)} carriers", "Bag-Software-Agent": "Yomikomi"}
        bagit.make_bag(str(staging), about, checksums=["sha256"], processes=1)
        _look_through(staging)
        give_folder_name(staging, target)
    except OSError as error:
        raise drive_error(error, target, safe="Nothing of the workspace was touched.") from error
    finally:
        if staging.exists():
            shutil.rmtree(staging, ignore_errors=True)
    return Bagged(target, count, size, tuple(left))


def _inside(whole: Whole, workspace: Workspace, wanted: Sequence[Located]) -> Whole:
    """Footage from outside the workspace lies in the package, and its record says so."""
    names = {workspace.keep(one.path): _name(one, workspace) for one in wanted}
    tables = dict(whole.tables)
    for table in ("takes", "copies", "locations"):
        tables[table] = [{**row, "path": names.get(row["path"], row["path"])} for row in tables[table]]
    return replace(whole, tables=tables)


def _name(one: Located, workspace: Workspace) -> str:
    if one.path.is_relative_to(workspace.folder):
        return str(one.path.relative_to(workspace.folder))
    return f"takes/{one.content[:12]}-{one.path.name}"


def _put(one: Located, staging: Path, workspace: Workspace, check: Callable[[], None]) -> str:
    """Empty, or why it was left out."""
    from yomikomi.core.fixity.digests import content_of

    target = staging / _name(one, workspace)
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with one.path.open("rb") as source, target.open("xb") as made:
            while piece := source.read(_PIECE):
                check()
                made.write(piece)
            made.flush()
            os.fsync(made.fileno())
    except FileNotFoundError:
        return "it is not there"
    if content_of(target, lambda _done: check()) != (one.size, one.content):
        target.unlink()
        return "it is not what was hashed; check it in the ledger"
    return ""


def _look_through(folder: Path) -> None:
    """Every file against its checksum, and none besides. Raises UnfinishedError."""
    try:
        bagit.Bag(str(folder)).validate(processes=1)
    except bagit.BagError as error:
        raise UnfinishedError(f"The package is not whole: {error}.", remedy="Check the drive, then make it again.", path=folder) from error


def read_bag(record: Record, folder: Path, check: Callable[[], None] = lambda: None) -> Merged:
    """Bring over what a package of this program holds, after every checksum was looked at. Raises UnreadableError where it is damaged,
    WrongUseError where it is none of ours."""
    folder = folder.expanduser().resolve()
    try:
        bag = bagit.Bag(str(folder))
        bag.validate(processes=1)
    except (bagit.BagError, OSError) as error:
        raise UnreadableError(f"{folder.name}/ is no whole package: {error}.", remedy="Use another copy of it.", path=folder) from error
    content = folder / "data" / _RECORD
    if not content.is_file():
        raise WrongUseError(f"{folder.name}/ holds no record of this program.", remedy="Import its files on the Shelf instead.")
    whole = from_json(content.read_bytes())
    staging = new_folder(record.workspace.folder / "package")
    try:
        write_record(whole, staging / RECORD_FILE)
        return merge(record, staging, check, files=folder / "data", origin=whole.workspace)
    finally:
        with contextlib.suppress(OSError):
            shutil.rmtree(staging)
