"""The program speaks as `words.md` says: no text of it holds a phrase from the "not" side of that list."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCES = ROOT / "src" / "yomikomi"

# What is not said, and what is said instead.
NOT = {
    r"\bforetold\b|\bforetell": "predicted",
    r"\bcame out\b": "actual",
    r"\boff by\b": "difference",
    r"like the take|\blikeness\b|looks? as good": "fidelity",
    r"for 9 of 10": "90 % interval",
    r"(H\.264|HEVC|AV1|\{\}) at \{?\d*\}?:": "quality 20",
    r"[Tt]ry recipes|still trying|sized on": "Run trials; trials running; estimated from 18 segments",
    r"[Ww]hat stands out": "Worth considering",
    r"that looks as good": "at this fidelity",
    r"\bsurely\b": "sure to",
    r"^Pace\b": "Effort",
    r"[Ss]end to run|^Take out$|not end well": "Add to the run; remove; failed",
    r"Where has it gone": "Trace a fault",
    r"two minds|[Tt]wo schools": "Good practice differs here; ways of working",
    r"^Wishes": "Requirements",
    r"taken? apart": "Needs deinterlacing for progressive screens",
    r"is one moment|[Ww]hole pictures?\b": "Progressive",
    r"film in video": "film with 2:3 pulldown",
    r"telling frames": "of the frames with enough motion agree",
    r"\d?\{?\}? codes\b": "code values",
    r"[Ll]ines wobble": "Line jitter (time-base error)",
    r"samples late\b|Colour .* samples": "Chroma delayed by 3 samples",
    r"\blook here\b|\bcannot tell\b|cannot be told": "check, undetermined",
    r"^Look$|[Ss]top looking|^Looks (on|off)|[Tt]he looks": "Preview, Stop preview, Monitor on/off",
    r"^Look back$|^(Arm|Disarm)\b|looks? back on": "Look-back buffer, Start buffering",
    r"[Ee]nds by itself|losses only warn": "Automatic stop; losses raise a warning",
    r"times what is needed": "headroom 1.4×",
    r"frames lack|^lack \{": "95 of 320 frames missing",
    r"^Goes on at": "Overflow drive",
    r"^Sound later": "Audio delay",
    r"^Record so$": "Use this codec",
    r"^Handed to|[Tt]reat as found|[Tt]reat it so": "Suggested corrections; Continue to Treatment; Use this treatment",
    r"off centre|turn one channel": "DC offset; invert one channel",
    r"ours to copy": "We hold the rights, or may copy it",
    r"Could it be recorded over": "Write-protect tab missing?",
    r"^in .*recipes tried": "12 recipes tried in 32 s",
    r"[Nn]othing to make|[Nn]othing running": "Idle; the run is empty",
    r"\bhear\b|\bheard\b|\btaken in\b": "detected, reported, added",
}


def _strings(path: Path) -> Iterator[tuple[int, str]]:
    """Every text of a module but its docstrings; what is filled in stands as {}."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    passed_over: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            passed_over.add(id(node.value))
        if isinstance(node, ast.JoinedStr):
            passed_over |= {id(part) for part in node.values}
            yield node.lineno, "".join(part.value if isinstance(part, ast.Constant) else "{}" for part in node.values)  # type: ignore[misc]
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in passed_over:
            yield node.lineno, node.value


# Keys of tables and of records that nobody reads: an order's name, what earlier versions wrote.
KEYS = {"taken in"}


@cache
def _spoken() -> tuple[tuple[str, str], ...]:
    return tuple(_walked())


def _walked() -> Iterator[tuple[str, str]]:
    for path in sorted(SOURCES.rglob("*.py")):
        for line, words in _strings(path):
            if words not in KEYS:
                yield f"{path.relative_to(SOURCES)}:{line}", words
    for path in sorted([*SOURCES.rglob("*.toml"), *SOURCES.rglob("*.j2"), *SOURCES.rglob("*.html")]):
        for number, text in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            yield f"{path.relative_to(SOURCES)}:{number}", text


# What the documents say of code and of how things work inside.
INSIDE = re.compile(r"`[^`]*`|[Ee]xit codes|JSON documents, exit codes")


def _documents() -> Iterator[tuple[str, str]]:
    for path in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))):
        for number, text in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            yield f"{path.name}:{number}", INSIDE.sub("", text)


def test_nothing_is_said_that_the_list_of_words_has_replaced() -> None:
    every = [*_spoken(), *_documents()]
    found = [f"{place}: {words!r}: say “{better}”" for phrase, better in NOT.items() for place, words in every if re.search(phrase, words)]
    assert not found, "\n".join(found)


def test_the_walk_sees_what_the_program_says() -> None:
    """A walk that finds nothing proves nothing."""
    every = [words for _, words in _spoken()]
    assert "Run trials" in every
    assert any("{}, {}: {}, {}." in words for words in every)
    assert len(every) > 5000
