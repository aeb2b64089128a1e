"""All JSON documents of the command line by their names, for ``yomikomi schema``. Commands load no more than their own."""

from __future__ import annotations

from pydantic import BaseModel

from yomikomi.cli.capture_documents import CaptureDocument, CutDocument, SourcesDocument
from yomikomi.cli.cluster_documents import ClusterDocument
from yomikomi.cli.copy_documents import AccuracyDocument, CopyDocument
from yomikomi.cli.ledger_documents import (
    BackupDocument,
    ExportDocument,
    FoundDocument,
    MergeDocument,
    PlacesDocument,
    ReleasesDocument,
    SameWayDocument,
    SearchDocument,
    SecondCopyDocument,
    SpotsDocument,
    VerifyDocument,
)
from yomikomi.cli.outlet_documents import ConformsDocument, OutletsDocument
from yomikomi.cli.path_documents import DiagnoseDocument, EquipmentDocument, PathsDocument
from yomikomi.cli.planning_documents import ImportDocument, ReckonDocument, ShelfDocument, TitlesDocument
from yomikomi.cli.process_documents import ProcessDocument, RulesDocument
from yomikomi.cli.reading_documents import CompareDocument, ReadDocument
from yomikomi.cli.run_documents import RunDocument
from yomikomi.cli.set_documents import SetCopiesDocument, SetPredictionDocument, SetsDocument
from yomikomi.cli.simulation_documents import SimulateDocument
from yomikomi.cli.treatment_documents import AdviseDocument
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.capture.sync import SyncResult
from yomikomi.core.capture.trial import TrialResult
from yomikomi.core.copying.rendering import Rendered
from yomikomi.core.ledger.ledger_rules import LedgerRules
from yomikomi.core.ledger.page_entry import CarrierPage
from yomikomi.core.ledger.run_report import RunReport
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment

DOCUMENTS: dict[str, type[BaseModel]] = {
    "read": ReadDocument,
    "compare": CompareDocument,
    "advise": AdviseDocument,
    "treatment": Treatment,
    "treat": Rendered,
    "recipe": Recipe,
    "predict": Prediction,
    "copy": CopyDocument,
    "accuracy": AccuracyDocument,
    "outlets": OutletsDocument,
    "sets": SetsDocument,
    "predict-set": SetPredictionDocument,
    "copy-set": SetCopiesDocument,
    "conforms": ConformsDocument,
    "simulate": SimulateDocument,
    "trials": TrialSet,
    "titles": TitlesDocument,
    "reckon": ReckonDocument,
    "shelf": ShelfDocument,
    "import": ImportDocument,
    "path": PathsDocument,
    "diagnose": DiagnoseDocument,
    "equipment": EquipmentDocument,
    "capture": CaptureDocument,
    "sources": SourcesDocument,
    "synctest": SyncResult,
    "trial": TrialResult,
    "cut": CutDocument,
    "join": CutDocument,
    "merge": CutDocument,
    "run": RunDocument,
    "run-report": RunReport,
    "cluster": ClusterDocument,
    "process": ProcessDocument,
    "house-rules": RulesDocument,
    "ledger-show": CarrierPage,
    "ledger-search": SearchDocument,
    "ledger-same-way": SameWayDocument,
    "ledger-verify": VerifyDocument,
    "ledger-places": PlacesDocument,
    "ledger-second-copy": SecondCopyDocument,
    "ledger-find": FoundDocument,
    "ledger-spots": SpotsDocument,
    "ledger-rules": LedgerRules,
    "ledger-release": ReleasesDocument,
    "ledger-backup": BackupDocument,
    "ledger-merge": MergeDocument,
    "ledger-export": ExportDocument,
}
