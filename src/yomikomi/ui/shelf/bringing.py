"""Everything that comes onto the shelf other than by hand: files, folders, discs, tables; and what leaves it on paper."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QDialog, QFileDialog, QWidget

from yomikomi.core.disc.finding import LONGEST_LOOK_S, DiscFound, look_into
from yomikomi.core.disc.joining import JoinRequest, JoinResult, join_title
from yomikomi.core.disc.titles import Judged
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.gathering import Gathered, gather
from yomikomi.core.ledger.spine import DISC_TITLE, Spine
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.planning.inventory import TABLE_SUFFIXES, Inventory, Table, read_table, write_table
from yomikomi.core.planning.labels import label_sheet
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import write_over
from yomikomi.core.work.notices import Weight
from yomikomi.sim.stand_ins import stand_in
from yomikomi.ui.shelf.discs import DiscBox, TitlesChosen
from yomikomi.ui.shelf.print_labels import LabelsBox, label_text
from yomikomi.ui.shelf.tables import TableBox
from yomikomi.ui.state import AppState

_BREATH_MS = 30


class Bringing(QObject):
    """Asks, works in the background, tells. ``box`` is the dialog that is open, for whoever drives the window."""

    def __init__(self, state: AppState, window: QWidget) -> None:
        super().__init__(window)
        self.state, self._window = state, window
        self.box: QDialog | None = None

    # Files, folders and discs

    def ask_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self._window, "Files or disc images to import")
        self.bring([Path(name) for name in names])

    def ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, "Folder or disc to import")
        if name:
            self.bring([Path(name)])

    def bring(self, paths: Sequence[Path]) -> None:
        """Look at everything in a thread; footage goes onto the shelf, for discs and inventories a person is asked."""
        for path in paths:
            if path.suffix.lower() in TABLE_SUFFIXES:
                self.bring_table(path)
        rest = [path for path in paths if path.suffix.lower() not in TABLE_SUFFIXES]
        if rest:
            look = partial(gather, self.state.record.takes, rest)
            self.state.calls.call("import", look, self._gathered, self.state.tell_error, stale_allowed=True)

    def _gathered(self, found: Gathered) -> None:
        self.state.reload()
        if found.taken:
            self.state.choose(found.taken[-1])
            self.state.takes_ready.emit(list(found.taken))
        for path in found.discs:
            self.state.jobs.start(look_into, path, name=f"looking into {path.name}", limit=LONGEST_LOOK_S, on_end=self._disc_looked)
        self._tell_gathered(found)

    def _tell_gathered(self, found: Gathered) -> None:
        if len(found.failures) == 1 and not found.taken:
            self.state.tell_error(found.failures[0])
            return
        count = len(found.taken)
        name = self.state.chosen.title if count == 1 and self.state.chosen else f"{count} files"
        head = f"{name} {'is' if count == 1 else 'are'} on the shelf." if count else ""
        aside = f" {found.left_aside} other files were skipped." if found.left_aside else ""
        if found.failures:
            reasons = "; ".join(error.message for error in found.failures[:3])
            more = f" and {len(found.failures) - 3} more" if len(found.failures) > 3 else ""
            self.state.tell(Weight.LOOK, f"{head} Not added: {reasons}{more}.{aside}".strip())
        elif found.warnings:
            file, words = found.warnings[0]
            told = f"{name} was added, but {words}." if count == 1 else f"{head} But {file}: {words}."
            self.state.tell(Weight.LOOK, f"{told}{aside}", "The rest can be used.")
        elif count:
            self.state.tell(Weight.FINE, f"{head}{aside} Next: read {'it' if count == 1 else 'them'}.")
        elif not found.discs:
            self.state.tell(Weight.LOOK, f"No footage was found there.{aside}")

    def _disc_looked(self, job: Job) -> None:
        if job.state is JobState.DONE:
            self._disc_found(job.result)
        else:
            self.state.tell_end(job)

    def _disc_found(self, found: DiscFound) -> None:
        box = DiscBox(found, self.state.record.shelf.next_label("D"), self._window)
        box.chosen.connect(self.take_titles)
        self._open(box)

    def take_titles(self, chosen: TitlesChosen) -> None:
        """A carrier for each title, then its data copied into a take, one after another."""
        intakes, sources = titles_to_take_in(chosen)
        try:
            ids = self.state.record.shelf.put(intakes, sources)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.reload()
        self.state.choose(ids[0])
        for place, one in enumerate(ids, start=1):  # spread out, so that the window stays in use
            QTimer.singleShot(place * _BREATH_MS, self, lambda one=one: self.copy_title(self.state.record.carrier(one).spine))

    def copy_title(self, view: Spine) -> None:
        """Copy the data of a disc's title into a take."""
        if not self.state.may_write():
            return
        assert view.source is not None
        request = JoinRequest(Path(view.source["path"]), int(view.source["title"]), self.state.record.takes.name(view.id))
        self.state.jobs.start(
            join_title, request, name=f"copying {view.label}", resource="take drive", on_end=partial(self._title_copied, view.id)
        )

    def _title_copied(self, carrier_id: int, job: Job) -> None:
        if job.state is not JobState.DONE:
            self.state.tell_end(job)
            return
        done: JoinResult = job.result
        words = f"title copied, {done.frames} pictures" + (f"; {done.warning}" if done.warning else "")
        self.state.record.takes.add_copied(carrier_id, done.path, seconds=done.seconds, frames=done.frames, words=words)
        self.state.reload()
        self.state.takes_ready.emit([carrier_id])
        name = self.state.record.carrier(carrier_id).label
        if done.warning:
            self.state.tell(Weight.LOOK, f"{name} was copied, but {done.warning}.")
        else:
            self.state.tell(Weight.FINE, f"{name} was copied as it is. Next: read it.")

    # Inventories

    def ask_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Inventory to import", filter="Tables (*.csv *.tsv *.txt);;All files (*)")
        if name:
            self.bring_table(Path(name))

    def bring_table(self, path: Path) -> None:
        self.state.calls.call("table", partial(read_table, path), partial(self._table_read, path), self.state.tell_error)

    def _table_read(self, path: Path, table: Table) -> None:
        box = TableBox(path, table, self.state.record.shelf.labels(), self._window)
        box.chosen.connect(self.take_inventory)
        self._open(box)

    def take_inventory(self, inventory: Inventory) -> None:
        sources = [stand_in(one.kind, one.format, seed=number + 1, seconds=one.seconds) for number, one in enumerate(inventory.intakes)]
        try:
            self.state.record.shelf.put(inventory.intakes, sources)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.reload()
        left = f" {len(inventory.problems)} rows were not understood and left out." if inventory.problems else ""
        self.state.tell(Weight.LOOK if left else Weight.FINE, f"{len(inventory.intakes)} carriers are on the shelf.{left}")

    def ask_export(self, views: Sequence[Spine]) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, "Export the inventory", "inventory.csv", "Tables (*.csv)")
        if name:
            self.export(views, Path(name))

    def export(self, views: Sequence[Spine], path: Path) -> None:
        """Write what the shelf shows as a table."""
        self._write(path, write_table(view.intake for view in views).encode("utf-8-sig"), f"{len(views)} carriers written to {path.name}.")

    # Labels

    def ask_labels(self, views: Sequence[Spine]) -> None:
        if not views:
            self.state.tell(Weight.LOOK, "There are no carriers to print labels for.", "Take some in, or clear the filter.")
            return
        box = LabelsBox(len(views), self._window)
        box.chosen.connect(lambda sheet, skip: self._ask_labels_file(views, sheet, skip))
        self._open(box)

    def _ask_labels_file(self, views: Sequence[Spine], sheet: str, skip: int) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the labels", "labels.pdf", "PDF (*.pdf)")
        if name:
            self.save_labels(views, Path(name), sheet, skip)

    def save_labels(self, views: Sequence[Spine], path: Path, sheet: str, skip: int) -> None:
        texts = [label_text(view) for view in views]
        words = f"Labels for {len(views)} carriers written to {path.name}."

        def done(pdf: bytes) -> None:
            self._write(path, pdf, words)

        self.state.calls.call("labels", partial(label_sheet, texts, sheet=sheet, skip=skip), done, self.state.tell_error)

    def _write(self, path: Path, raw: bytes, words: str) -> None:
        """A file where the person said, whole or not at all."""
        try:
            write_over(path, raw)
        except YomikomiError as error:
            self.state.tell_error(error)
        else:
            self.state.tell(Weight.FINE, words)

    def _open(self, box: QDialog) -> None:
        self.box = box
        box.finished.connect(self._closed)
        box.open()

    def _closed(self) -> None:
        if self.box is not None:
            self.box.deleteLater()
            self.box = None


def titles_to_take_in(chosen: TitlesChosen) -> tuple[list[Intake], list[dict[str, Any] | None]]:
    """A carrier for each title, and where its data are."""
    one_only = len(chosen.titles) == 1
    labels = [chosen.label if one_only else f"{chosen.label}-{one.title.entry.index}" for one in chosen.titles]
    intakes = [_title_intake(label, chosen.path, one) for label, one in zip(labels, chosen.titles, strict=True)]
    place = str(chosen.path.absolute())
    return intakes, [{"kind": DISC_TITLE, "path": place, "title": one.title.entry.index} for one in chosen.titles]


def _title_intake(label: str, disc: Path, one: Judged) -> Intake:
    name = disc.parent.name if disc.name.upper() == "VIDEO_TS" else disc.stem
    kind = one.kind if one.kind != "programme" else ""
    title = one.title
    return Intake(
        label=label, title=" ".join(part for part in (name, kind, str(title.entry.index)) if part), kind="disc",
        format="525i" if title.height in {480, 240} else "625i", seconds=float(title.seconds) or None,
        details=CarrierDetails(shape=title.shape_words, sound=f"{len(title.sounds)} tracks", tags=(one.kind,)),
    )  # fmt: skip
