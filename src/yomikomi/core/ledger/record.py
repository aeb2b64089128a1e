"""The record: all that the stations ask of the workspace, in rooms. Every method is a short transaction; views that leave are frozen."""

from __future__ import annotations

from yomikomi.core.ledger.copies import CopyRoom
from yomikomi.core.ledger.files import FileRoom
from yomikomi.core.ledger.finder import FinderRoom
from yomikomi.core.ledger.history import HistoryRoom
from yomikomi.core.ledger.house_cases import HouseRoom
from yomikomi.core.ledger.jobs import JobRoom
from yomikomi.core.ledger.lessons import LessonRoom
from yomikomi.core.ledger.looks import LookRoom
from yomikomi.core.ledger.page import PageRoom
from yomikomi.core.ledger.paths import PathRoom
from yomikomi.core.ledger.places import PlaceRoom
from yomikomi.core.ledger.progress import ProgressRoom
from yomikomi.core.ledger.readings import ReadingRoom
from yomikomi.core.ledger.releases import ReleaseRoom
from yomikomi.core.ledger.run_rows import RunRowRoom
from yomikomi.core.ledger.settings import SettingsRoom
from yomikomi.core.ledger.shelf import ShelfRoom
from yomikomi.core.ledger.store import Store
from yomikomi.core.ledger.takes import TakeRoom
from yomikomi.core.ledger.trials import TrialRoom
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.ledger.workspace import Workspace


class Record:
    """Parameters
    ----------
    workspace : open; closed by whoever opened it.
    """

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.store = Store(workspace)
        self.shelf = ShelfRoom(self.store)
        self.paths = PathRoom(self.store)
        self.settings = SettingsRoom(self.store)
        self.takes = TakeRoom(self.store, self.shelf)
        self.readings = ReadingRoom(self.store)
        self.trials = TrialRoom(self.store)
        self.copies = CopyRoom(self.store)
        self.jobs = JobRoom(self.store, self.copies)
        self.run_rows = RunRowRoom(self.store)
        self.history = HistoryRoom(self.store)
        self.files = FileRoom(self.store)
        self.places = PlaceRoom(self.store)
        self.looks = LookRoom(self.store)
        self.releases = ReleaseRoom(self.store, self.files)
        self.progress = ProgressRoom(self.store)
        self.finder = FinderRoom(self.store)
        self.pages = PageRoom(self.store)
        self.house = HouseRoom(self.store)
        self.lessons = LessonRoom(self.store)

    def carriers(self) -> list[CarrierView]:
        """All carriers in the order they were added."""
        return self.store.carriers()

    def carrier(self, carrier_id: int) -> CarrierView:
        """Raises WrongUseError where it is gone."""
        return self.store.carrier(carrier_id)
