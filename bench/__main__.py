"""Runs the benchmarks and prints what they found."""

from __future__ import annotations

import os
import platform
import sys
import time

from bench import (
    capture,
    cluster,
    copies,
    detail,
    disturbed,
    ledger,
    marks,
    night,
    path,
    prediction,
    reading,
    scan,
    shelf,
    simulation,
    two_hours,
    weighing,
    window,
)
from bench.unseen import proof as unseen

BENCHES = {
    "simulation": simulation.run,
    "reading": reading.run,
    "reading-memory": reading.memory,
    "scan": scan.run,
    "unseen": unseen.run,
    "sync": unseen.run_sync,
    "start": window.start,
    "stall": window.stall,
    "shelf": shelf.run,
    "disc": shelf.disc,
    "path": path.run,
    "codecs": capture.run,
    "disturbed": disturbed.run,
    "marks": marks.run,
    "weighing": weighing.run,
    "looks": capture.looks,
    "recording": capture.stall,
    "long-pass": capture.long_pass,
    "detail": detail.run,
    "prediction": prediction.run,
    "proof": copies.proof,
    "chunks": copies.chunks,
    "night": night.run,
    "cluster": cluster.run,
    "ledger": ledger.run,
    "two-hours": two_hours.run,
}


def main() -> None:
    wanted = sys.argv[1:] or list(BENCHES)
    unknown = [name for name in wanted if name not in BENCHES]
    if unknown:
        sys.exit(f"bench: no benchmark called {', '.join(unknown)}; there are: {', '.join(BENCHES)}")
    print(f"{os.cpu_count()} processors, Python {platform.python_version()}, load {os.getloadavg()[0]:.1f}")
    for name in wanted:
        began = time.monotonic()
        print(f"\n== {name}", flush=True)
        for line in BENCHES[name]():
            print(f"   {line}", flush=True)
        print(f"   ({time.monotonic() - began:.0f} s)", flush=True)


if __name__ == "__main__":
    main()
