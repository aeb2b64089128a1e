"""What holds the house up: the core without Qt, documents that point to what exists, shipped files and pins."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from importlib.metadata import distributions, version
from pathlib import Path

import yomikomi
from yomikomi.core.planning.carriers import KINDS
from yomikomi.ui.actions import ACTIONS, STATIONS

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "yomikomi"


def test_the_core_lives_without_qt() -> None:
    """Every module of the core and the simulation is imported where Qt cannot be."""
    modules = [
        ".".join(path.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__")
        for top in ("core", "sim")
        for path in sorted((SOURCE / top).rglob("*.py"))
        if "migrations" not in path.parts
    ]
    assert len(modules) > 50
    script = (
        "import sys\n"
        "class Refuse:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in {'PySide6', 'shiboken6'}: raise ImportError('no Qt here')\n"
        "sys.meta_path.insert(0, Refuse())\n"
        "import importlib\n"
        f"for name in {modules!r}: importlib.import_module(name)\n"
    )
    subprocess.run([sys.executable, "-c", script], check=True)


def test_documents_point_to_what_exists() -> None:
    for document in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))):
        text = document.read_text()
        for link in re.findall(r"\]\(([^)#]+?)(?:#[^)]*)?\)", text):
            if "://" not in link:
                assert (document.parent / link).exists(), f"{document.name} links to {link}"
        for path in re.findall(r"`((?:src|tests|docs|bench|tools)/[\w./-]+)`", text):
            assert (ROOT / path).exists(), f"{document.name} names {path}"


def test_every_picture_is_linked_and_there_are_few() -> None:
    readme = (ROOT / "README.md").read_text()
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in readme
    for entry in STATIONS:
        assert f"docs/screenshots/{entry.key}.png" in readme


def test_icons_and_fonts_ship_with_their_licences() -> None:
    icons = SOURCE / "ui" / "assets" / "icons"
    named = {entry.icon for entry in STATIONS} | {kind.icon for kind in KINDS.values()}
    for source in (SOURCE / "ui").rglob("*.py"):
        named |= set(re.findall(r'icon\("([\w-]+)"', source.read_text()))
        named |= set(re.findall(r'_asset\("([\w-]+)\.svg"', source.read_text()))
    assert {name for name in named if not (icons / f"{name}.svg").exists()} == set()
    assert (icons / "LICENSE-ISC.txt").exists()
    assert (SOURCE / "assets" / "fonts" / "LICENSE-OFL.txt").exists()
    assert "GNU GENERAL PUBLIC LICENSE" in (ROOT / "LICENSE").read_text()


def _plain(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def test_what_runs_is_what_is_pinned() -> None:
    pins = dict(line.split("==") for line in (ROOT / "constraints.txt").read_text().split())
    for name in ("av", "numpy", "PySide6_Essentials", "SQLAlchemy", "pydantic", "scipy"):
        assert version(name) == pins[name]
    known = {_plain(name): pin for name, pin in pins.items()}
    own = {"yomikomi", "pip", "setuptools", "wheel"}
    there = {_plain(one.name): one.version for one in distributions() if _plain(one.name) not in own}
    assert {name: found for name, found in there.items() if known.get(name) != found} == {}
    assert yomikomi.__doc__


def test_files_and_functions_stay_within_the_soft_limits() -> None:
    """Past one of them, ask what the second thing in it is (style.md)."""
    for path in SOURCE.rglob("*.py"):
        text = path.read_text()
        assert text.count("\n") <= 400, f"{path.name} has {text.count(chr(10))} lines"
        for node in ast.parse(text).body:
            if isinstance(node, ast.ClassDef):
                methods = sum(isinstance(one, ast.FunctionDef) for one in node.body)
                assert methods < 30, f"{path.name}: {node.name} has {methods} methods"


def test_public_functions_on_arrays_say_their_shapes() -> None:
    """Each says it itself, or takes types whose definition says it in the line above (style.md)."""
    trees = {path: (ast.parse(path.read_text()), path.read_text().splitlines()) for path in SOURCE.rglob("*.py")}
    silent = [
        f"{path.relative_to(SOURCE)}: {ast.unparse(node.targets[0])}"
        for path, (tree, lines) in trees.items() for node in tree.body
        if isinstance(node, ast.Assign) and "NDArray" in ast.unparse(node.value) and "shape" not in lines[node.lineno - 2].lower()
    ]  # fmt: skip
    for path, (tree, _) in trees.items():
        for owner in ast.walk(tree):
            if not isinstance(owner, ast.Module | ast.ClassDef) or (isinstance(owner, ast.ClassDef) and owner.name.startswith("_")):
                continue
            for node in [one for one in owner.body if isinstance(one, ast.FunctionDef) and not one.name.startswith("_")]:
                types = [one.annotation for one in (*node.args.args, *node.args.kwonlyargs)] + [node.returns]
                names = {part.id for one in types if one is not None for part in ast.walk(one) if isinstance(part, ast.Name)}
                if "NDArray" in names and "shape" not in (ast.get_docstring(node) or "").lower():
                    silent.append(f"{path.relative_to(SOURCE)}: {node.name}")
    assert silent == []


def test_actions_belong_to_stations_that_exist() -> None:
    known = {entry.key for entry in STATIONS}
    assert all(not action.station or action.station in known for action in ACTIONS)
