"""Commands that run until they are ended."""

from __future__ import annotations

import subprocess
import sys


def begun(*words: object) -> tuple[subprocess.Popen[str], str]:
    """The program, and the first line that it said."""
    process = subprocess.Popen([sys.executable, "-m", "yomikomi", *map(str, words)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    first = process.stdout.readline()
    assert first, process.wait(10)
    return process, first
