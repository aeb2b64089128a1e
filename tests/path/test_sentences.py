"""Rules, plan and ranking name rows of the sentences; every row is named, and what fills it is what it asks for."""

from __future__ import annotations

import ast
from pathlib import Path
from string import Formatter

import yomikomi.core.path
from yomikomi.core.path.sentences import RANKS, SAYS, WHYS

_ROOM = Path(yomikomi.core.path.__file__).parent
# Keys that are put together: the matrix and the codec by name.
_PUT_TOGETHER = {one for one in WHYS if one.startswith(("matrix ", "codec "))}


def _asks_for(*templates: str) -> set[str]:
    return {name for template in templates for _, name, _, _ in Formatter().parse(template) if name}


def _calls(name: str) -> list[ast.Call]:
    trees = (ast.parse(file.read_text("utf-8")) for file in _ROOM.glob("*.py"))
    return [node for tree in trees for node in ast.walk(tree) if isinstance(node, ast.Call) and getattr(node.func, "id", "") == name]


def _keys(node: ast.expr) -> list[str]:
    """The keys an argument may be: a literal, or one of two."""
    both = [node.body, node.orelse] if isinstance(node, ast.IfExp) else [node]
    return [one.value for one in both if isinstance(one, ast.Constant) and isinstance(one.value, str)]


def test_every_row_of_the_ranks_is_named_and_filled() -> None:
    named = {}
    for call in _calls("said"):
        for key in _keys(call.args[0]):
            named.setdefault(key, []).append({keyword.arg for keyword in call.keywords})
    assert set(named) == set(RANKS)
    for key, given in named.items():
        assert all(_asks_for(RANKS[key]) <= one for one in given), key


def test_every_row_of_the_findings_and_of_the_plan_is_named_and_filled() -> None:
    for name, table, place in (("Found", dict(SAYS.items()), 0), ("Planned", {k: (w,) for k, w in WHYS.items()}, 1)):
        named: set[str] = set()
        for call in _calls(name):
            keys = _keys(call.args[place]) if len(call.args) > place else []
            named |= set(keys)
            given = call.args[place + 1] if len(call.args) > place + 1 else None
            for key in keys:
                wanted = _asks_for(*table[key])
                if given is None:
                    assert not wanted, key
                elif isinstance(given, ast.Dict) and None not in given.keys:
                    assert {one.value for one in given.keys if isinstance(one, ast.Constant)} >= wanted, key
        unnamed = set(table) - named - _PUT_TOGETHER - {"as always"}
        # A key in a variable is named as a literal all the same.
        source = "".join(file.read_text("utf-8") for file in _ROOM.glob("*.py") if file.name != "sentences.py")
        assert not [key for key in unnamed if f'"{key}"' not in source]
