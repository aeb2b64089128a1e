"""What was done, proven and kept: one carrier, all copies, the collection, files and places, raw takes."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

from yomikomi.core.balance.learning import Account
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.files import fixity_words
from yomikomi.core.ledger.ledger_rules import LedgerRules
from yomikomi.core.ledger.lessons import Grouping
from yomikomi.core.ledger.progress import Progress, progress_of
from yomikomi.core.ledger.same_way import last_like, same_way
from yomikomi.core.ledger.sentences import ACCOUNT_GROUPS, collection_headline, ledger_headline, page_headline, release_headline
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.looking.spots import Spot
from yomikomi.core.playing.sources import FileSource, TreatedSource
from yomikomi.core.work.notices import Weight
from yomikomi.ui.ledger.accuracy import AccuracyBox
from yomikomi.ui.ledger.carrier_page import CarrierPageView
from yomikomi.ui.ledger.collection_page import CollectionPage
from yomikomi.ui.ledger.copies_page import MOST, CopiesPage
from yomikomi.ui.ledger.files_page import FilesPage
from yomikomi.ui.ledger.handing_on import HandingOn
from yomikomi.ui.ledger.keeper import LedgerKeeper
from yomikomi.ui.ledger.look_window import LookWindow
from yomikomi.ui.ledger.release_page import ReleasePage
from yomikomi.ui.ledger.releasing import Releasing
from yomikomi.ui.ledger.rules_box import LedgerRulesBox
from yomikomi.ui.playing.deck import Named
from yomikomi.ui.shell.station import Played, Station
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, label, menu_button, row
from yomikomi.ui.widgets.sections import Sections

_SPOTS = 5


class LedgerStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.copies = CopiesPage(state)
        self.carrier = CarrierPageView(state)

    def build(self) -> Iterator[None]:
        yield
        self.collection, self.files = CollectionPage(), FilesPage()
        yield
        self.raw = ReleasePage()
        self.keeper = LedgerKeeper.of(self.state)
        self.releasing = Releasing(self.state, self.keeper, self, self._show)
        self.sections = Sections((
            ("carrier", "This carrier", self.carrier), ("copies", "All copies", self.copies), ("collection", "Collection", self.collection),
            ("files", "Files and places", self.files), ("raw", "Raw takes", self.raw),
        ))  # fmt: skip
        yield
        self.page.addWidget(self.sections, 1)
        self.shelf_button = button("Next carrier", self.primary, primary=True, tip="Back to the Shelf, Ctrl+Return")
        self.shelf_button.setMinimumWidth(150)
        self.watch_button = button("Play…", self.open_player, tip="F12: the copy beside what it was made from")
        self.accuracy_button = button("Predicted and actual…", self.show_accuracy, tip="How far predictions can be trusted, by codec")
        note = label("Keep the original carrier, whatever is released.", quiet=True)
        self.handing_on = HandingOn(self.state, self.keeper, self, self._reopen)
        self.record_menu = menu_button("Record", self.handing_on.entries)
        self.record_menu.setToolTip("Reports, exports, archive packages, backups, other workspaces")
        last = row(note, self.record_menu, self.accuracy_button, self.watch_button, self.shelf_button)
        last.setStretch(0, 1)
        self.page.addLayout(last)
        self.sections.turned.connect(lambda _key: self._show())
        self.copies.look_button.clicked.connect(lambda _checked=False: self.look())
        self.carrier.same_way.connect(self.do_the_same)
        self.keeper.changed.connect(self._on_change)
        self.files.adds.connect(self.keeper.add_place)
        self.files.copies.connect(self._copy_to)
        self.files.takes_all.connect(self.keeper.set_always)
        self.files.checks.connect(lambda: self.keeper.hash_all(lambda: self.keeper.check(self.state.record.files.all())))
        self.files.mends.connect(self.keeper.mend)
        self.files.seeks.connect(self.keeper.seek)
        self.raw.chosen.connect(self._judge)
        self.raw.releases.connect(self.releasing.release)
        self.raw.undoes.connect(self.releasing.undo)
        self.raw.ends.connect(self.releasing.end)
        self.raw.sets_rules.connect(self.open_rules)

    # What is so

    def show_carrier(self, _view: CarrierView | None) -> None:
        self._show()

    def _show(self) -> None:
        """The part that is on screen; the others when they are turned to."""
        {
            "carrier": self._show_page, "copies": self._show_copies, "collection": self._show_collection, "files": self._show_files,
            "raw": self._show_raw,
        }[self.sections.key]()  # fmt: skip

    def _show_page(self) -> None:
        view = self.state.current
        page = self.state.record.pages.of(view.id) if view is not None else None
        self.carrier.show_page(page)
        self.sentence.say(*page_headline(page))

    def _show_copies(self) -> None:
        rows = self.state.record.run_rows.ended(MOST)
        self.copies.show_copies(rows)
        taken = sum(one.take.size_bytes or 0 for one in self.state.spines if one.take and "verified" in one.copies)
        self.sentence.say(*ledger_headline(rows, taken_bytes=taken))

    def _show_collection(self) -> None:
        """Summed up in a thread."""
        spines, room = list(self.state.spines), self.state.record.progress
        self.state.calls.call("progress", lambda: progress_of(room.worked(), spines), self._show_progress)

    def _show_progress(self, told: Progress) -> None:
        self.collection.show_progress(told)
        if self.sections.key == "collection":
            self.sentence.say(*collection_headline(told))

    def _show_files(self) -> None:
        files, places = self.state.record.files, self.state.record.places.all()
        words = fixity_words(*files.counts(), now=datetime.now(UTC))
        days = self.state.record.releases.rules().check_days
        self.sentence.say(words, f"Every file is read again after {days:g} days, in idle time")
        note = "Files are hashed when they are made, and read again while nothing else goes on."
        self.files.show_files(note, places, set(), files.troubled())
        self.keeper.places_there(lambda there: self.files.show_files(note, places, there, files.troubled()))

    def _show_raw(self) -> None:
        there = {"whole", "mended"}
        takes = [
            (one.take.id, f"{one.label}   {one.title}") for one in self.state.spines
            if one.take is not None and "verified" in one.copies and one.take.state in there and one.take.origin != "imported"
        ]  # fmt: skip
        released = self.state.record.releases.all()
        self.raw.show_takes(takes, released)
        self.sentence.say(*release_headline(len(takes), released))

    def _judge(self, take: int) -> None:
        try:
            self.raw.show_judgement(self.state.record.releases.judge(take))
        except YomikomiError as error:
            self.state.tell_error(error)

    def _on_change(self) -> None:
        if self.isVisible():
            self._show()

    # What a person wants

    def entered(self) -> None:
        self.sections.buttons[self.sections.key].setFocus()

    def primary(self) -> None:
        self.state.go.emit("shelf")

    def played(self) -> Played | None:
        """The copy that is selected, beside what it was made from where that is still there."""
        copy = self.copies.shown if self.sections.key == "copies" else self._newest
        if copy is None or copy.result is None or not copy.file.exists():
            return super().played()
        return Played(self._sources(copy), f"{copy.carrier}: {copy.file.name}")

    @property
    def _newest(self) -> CopyView | None:
        """Of the current carrier."""
        view = self.state.current
        return next((one for one in reversed(view.copies) if one.result is not None), None) if view is not None else None

    def _sources(self, copy: CopyView) -> tuple[Named, ...]:
        sources = [Named("the copy", FileSource(copy.file))]
        view = next((one for one in self.state.carriers if one.take is not None and one.take.id == copy.take_id), None)
        if view is not None and view.take is not None and view.judged is not None and view.take.path.exists():
            sources.append(Named("the treated take", TreatedSource(view.take.path, view.judged, copy.treatment)))
        return tuple(sources)

    def look(self) -> LookWindow | None:
        """Spots of the copy that is selected, beside its take."""
        copy = self.copies.shown
        if copy is None or copy.result is None or not copy.file.exists():
            self.state.tell(Weight.LOOK, "Its file is not there.", "Connect its drive, or find it under Files and places.")
            return None
        record = self.state.record
        spots = record.looks.spots(copy.id, max(_SPOTS, record.releases.rules().release.looked))

        def answered(spot: Spot, verdict: str, note: str) -> None:
            try:
                record.looks.add(copy.id, spot, verdict, who=record.releases.rules().who, note=note)
            except YomikomiError as error:
                self.state.tell_error(error)
            self._on_change()

        window = LookWindow(self._sources(copy), f"{copy.carrier}: {copy.file.name}", self.window(), spots, answered)
        window.show()
        return window

    def show_accuracy(self) -> None:
        """How predictions did: found in a thread, since it may be some hundred documents."""
        lessons = self.state.record.lessons
        self.state.calls.call("accuracy", lambda: {by: lessons.accounts(by) for by in ACCOUNT_GROUPS}, self._show_accounts)

    def _show_accounts(self, accounts: dict[Grouping, list[Account]]) -> None:
        AccuracyBox(accounts, self).open()

    def do_the_same(self, carrier: int) -> None:
        """As the newest carrier like it that is done."""
        record, view = self.state.record, self.state.view_of(carrier)
        past = last_like(record, view) if view is not None else None
        if view is None or past is None:
            self.state.tell(Weight.LOOK, "No carrier of its kind and format is done yet.", "Search for another one, and look at its page.")
            return
        try:
            made = same_way(record, view, past)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        words = [*made.done, *(one.words for one in made.differences)]
        weight = Weight.LOOK if made.differences else Weight.FINE
        self.state.tell(weight, f"As {past.label}: {'; '.join(words) or 'nothing yet'}.", made.later)
        self.state.reload()

    def open_rules(self) -> None:
        LedgerRulesBox(self.state.record.releases.rules(), self._use_rules, self).open()

    def _use_rules(self, rules: LedgerRules) -> None:
        try:
            self.state.record.releases.save_rules(rules)
        except YomikomiError as error:
            self.state.tell_error(error)
        self._show()

    def _reopen(self) -> None:
        """Another record is there: the program begins anew with it."""
        window = self.window()
        if isinstance(window, MainWindow):
            window.reopens = True
            window.close()

    def _copy_to(self, place_id: int) -> None:
        place = next((one for one in self.state.record.places.all() if one.id == place_id), None)
        if place is not None and self.state.may_write():
            self.keeper.copy_to(place)
