"""What all commands share: their common options, how a result is answered, and which workspace is meant."""

from __future__ import annotations

import contextlib
import json
import os
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NamedTuple

import typer

from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.work.text import printable
from yomikomi.core.work.warm import copy_this_process

if TYPE_CHECKING:
    from pydantic import BaseModel

    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView

File = Annotated[Path, typer.Argument(help="A file with moving pictures.")]


def _machines(on: str | None) -> str | None:
    if on not in {None, "here", "cluster"}:
        raise WrongUseError(f"On: {on!r} is not known.", remedy="Use here or cluster.")
    return on


On = Annotated[
    str | None, typer.Option("--on", callback=_machines, help="here, or cluster: where copies are made; as the rules say unless given.")
]
Json = Annotated[bool, typer.Option("--json", help="Print machine-readable JSON on standard output, and nothing else there.")]
WorkspaceOption = Annotated[Path | None, typer.Option("--workspace", help="Workspace folder.")]
TrustOption = Annotated[
    bool, typer.Option("--trust", help="You know who made this workspace: open it for writing, now and later. Others are only read.")
]


class Chosen(NamedTuple):
    """What stood before the command: the workspace, and whether it is trusted."""

    workspace: Path | None
    trust: bool


def default_workspace() -> Path:
    from platformdirs import user_data_path

    return user_data_path("yomikomi") / "workspace"


def need_display(what: str) -> None:
    """Raises UnfinishedError where a window cannot be shown; ``what``: of the window."""
    if not has_display() and os.environ.get("QT_QPA_PLATFORM") not in {"offscreen", "minimal"}:
        raise UnfinishedError(f"There is no display for the {what}.", remedy="Start it in a desktop session, or see yomikomi --help.")
    copy_this_process(False)  # with a window in it, no more


def has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def say_aside(words: str, remedy: str) -> None:
    """While something goes on."""
    print("   ", words, remedy, file=sys.stderr, flush=True)


def answer(document: BaseModel, as_json: bool, words: str) -> None:
    """On standard output: the document, or words with nothing in them that a terminal would obey."""
    if not as_json:
        print(printable(words))
        return
    try:
        print(document.model_dump_json(indent=1))
    except ValueError:  # names of files may be bytes that are no text; JSON can only escape them
        print(json.dumps(document.model_dump(mode="json"), indent=1))


def carriers_named(record: Record, labels: Sequence[str]) -> list[CarrierView]:
    """In the order named. Raises WrongUseError where one is not on the shelf."""
    known = {view.label: view for view in record.carriers()}
    for label in labels:
        if label not in known:
            raise WrongUseError(f"There is no carrier {label}.", remedy="yomikomi shelf list names them.")
    return [known[label] for label in labels]


@contextlib.contextmanager
def open_record(context: typer.Context) -> Iterator[Record]:
    """The record of the workspace that was named, closed at the end."""
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace

    chosen = context.obj
    workspace = Workspace(chosen.workspace or default_workspace(), trust=chosen.trust)
    try:
        yield Record(workspace)
    finally:
        workspace.close()
