"""Commands of the ledger for what others open, and for taking it in again."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from yomikomi.cli.ledger_files import hash_new
from yomikomi.cli.root import Json, answer, carriers_named, open_record
from yomikomi.core.errors import UnfinishedError, WrongUseError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView

_FORMS = ("json", "csv", "report", "bag", "pbcore", "premis", "dublin-core", "timeline", "frames")
_BY_ENDING = {".json": "json", ".html": "report", ".htm": "report", ".pdf": "report", ".otio": "timeline", ".csv": "frames"}
# Of one carrier each.
_SINGLE = {"pbcore", "premis", "dublin-core", "timeline", "frames"}


def export(
    context: typer.Context,
    output: Annotated[Path, typer.Option("-o", "--output", help="File or new folder.")],
    carriers: Annotated[list[str] | None, typer.Argument(help="Labels of carriers; all unless given.")] = None,
    form: Annotated[str | None, typer.Option("--form", help=f"{', '.join(_FORMS)}; by the ending of the name unless given.")] = None,
    schema: Annotated[Path | None, typer.Option("--schema", help="Hold the XML against this schema (XSD) of yours.")] = None,
    without_takes: Annotated[bool, typer.Option("--without-takes", help="Copies only in a bag.")] = False,
    as_json: Json = False,
) -> None:
    """Write what others open: everything as JSON or CSV, reports, a bag for an archive, records as XML, a timeline, sums of all frames."""
    from yomikomi.cli.ledger_documents import ExportDocument

    wanted = form or _BY_ENDING.get(output.suffix.lower())
    if wanted not in _FORMS:
        raise WrongUseError(f"It is not said in which form {output.name} is to be.", remedy=f"Add --form, one of: {', '.join(_FORMS)}.")
    with open_record(context) as record:
        views = _views(record, carriers)
        if wanted in _SINGLE and len(views) != 1:
            raise WrongUseError(f"The form {wanted} is of one carrier.", remedy="Name one label.")
        if not record.workspace.read_only and wanted in {"bag", "pbcore", "premis", "dublin-core", "report"}:
            hash_new(record, quiet=as_json)
        note = _write(record, views, wanted, output, schema, whole=not carriers, takes=not without_takes, quiet=as_json)
    told = ExportDocument(form=wanted, file=str(output), carriers=[one.label for one in views], note=note)
    answer(told, as_json, f"{output}: {note}")


def take_in(
    context: typer.Context,
    source: Annotated[Path, typer.Argument(help="A bag, a JSON file or a folder of CSV files that ledger export wrote.")],
    files: Annotated[Path | None, typer.Option("--files", help="Where the files lie that a JSON or CSV export tells of.")] = None,
    as_json: Json = False,
) -> None:
    """Bring back what was exported: into an empty workspace exactly as it was, into another as a merge."""
    from yomikomi.cli.ledger_documents import MergeDocument
    from yomikomi.core.exports.bags import read_bag
    from yomikomi.core.exports.whole import from_json, put_into, read_csv, write_record
    from yomikomi.core.ledger.merging import Merged, merge
    from yomikomi.core.ledger.workspace import RECORD_FILE

    with open_record(context) as record:
        record.workspace.check_writable()
        if (source / "bagit.txt").is_file():
            told = read_bag(record, source)
        else:
            try:
                whole = read_csv(source) if source.is_dir() else from_json(source.read_bytes())
            except OSError as error:
                raise WrongUseError(f"{source.name} cannot be read: {error.strerror}.", remedy="Name what ledger export wrote.") from error
            if not record.carriers():
                put_into(whole, record)
                carriers, takes, copies = (len(whole.tables.get(name, [])) for name in ("carriers", "takes", "copies"))
                told = Merged(carriers=carriers, takes=takes, copies=copies)
            else:
                with tempfile.TemporaryDirectory(prefix="yomikomi-") as folder:
                    write_record(whole, Path(folder) / RECORD_FILE)
                    told = merge(record, Path(folder), files=(files or source.parent).resolve(), origin=whole.workspace)
    words = [f"{told.carriers} carriers, {told.takes} takes, {told.copies} copies came; {told.known} were here already."]
    answer(MergeDocument.of(told), as_json, "\n".join([*words, *(f"missing there: {one}" for one in told.missing)]))


def _write(
    record: Record, views: Sequence[CarrierView], form: str, output: Path, schema: Path | None, *, whole: bool, takes: bool, quiet: bool
) -> str:  # fmt: skip
    """What was written, in words."""
    from yomikomi.core.work.new_file import write_new

    ids = [one.id for one in views]
    if form in {"json", "csv"}:
        from yomikomi.core.exports.whole import as_json, whole_of, write_csv
        from yomikomi.core.ledger.trust import id_of

        with record.store.session() as session:
            made = whole_of(session, workspace=id_of(record.workspace.folder), carriers=None if whole else set(ids))
        if form == "json":
            write_new(output, as_json(made))
        else:
            write_csv(made, output)
        return f"{sum(len(rows) for rows in made.tables.values())} rows in {len(made.tables)} tables"
    if form == "report":
        from yomikomi.core.exports.carrier_report import carrier_reports, write_reports

        title = f"{views[0].label} {views[0].title}".strip() if len(views) == 1 else "The collection"
        write_reports(carrier_reports(record, ids, pictures=len(ids) <= 40), output, title=title)
        return f"a report on {len(ids)} carriers"
    if form == "bag":
        return _bag(record, ids, output, takes=takes)
    return _single(record, views[0], form, output, schema, quiet=quiet)


def _bag(record: Record, ids: Sequence[int], output: Path, *, takes: bool) -> str:
    from yomikomi.core.exports.bags import make_bag
    from yomikomi.core.video.units import size_text

    bagged = make_bag(record, ids, output.absolute(), takes=takes)
    if bagged.left:
        words = f"The bag is made, but without: {'; '.join(bagged.left)}."
        raise UnfinishedError(words, remedy="Find or repair those, then make it again.", path=output)
    return f"{bagged.files} files, {size_text(bagged.bytes)}; every checksum was looked at"


def _single(record: Record, view: CarrierView, form: str, output: Path, schema: Path | None, *, quiet: bool) -> str:
    from yomikomi.core.work.new_file import write_new

    if form == "timeline":
        from yomikomi.core.exports.timeline import timeline_of

        write_new(output, timeline_of(record, view).encode())
        return "a timeline"
    if form == "frames":
        from yomikomi.cli.work import run_job
        from yomikomi.core.exports.frame_sums import frame_sums

        if view.take is None:
            raise WrongUseError(f"{view.label} has no take.", remedy="Capture or import it.")
        sums = run_job(frame_sums, view.take.path, "decoding", quiet=quiet, heartbeat=True)
        write_new(output, sums.csv.encode())
        return f"{sums.frames} frames" + (f"; {sums.damage}" if sums.damage else "")
    from yomikomi.core.exports.described import described
    from yomikomi.core.exports.xml_records import XML_FORMS, check_by

    content = XML_FORMS[form](described(record, view.id))
    wrong = check_by(content, schema) if schema is not None else []
    write_new(output, content)
    if wrong:
        raise UnfinishedError(f"{output.name} does not fit the schema: {wrong[0]}", remedy=f"{len(wrong)} places in all.", path=output)
    return "it fits the schema that was given" if schema is not None else "its structure is from memory, not validated: give --schema"


def _views(record: Record, labels: Sequence[str] | None) -> list[CarrierView]:
    return carriers_named(record, labels) if labels else record.carriers()
