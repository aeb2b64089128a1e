"""What is done seldom with the whole record: handed on to others, taken in again, backed up, put back, joined with another workspace.

What writes the forms of others is loaded when it is asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.backups import FOLDER, backups_in, make_backup, restore
from yomikomi.core.ledger.merging import Merged, merge
from yomikomi.core.ledger.trust import id_of
from yomikomi.core.video.units import counted
from yomikomi.core.work.new_file import write_new, write_small
from yomikomi.core.work.notices import Weight
from yomikomi.ui.ledger.keeper import LedgerKeeper
from yomikomi.ui.state import AppState


class HandingOn(QObject):
    """``reopens``: has the program begin anew, since another record is there."""

    def __init__(self, state: AppState, keeper: LedgerKeeper, parent: QWidget, reopens: Callable[[], None]) -> None:
        super().__init__(parent)
        self._state, self._keeper, self._parent, self._reopens = state, keeper, parent, reopens

    @property
    def entries(self) -> Sequence[tuple[str, Callable[[], object]]]:
        return (
            ("Report on this carrier…", lambda: self._ask_report(all_of_them=False)),
            ("Report on the collection…", lambda: self._ask_report(all_of_them=True)),
            ("Everything as JSON…", self._ask_json), ("Everything as CSV…", self._ask_csv),
            ("Archive package of this carrier (BagIt)…", self._ask_bag), ("Record of this carrier as XML…", self._ask_xml),
            ("Timeline of this carrier…", self._ask_timeline),
            ("Take in an archive package…", self._ask_package), ("Bring in another workspace…", self._ask_merge),
            ("Back up the record now", self._keeper.back_up), ("Put a backup back…", self._ask_restore),
        )

    # With a file or folder that is known

    def report(self, path: Path, *, all_of_them: bool = False) -> None:
        from yomikomi.core.exports.carrier_report import carrier_reports, write_reports

        view, record = self._state.current, self._state.record
        ids = [one.id for one in self._state.spines] if all_of_them or view is None else [view.id]
        title = "The collection" if len(ids) > 1 or view is None else f"{view.label} {view.title}".strip()

        def make() -> str:
            write_reports(carrier_reports(record, ids, pictures=len(ids) <= 40), path, title=title, over=True)
            return path.name

        self._do("report", make, lambda name: f"{name} is written.")

    def json(self, path: Path) -> None:
        from yomikomi.core.exports.whole import as_json

        self._do("export", lambda: write_small(path, as_json(self._whole()), over=True), lambda _done: f"{path.name} is written.")

    def csv(self, folder: Path) -> None:
        from yomikomi.core.exports.whole import write_csv

        self._do("export", lambda: write_csv(self._whole(), folder), lambda _done: f"{folder.name}/ is written.")

    def _whole(self) -> Any:
        from yomikomi.core.exports.whole import whole_of

        with self._state.record.store.session() as session:
            return whole_of(session, workspace=id_of(self._state.workspace.folder))

    def bag(self, folder: Path) -> None:
        from yomikomi.core.exports.bags import make_bag

        view = self._state.current
        if view is not None:
            record, carrier = self._state.record, view.id
            self._keeper.hash_all(lambda: self._do(
                "export", lambda: make_bag(record, [carrier], folder),
                lambda made: f"{folder.name}/: {counted(made.files, 'file', 'files')}, every checksum looked at."
                + (f" Left out: {'; '.join(made.left)}." if made.left else ""),
            ))  # fmt: skip

    def xml(self, path: Path, form: str) -> None:
        from yomikomi.core.exports.described import described
        from yomikomi.core.exports.xml_records import XML_FORMS

        view, record = self._state.current, self._state.record
        if view is not None:
            make = XML_FORMS[form]
            words = f"{path.name} is written. Its structure is from memory, not validated."
            self._do("export", lambda: write_small(path, make(described(record, view.id)), over=True), lambda _done: words)

    def timeline(self, path: Path) -> None:
        from yomikomi.core.exports.timeline import timeline_of

        view, record = self._state.current, self._state.record
        if view is not None:
            self._do("export", lambda: write_new(path, timeline_of(record, view).encode()), lambda _done: f"{path.name} is written.")

    def take_package(self, folder: Path) -> None:
        from yomikomi.core.exports.bags import read_bag

        record = self._state.record
        self._bring(lambda: read_bag(record, folder))

    def merge(self, folder: Path) -> None:
        """The record is backed up first."""
        record, workspace, keep = self._state.record, self._state.workspace, self._state.record.releases.rules().backups

        def both() -> Merged:
            make_backup(workspace, keep=keep)
            return merge(record, folder)

        self._bring(both)

    def _bring(self, what: Callable[[], Merged]) -> None:
        if not self._state.may_write():
            return

        def came(told: Merged) -> None:
            words = f"{counted(told.carriers, 'carrier', 'carriers')} and {counted(told.files, 'file', 'files')} came"
            known = f"; {counted(told.known, 'carrier was', 'carriers were')} here already" if told.known else ""
            named = "".join(f" {old} is {new} here." for old, new in told.renamed.items())
            missing = f"{counted(len(told.missing), 'file was', 'files were')} not there." if told.missing else ""
            self._state.tell(Weight.LOOK if told.missing else Weight.FINE, f"{words}{known}.{named}", missing)
            self._state.reload()

        self._state.calls.call("merge", what, came, self._state.tell_error)

    def put_back(self, backup: Path) -> None:
        if self._state.jobs.jobs:
            self._state.tell(Weight.LOOK, "Work is running.", "Put the backup back when it is done.")
            return
        try:
            kept = restore(self._state.workspace, backup)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self._state.tell(Weight.FINE, f"The record is that of {backup.name}.", f"The one before is kept as {kept.name}.")
        self._reopens()

    def _do(self, kind: str, what: Callable[[], Any], words: Callable[[Any], str]) -> None:
        """In a thread."""
        self._state.calls.call(kind, what, lambda made: self._state.tell(Weight.FINE, words(made)), self._state.tell_error)

    # Asked for first

    def _save(self, words: str, name: str, kinds: str) -> Path | None:
        chosen, _filter = QFileDialog.getSaveFileName(self._parent, words, name, kinds)
        return Path(chosen) if chosen else None

    def _label(self) -> str:
        view = self._state.current
        return view.label if view is not None else "record"

    def _ask_report(self, *, all_of_them: bool) -> None:
        name = "collection" if all_of_them else self._label()
        path = self._save("Write a report", f"{name}.html", "HTML (*.html);;PDF (*.pdf)")
        if path is not None:
            self.report(path, all_of_them=all_of_them)

    def _ask_json(self) -> None:
        path = self._save("Everything as JSON", "record.json", "JSON (*.json)")
        if path is not None:
            self.json(path)

    def _ask_csv(self) -> None:
        folder = self._save("Everything as CSV: a new folder", "record csv", "")
        if folder is not None:
            self.csv(folder)

    def _ask_bag(self) -> None:
        folder = self._save("An archive package: a new folder", f"{self._label()} package", "")
        if folder is not None:
            self.bag(folder)

    def _ask_xml(self) -> None:
        from yomikomi.core.exports.xml_records import XML_FORMS

        form, sure = QInputDialog.getItem(self._parent, "Record as XML", "In which form?", list(XML_FORMS), 0, editable=False)
        path = self._save("Record as XML", f"{self._label()}-{form}.xml", "XML (*.xml)") if sure else None
        if path is not None:
            self.xml(path, form)

    def _ask_timeline(self) -> None:
        path = self._save("Timeline", f"{self._label()}.otio", "OpenTimelineIO (*.otio)")
        if path is not None:
            self.timeline(path)

    def _ask_package(self) -> None:
        folder = QFileDialog.getExistingDirectory(self._parent, "An archive package")
        if folder:
            self.take_package(Path(folder))

    def _ask_merge(self) -> None:
        folder = QFileDialog.getExistingDirectory(self._parent, "Another workspace; it stays as it is")
        if folder:
            self.merge(Path(folder))

    def _ask_restore(self) -> None:
        found = backups_in(self._state.workspace.folder / FOLDER)
        if not found:
            self._state.tell(Weight.LOOK, "There is no backup yet.", "One is made every day while the program is idle.")
            return
        lines = [f"{one.at.astimezone():%Y-%m-%d %H:%M}   {counted(one.carriers, 'carrier', 'carriers')}" for one in found]
        title, words = "Put a backup back", "The record as it is now is kept beside it. Which backup?"
        line, sure = QInputDialog.getItem(self._parent, title, words, lines, 0, editable=False)
        if sure:
            self.put_back(found[lines.index(line)].path)
