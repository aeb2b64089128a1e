"""Writes the second part of docs/reading-proof.md: what comes out on material that nothing was tuned on."""

from __future__ import annotations

import multiprocessing
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from bench.unseen import scanned, synced
from yomikomi.core.capture.sync import SyncResult

_FILE = Path(__file__).parents[2] / "docs" / "reading-proof.md"
_MARK = "<!-- unseen -->"
_FILES, _SEED = 100, 3301
_SYNC = "## Sync on independent files"


def run() -> Iterator[str]:
    scans = scanned.run()
    _put(_MARK, [_MARK, *_scan_part(scans)])
    total = Counter(one.outcome for one in scans)
    yield f"{len(scans)} clips: {dict(total)}"
    yield from run_sync()


def run_sync() -> Iterator[str]:
    """The sync part alone."""
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        tests = list(synced.tests(_FILES, _SEED))
        syncs = list(zip(tests, pool.map(_measured, tests), strict=True))
    lines = _sync_part(syncs)
    _put(_SYNC, lines)
    yield from (*lines, f"docs/{_FILE.name}")


def _put(mark: str, lines: list[str]) -> None:
    """In the place of what stands from a mark on."""
    before = _FILE.read_text(encoding="utf-8").split(mark)[0].rstrip()
    _FILE.write_text("\n".join([before, "", *lines]) + "\n", encoding="utf-8")


def _measured(test: synced.Test) -> SyncResult:
    return synced.measured(test, synced.photograph_scene(test))


def _scan_part(found: list[scanned.Outcome]) -> list[str]:
    total = Counter(one.outcome for one in found)
    shares = ", ".join(f"{100 * total[state] / len(found):.1f} % {state}" for state in ("right", "undetermined", "wrong"))
    repeats = [one.rate_right for one in found if one.kind == "repeats" and one.outcome == "right"]
    return [
        "# The same on material that nothing was tuned on", "",
        "Made by `python -m bench unseen` (`bench/unseen/`): photographs of a reference package under a moving camera and three real clips",
        "(two of which earlier work had looked at), spoiled and compressed apart from the simulation, read whole. Each cell:",
        "right / undetermined / wrong. Of stills only \"undetermined\" is right.", "",
        *scanned.table(found), "",
        f"**{len(found)} clips: {shares}.** Of right repeats the true rate was told in {sum(repeats)} of {len(repeats)}.", "",
        *scanned.calibration(found),
    ]  # fmt: skip


def _sync_part(found: list[tuple[synced.Test, SyncResult]]) -> list[str]:
    lines = [
        _SYNC, "",
        f"{len(found)} files: flashes of 2 to 100 % of the picture and 20 to 200 ms, claps by bars that swing, before moving photographs,",
        "in noise, FFV1, MPEG-2 and H.264, fields and frames, exposed for all or half of their time; light may be clipped.", "",
        "| kind | files | refused | taken for the other kind | median error, ms | nine in ten, ms | worst, ms | outside the bound told |",
        "|---|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    for kind in ("flash", "clap"):
        here = [(test, one) for test, one in found if test.kind == kind]
        told = [(abs(one.offset_ms - test.offset_ms), one) for test, one in here if one.offset_ms is not None]
        errors = [error for error, _ in told]
        outside = sum(error > (one.bound_ms or 0) for error, one in told)
        other = sum(one.kind not in {kind, "nothing"} for _, one in here)
        figures = f"{np.median(errors):.1f} | {np.quantile(errors, 0.9):.1f} | {max(errors):.1f}" if errors else "– | – | –"
        lines.append(f"| {kind} | {len(here)} | {len(here) - len(told)} | {other} | {figures} | {outside} |")
    return lines
