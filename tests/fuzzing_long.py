"""``python -m tests.fuzzing_long COUNT [FIRST]``: many cases on all processors; ends with 1 where one ended as it must not."""

from __future__ import annotations

import os
import sys
import time
from concurrent.futures import ThreadPoolExecutor

from tests.fuzzing import Outcome, run


def main(count: int, first: int) -> int:
    began, processors = time.monotonic(), os.cpu_count() or 1
    share = -(-count // processors)

    def one(place: int) -> Outcome:
        return run(first + place * share, min(share, count - place * share))

    with ThreadPoolExecutor(processors) as pool:
        parts = list(pool.map(one, range(processors)))
    ends = sum((part.ends for part in parts), start=type(parts[0].ends)())
    wrong = [one for part in parts for one in part.wrong]
    print(
        f"{sum(ends.values())} cases in {time.monotonic() - began:.0f} s: {dict(ends)}; slowest {max(p.slowest for p in parts):.1f} s, "
        f"largest {max(p.largest_mb for p in parts):.0f} MB"
    )
    for number, kind, words in wrong:
        print(f"  case {number} ({kind}): {words}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 10_000))
