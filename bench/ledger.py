"""The ledger of a large collection: 1 000 carriers, 5 000 takes, 20 000 copies, 200 000 lines of history."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yomikomi.core.ledger.record import Record

CARRIERS, TAKES_EACH, COPIES_EACH, EVENTS = 1000, 5, 4, 200_000


def run() -> Iterator[str]:
    """In a process of its own, offscreen."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", "from bench.ledger import measure\nif __name__ == '__main__': measure()"]
    yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def fill(record: Record) -> None:
    """Rows as they are after years of work, but without files: written at once, since nobody waits for years."""
    from sqlalchemy import text

    from yomikomi.core.balance.models import Estimate, Prediction, Quality
    from yomikomi.core.copying.checks import Check
    from yomikomi.core.copying.result import CopyResult
    from yomikomi.core.ledger.finder_tables import INDEXED
    from yomikomi.core.ledger.schema import Base
    from yomikomi.core.planning.intake import CarrierDetails
    from yomikomi.core.recipes.recipe import recipe_for
    from yomikomi.core.treatment.model import Treatment

    tables = Base.metadata.tables
    recipe, treatment = recipe_for("h264", 20), Treatment()
    told = Prediction(
        recipe=recipe, deinterlace="double", size_bytes=Estimate(expected=1e9, low=9e8, high=1.1e9), quality=Quality(value=15), psnr_db=38,
        encode_seconds=Estimate(expected=900, low=700, high=1100), measured=True,
    ).model_dump(mode="json")  # fmt: skip
    checks = [Check(name=f"check {number}", passed=True, found="as it should be") for number in range(14)]
    made = CopyResult(
        file="x.mp4", size_bytes=990_000_000, frames=100_000, duration_seconds=3600, encode_seconds=930, verified=True, checks=checks
    ).model_dump(mode="json")  # fmt: skip
    words = ("lantern", "parade", "harbour", "kiln", "ferry", "aquarium", "regatta", "drum", "festival", "interview")
    with record.store.session() as session:
        put = session.connection().execute
        put(tables["carriers"].insert(), [
            {"id": number, "label": f"K-{number:04d}", "title": f"{words[number % 10]} {words[number // 10 % 10]}", "kind": "vhs",
             "standard": "525i", "nominal_seconds": 3600.0, "note": "", "created_at": _day(number, 0),
             "details": CarrierDetails(rights=True, tags=(words[number % 7],)).model_dump(mode="json")}
            for number in range(1, CARRIERS + 1)
        ])  # fmt: skip
        put(tables["takes"].insert(), [
            {"id": number, "carrier_id": (number - 1) // TAKES_EACH + 1, "path": f"takes/{number}.mkv", "origin": "captured",
             "state": "whole", "started_at": _day(number // TAKES_EACH, 1), "seconds": 3500.0, "frames": 105_000, "late": 0, "dropped": 0,
             "size_bytes": 30_000_000_000, "note": "", "details": {}}
            for number in range(1, CARRIERS * TAKES_EACH + 1)
        ])  # fmt: skip
        put(tables["copies"].insert(), [
            {"id": number, "take_id": (number - 1) // COPIES_EACH + 1, "path": f"copies/{number}.mp4", "state": "verified",
             "recipe": recipe.model_dump(mode="json"), "treatment": treatment.model_dump(mode="json"), "digest": treatment.digest,
             "outlet": None, "predicted": told, "result": made, "trouble": "", "asked_at": _day(number // 20, 2),
             "ended_at": _day(number // 20, 3)}
            for number in range(1, CARRIERS * TAKES_EACH * COPIES_EACH + 1)
        ])  # fmt: skip
        put(tables["events"].insert(), [
            {"at": _day(number // 200, 4), "carrier_id": number % CARRIERS + 1, "words":
             f"{words[number % 10]} {words[number // 10 % 10]}: copy {number} verified, head-switching band of {number % 13} lines"}
            for number in range(EVENTS)
        ])  # fmt: skip
        files, places = [], []
        for number in range(1, CARRIERS * TAKES_EACH * COPIES_EACH + 1):
            files.append({"id": number, "take_id": None, "copy_id": number, "part": 0, "size": 10**9, "content": f"{number:064x}",
                          "sha256": f"{number:064x}", "hashed_at": _day(number // 20, 4)})  # fmt: skip
            places.append({"file_id": number, "place_id": None, "path": f"copies/{number}.mp4", "state": "whole", "disk": "A",
                           "checked_at": _day(number // 20, 4), "finding": None})  # fmt: skip
        put(tables["files"].insert(), files)
        put(tables["locations"].insert(), places)
        session.execute(text("DELETE FROM finder"))
        for one in INDEXED:
            session.connection().exec_driver_sql(one.fill)
    record.store.forget_all()


def _day(number: int, hour: int) -> str:
    return f"{2020 + number // 336 % 6}-{number // 28 % 12 + 1:02d}-{number % 28 + 1:02d}T{hour:02d}:00:00+00:00"


def measure() -> None:
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.ui.app import application, build_window
    from yomikomi.ui.ledger.station import LedgerStation

    app = application()
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        record = Record(workspace)
        began = time.perf_counter()
        fill(record)
        size = workspace.record_file.stat().st_size / 1e6
        print(f"filled in {time.perf_counter() - began:.0f} s; the record takes {size:.0f} MB")
        for asked in ("lantern", "lantern parade verified", "head-switching", '"band of 7 lines"', "K-0500", "no such word", "kiln K-0003"):
            _say(f"search {asked}", lambda asked=asked: record.finder.find(asked))
        _say("a carrier's page", lambda: record.pages.of(500))
        _say("the newest 1 000 copies", lambda: record.run_rows.ended(1000))
        _say("sums of the collection (in a thread)", record.progress.worked)
        _say("a take judged", lambda: record.releases.judge(2500))
        _say("files that are due (50)", record.files.counts)
        workspace.close()
        workspace = Workspace(Path(folder) / "w", trust=True)
        began = time.perf_counter()
        window = build_window(workspace)
        window.show()
        app.processEvents()
        print(f"the window with the shelf: {1000 * (time.perf_counter() - began):.0f} ms")
        window.make_rest_idly()
        until = time.monotonic() + 60
        while not window.whole and time.monotonic() < until:
            app.processEvents()
        station = window.station("ledger")
        assert isinstance(station, LedgerStation)
        window.show_station("ledger")
        for key in station.sections.buttons:
            _say(f"page {key}", lambda key=key: (station.sections.turn(key), app.processEvents()))
        window.close()
        app.processEvents()
        workspace.close()


def _say(words: str, what: Callable[[], object]) -> None:
    times = []
    for _ in range(4):
        began = time.perf_counter()
        what()
        times.append(1000 * (time.perf_counter() - began))
    print(f"{words}: first {times[0]:.0f} ms, then {min(times[1:]):.0f} ms")
