"""Carriers that went all the way, with small files that are really there."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.balance.models import Detail, Estimate, Fidelity, Prediction, Quality
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.record import Record
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.identity import content_hash


@dataclass(frozen=True)
class Done:
    carrier: int
    take: int
    take_file: Path
    copies: tuple[int, ...]
    copy_files: tuple[Path, ...]


def capture(record: Record, label: str, *, kind: str = "vhs", title: str = "Lantern parade", content: bytes = b"") -> tuple[int, int, Path]:
    """Carrier, take and the take's file."""
    carrier = record.shelf.add(label=label, title=title, kind=kind, standard="525i", source={"kind": "tape player"})
    take, path = record.takes.begin(carrier)
    path.write_bytes(content or f"take of {label}".encode() * 50)
    size = path.stat().st_size
    record.takes.end(take, CaptureResult(path, frames=90, seconds=3.0, late=1, dropped=0, bytes_written=size, parts=(path,)))
    return carrier, take, path


def predicted(recipe: Recipe, size: float = 1e6) -> Prediction:
    return Prediction(
        recipe=recipe, deinterlace="double", size_bytes=Estimate(expected=size, low=size * 0.9, high=size * 1.1),
        quality=Quality(value=15), psnr_db=38, encode_seconds=Estimate(expected=5, low=4, high=8), measured=True,
        fidelity=Fidelity.of(42.0, viewing="television", noise_kept=0.4),
    )  # fmt: skip


def finish(
    record: Record, label: str, reading: Reading, *, kind: str = "vhs", title: str = "Lantern parade", qualities: tuple[int, ...] = (20,)
) -> Done:  # fmt: skip
    """Captured, read, treated, and with a verified copy for each quality."""
    carrier, take, path = capture(record, label, kind=kind, title=title)
    record.readings.save(take, reading)
    treatment = fields_treatment(reading)
    record.readings.choose_treatment(take, treatment)
    copies, files = [], []
    for quality in qualities:
        recipe = recipe_for("h264", quality)
        target = record.workspace.folder / "copies" / f"{label}-h264-{quality}.mp4"
        copy = record.copies.ask(take, recipe, treatment, predicted(recipe), target)
        record.copies.start(copy)
        target.write_bytes(f"copy of {label} at {quality}".encode() * 30)
        result = CopyResult(
            file=target.name, size_bytes=target.stat().st_size, frames=180, duration_seconds=3, encode_seconds=6, verified=True,
            checks=[Check(name="frame count", passed=True, found="180 of 180")], content=content_hash(target),
            detail=Detail(television=41.2, desk=39.0, phone=44.0, noise_kept=0.35),
        )  # fmt: skip
        record.copies.end(copy, result=result)
        copies.append(copy)
        files.append(target)
    return Done(carrier, take, path, tuple(copies), tuple(files))
