"""Foreign bytes, damaged at random from fixed seeds, through every reader of them: a result or one clear line, soon, in little memory.

``python -m tests.fuzzing FIRST COUNT`` runs cases in this process and prints a line for each; :func:`run` does that in child processes
that may be killed, so that a case that hangs or dies is an answer too. ``make fuzz`` runs 20 000.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import resource
import select
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

# Of one case, seconds; of a child, bytes of addresses. A case that is cut off there has failed.
SLOW_S, DEAD_S, MOST_MEMORY = 5.0, 20.0, 4 << 30


@dataclass
class Outcome:
    """How many cases ended how; ``wrong``: those that must not be, with their number, kind and words."""

    ends: Counter[str] = field(default_factory=Counter)
    wrong: list[tuple[int, str, str]] = field(default_factory=list)
    slowest: float = 0.0
    largest_mb: float = 0.0


def run(first: int, count: int) -> Outcome:
    """Cases ``first`` up to ``first + count``; a child that dies is followed by another, from the case after."""
    outcome, at = Outcome(), first
    while at < first + count:
        child = subprocess.Popen(
            [sys.executable, "-m", "tests.fuzzing", str(at), str(first + count - at)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            stdin=subprocess.DEVNULL, cwd=Path(__file__).parents[1],
        )  # fmt: skip
        assert child.stdout is not None
        waiting, begun = b"", time.monotonic()
        while True:
            ready, _, _ = select.select([child.stdout], [], [], DEAD_S + (20 if time.monotonic() - begun < 20 else 0))
            chunk = os.read(child.stdout.fileno(), 65_536) if ready else b""
            if not chunk:
                break
            *lines, waiting = (waiting + chunk).split(b"\n")
            for line in lines:
                at = _take(outcome, json.loads(line))
        if not ready:
            child.kill()
        code = child.wait()
        child.stdout.close()
        if code:
            outcome.ends["died"] += 1
            outcome.wrong.append((at, "?", f"died with {code}" if ready else "hung"))
            at += 1
    return outcome


def _take(outcome: Outcome, told: list[object]) -> int:
    number, kind, end, words, seconds, megabytes = told
    assert isinstance(number, int)
    assert isinstance(seconds, float)
    outcome.slowest = max(outcome.slowest, seconds)
    outcome.largest_mb = max(outcome.largest_mb, float(megabytes))  # type: ignore[arg-type]
    outcome.ends[str(end)] += 1
    if end == "broke" or seconds > SLOW_S:
        outcome.wrong.append((number, str(kind), f"{words} ({seconds:.1f} s)"))
    return number + 1


def main(first: int, count: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="fuzz-home-")
    with tempfile.TemporaryDirectory(prefix="fuzz-") as name:
        folder = Path(name)
        kinds = make_kinds(folder)
        for number in range(first, first + count):
            chance = random.Random(number)
            kind, work = kinds[number % len(kinds)]
            began = time.perf_counter()
            end, words = _outcome(work, chance)
            spent, peak = time.perf_counter() - began, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(json.dumps([number, kind, end, words, round(spent, 4), round(peak, 1)]), flush=True)


def _outcome(work: Callable[[random.Random], None], chance: random.Random) -> tuple[str, str]:
    from yomikomi.core.errors import YomikomiError

    try:
        work(chance)
    except YomikomiError as error:
        words = str(error)
        plain = bool(error.message) and "\n" not in words and len(words) < 600
        return ("refused" if plain else "broke"), words
    except BaseException as error:
        return "broke", f"{type(error).__name__}: {error}"[:300]
    return "result", ""


def make_kinds(folder: Path) -> list[tuple[str, Callable[[random.Random], None]]]:
    """Every reader with whole things to damage. Media come up three times in a round: they have the most to go wrong."""
    media = [("media", lambda chance: _media(folder, seeds, chance)) for _ in range(3)]
    seeds = _media_seeds(folder)
    disc, image = _disc_seeds(folder)
    workspace = _workspace_seed(folder)
    return [
        *media, ("tables", lambda chance: _tables(folder, disc, chance)), ("image", lambda chance: _image(folder, image, chance)),
        ("inventory", lambda chance: _inventory(folder, chance)), ("json", lambda chance: _json(folder, chance)),
        ("rows", lambda chance: _rows(folder, workspace, chance)), ("log", lambda chance: _log(folder, chance)),
    ]  # fmt: skip


def hurt(raw: bytes, chance: random.Random) -> bytes:
    """One to four wounds: bytes turned, cut, doubled, blanked, numbers made huge, ends lost."""
    data = bytearray(raw)
    for _ in range(chance.randrange(1, 5)):
        if not data:
            return b""
        place, length = chance.randrange(len(data)), chance.choice((1, 4, 16, 200, 3000))
        # Headers decide most.
        place = min(place, chance.choice((40, 400, 4000, len(data))) - 1, len(data) - 1)
        what = chance.randrange(8)
        if what == 0:
            data[place] ^= 1 << chance.randrange(8)
        elif what == 1:
            data[place : place + length] = chance.randbytes(min(length, len(data) - place))
        elif what == 2:
            del data[place : place + length]
        elif what == 3:
            data[place:place] = data[place : place + length]
        elif what == 4:
            data[place : place + length] = bytes(min(length, len(data) - place))
        elif what == 5:
            data[place : place + 4] = chance.choice((b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\0\0\0\0", b"\x80\0\0\0"))
        elif what == 6:
            del data[place:]
        else:
            data[place:place] = chance.randbytes(length)
    return bytes(data)


def _media_seeds(folder: Path) -> list[tuple[str, bytes]]:
    from tests.making import sliding_frames, write_clip

    frames = sliding_frames(12, width=64, height=48)
    seeds = []
    for name, codec, options in (
        ("a.mkv", "ffv1", {"level": "3", "slices": "4", "slicecrc": "1"}), ("b.mp4", "libx264", None), ("c.mkv", "mpeg2video", None),
        ("d.avi", "mjpeg", {"strict": "unofficial"}), ("e.mov", "prores_ks", None), ("f.nut", "rawvideo", None),
    ):  # fmt: skip
        with contextlib.suppress(Exception):
            path = write_clip(folder / name, frames, codec=codec, options=options, sound_seconds=0.5)
            seeds.append((path.suffix, path.read_bytes()))
    assert len(seeds) >= 4
    return seeds


def _media(folder: Path, seeds: list[tuple[str, bytes]], chance: random.Random) -> None:
    from yomikomi.core.reading.scanner import ReadRequest, read
    from yomikomi.core.reading.sentences import findings, headline
    from yomikomi.core.work import SilentReporter

    suffix, raw = seeds[chance.randrange(len(seeds))]
    path = folder / f"hurt{suffix}"
    path.write_bytes(hurt(raw, chance))
    reading = read(ReadRequest(path, complexity=False, mode=chance.choice(("full", "full", "quick"))), SilentReporter())
    assert headline(reading)
    findings(reading)


def _disc_seeds(folder: Path) -> tuple[dict[str, bytes], bytes]:
    from yomikomi.sim.disc.maker import make_disc, make_image
    from yomikomi.sim.disc.spec import LAYOUTS

    place = folder / "disc"
    make_disc(LAYOUTS["lessons"](seconds=0.5, seed=1, standard="525i"), place, lambda _part: None)
    make_image(place, folder / "disc.iso", "DISC")
    return {path.name: path.read_bytes() for path in (place / "VIDEO_TS").iterdir()}, (folder / "disc.iso").read_bytes()


def _tables(folder: Path, disc: dict[str, bytes], chance: random.Random) -> None:
    from yomikomi.core.disc.contents import read_contents
    from yomikomi.core.disc.titles import judge_titles

    place = folder / "hurt-disc" / "VIDEO_TS"
    place.mkdir(parents=True, exist_ok=True)
    for name, raw in disc.items():
        table = name.endswith((".IFO", ".BUP"))
        (place / name).write_bytes(hurt(raw, chance) if table and chance.random() < 0.8 else raw[:200_000])
    judge_titles(read_contents(place.parent).titles)


def _image(folder: Path, image: bytes, chance: random.Random) -> None:
    from yomikomi.core.disc.contents import read_contents

    path = folder / "hurt.iso"
    head = hurt(image[:120_000], chance)
    path.write_bytes(head + image[len(head) : 600_000])
    read_contents(path)


def _inventory(folder: Path, chance: random.Random) -> None:
    from yomikomi.core.planning.inventory import match_columns, read_table, take_in, write_table

    heads = "Label,Title,Kind,Length,Condition,Marked minutes,Wanted"
    lines = [heads, 'K-1,"A, tape",VHS,1:58:00,looked at,120,archive', "K-2,=1+1,video8,2h,,,"]
    path = folder / "table.csv"
    path.write_bytes(hurt(("\n".join(lines * chance.randrange(1, 4))).encode(chance.choice(("utf-8", "utf-16", "cp1252"))), chance))
    table = read_table(path)
    columns = match_columns(table.headings)
    if "label" in columns:
        made = take_in(table, columns)
        again = folder / "again.csv"
        again.write_text(write_table(made.intakes), encoding="utf-8", errors="replace")


def _json(folder: Path, chance: random.Random) -> None:
    from yomikomi.core.capture.devices.reading import DeviceSpec
    from yomikomi.core.path.equipment import read_equipment
    from yomikomi.demo.scenario import EQUIPMENT, K001, K005
    from yomikomi.sim.registry import simulated_source

    path = folder / "equipment.json"
    path.write_bytes(hurt(EQUIPMENT.model_dump_json().encode(), chance))
    document = dict(chance.choice((K001, K005)).to_json())
    device: dict[str, object] = {"kind": "device", "video": "/dev/video0", "width": 720, "height": 480, "rate": "30000/1001"}
    for target in (document, device):
        for _ in range(chance.randrange(1, 4)):
            target[chance.choice([*target, "nonsense"])] = chance.choice((None, -1, 1e300, "", "x" * 3000, [], {}, True, "0/0", "lavfi"))
    which = chance.randrange(3)
    if which == 0:
        read_equipment(path)
    elif which == 1:
        DeviceSpec.from_json(device)
    else:
        simulated_source(document, real_time=False)


def _workspace_seed(folder: Path) -> bytes:
    from yomikomi.core.capture.result import CaptureResult
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.core.recipes.recipe import recipe_for
    from yomikomi.core.treatment.model import Treatment

    opened = Workspace(folder / "seed")
    record = Record(opened)
    carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i", source={"kind": "tape player"})
    take, path = record.takes.begin(carrier)
    record.takes.end(take, CaptureResult(path, 0, 0.4, 0, 0, 6))
    record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, path.with_name("c.mp4"))
    opened.close()
    connection = sqlite3.connect(folder / "seed" / "workspace.sqlite")
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.execute("PRAGMA journal_mode=DELETE")
    connection.close()
    return (folder / "seed" / "workspace.sqlite").read_bytes()


_COLUMNS = (
    ("carriers", "details"), ("carriers", "source"), ("carriers", "kind"), ("carriers", "nominal_seconds"), ("takes", "path"),
    ("takes", "details"), ("takes", "state"), ("takes", "frames"), ("copies", "recipe"), ("copies", "path"), ("copies", "deinterlace"),
    ("copies", "state"),
)  # fmt: skip


def _rows(folder: Path, seed: bytes, chance: random.Random) -> None:
    from yomikomi.core.ledger.outlook import works_of
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace

    place = folder / "workspace"
    place.mkdir(exist_ok=True)
    for old in place.glob("workspace.sqlite*"):
        old.unlink()
    (place / "workspace.sqlite").write_bytes(hurt(seed, chance) if chance.random() < 0.3 else seed)
    with contextlib.suppress(sqlite3.Error, UnicodeError):
        connection = sqlite3.connect(place / "workspace.sqlite")
        table, column = chance.choice(_COLUMNS)
        words = ("", "{", "[]", "null", '{"a":' * 2000, "../../../etc/passwd", "x" * 10_000, '{"key": 1}')
        value = chance.choice((*words, None, -1, 1e308, b"\xff\0"))
        connection.execute(f"UPDATE {table} SET {column} = ?", (value,))
        connection.commit()
        connection.close()
    opened = Workspace(place, trust=chance.random() < 0.5)
    try:
        record = Record(opened)
        works_of(view.spine for view in record.carriers())
        for copy in record.copies.all():
            record.copies.work(copy.id)
        record.takes.cut_off()
        record.history.events()
        record.copies.requeue_cut_off()
    finally:
        opened.close()


def _log(folder: Path, chance: random.Random) -> None:
    from fractions import Fraction

    from yomikomi.core.capture.health import health_path, read_health
    from yomikomi.core.capture.marks import Clip, name_clips
    from yomikomi.core.reckoner.engine import reckon
    from yomikomi.core.reckoner.sheets import SHEETS, sheet_of

    take = folder / "take.mkv"
    rows = ['{"kind":"row","at":1,"frames":25}', '{"kind":"end","seconds":2.0,"gaps":[[1,2]]}'] * 3
    health_path(take).write_bytes(hurt("\n".join(rows).encode(), chance))
    read_health(take)
    key = chance.choice(list(SHEETS))
    side = chance.choice([one.key for one in SHEETS[key].fields])
    if chance.random() < 0.5:
        reckon(sheet_of(key), {side: hurt(b"1:58:00 GB 29.97 720x480", chance).decode("utf-8", "replace")})
        return
    from datetime import UTC, datetime

    pattern = hurt(b"{label} {title} {number:03} {mark} {start} {day} {0.__class__} {number:>99999999}", chance).decode("utf-8", "replace")
    name_clips([Clip(first=0, end=5, name="x")], pattern, label="K", title="t", rate=Fraction(25), day=datetime(2026, 1, 1, tzinfo=UTC))


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]))
