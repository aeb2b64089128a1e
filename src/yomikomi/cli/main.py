"""Commands. Results go to standard output, everything else to standard error.

Exit codes: 0 fine, 2 wrong use, 3 unreadable input, 4 could not finish.
"""

from __future__ import annotations

import json
import os
import sys
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from yomikomi.cli import (
    captures,
    clusters,
    copies,
    ledger_exports,
    ledger_files,
    ledger_keeping,
    ledger_release,
    ledgers,
    outlets,
    paths,
    planning,
    process,
    readings,
    runs,
    set_copies,
    simulations,
    treatments,
)
from yomikomi.cli.root import Chosen, TrustOption, WorkspaceOption, default_workspace, has_display, need_display
from yomikomi.core.errors import WrongUseError, YomikomiError
from yomikomi.core.work.defects import defect
from yomikomi.core.work.text import printable
from yomikomi.core.work.warm import copy_this_process

if TYPE_CHECKING:
    from yomikomi.ui.state import AppState

app = typer.Typer(
    name="yomikomi",
    help="Digitise footage and make copies of it: measured, decided with you, verified.",
    add_completion=False,
    invoke_without_command=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


@app.callback()
def start(context: typer.Context, workspace: WorkspaceOption = None, trust: TrustOption = False) -> None:
    """Without a command, the window opens."""
    context.obj = Chosen(workspace, trust)
    if context.invoked_subcommand is None:
        _open_window(workspace or default_workspace(), demo=False, trust=trust)


@app.command()
def demo(workspace: WorkspaceOption = None) -> None:
    """The window with the demo workspace; without a display, the demo's main job in the terminal."""
    folder = workspace or default_workspace().with_name("demo")
    if has_display():
        _open_window(folder, demo=True)
    else:
        from yomikomi.cli.terminal_demo import run

        run(folder)


app.command()(simulations.simulate)
app.command()(copies.predict)
app.command()(copies.copy)
app.command()(copies.accuracy)
app.command()(process.process)
app.command("house-rules")(process.house_rules)
app.command()(outlets.outlets)
app.command()(outlets.conforms)
app.command()(set_copies.sets)
app.command()(readings.read)
app.command()(readings.compare)
app.command()(treatments.advise)
app.command()(treatments.treat)
app.command()(treatments.play)
app.command()(planning.titles)
app.command()(planning.reckon)
app.command()(paths.path)
app.command()(paths.diagnose)
app.command()(paths.equipment)
for command in (
    captures.capture, captures.sources, captures.synctest, captures.trial, captures.cut, captures.join, captures.merge,
):  # fmt: skip
    app.command()(command)
app.add_typer(planning.shelf, name="shelf")
app.add_typer(runs.run, name="run")
app.add_typer(clusters.cluster, name="cluster")
for kept in (
    ledger_files.verify, ledger_files.places, ledger_files.find, ledger_release.spots, ledger_release.looked, ledger_release.rules,
    ledger_release.release, ledger_keeping.backup, ledger_keeping.restore, ledger_keeping.merge, ledger_keeping.check,
    ledger_exports.export,
):  # fmt: skip
    ledgers.ledger.command()(kept)
ledgers.ledger.command("import")(ledger_exports.take_in)
ledgers.ledger.command("second-copy")(ledger_files.second_copy)
app.add_typer(ledgers.ledger, name="ledger")
app.command()(clusters.worker)


@app.command()
def schema(
    document: Annotated[
        str | None,
        typer.Argument(help="The document of a command: read, predict, titles, path …; or all."),
    ] = None,
) -> None:
    """Print the JSON Schema of the documents that --json prints."""
    from yomikomi.cli.documents import DOCUMENTS

    if document is not None and document not in DOCUMENTS:
        raise WrongUseError(f"There is no document {document!r}.", remedy=f"Use one of: {', '.join(DOCUMENTS)}.")
    schemas = {name: kind.model_json_schema(mode="serialization") for name, kind in DOCUMENTS.items()}
    print(json.dumps(schemas[document] if document else schemas, indent=1))


def _open_window(folder: Path, *, demo: bool, trust: bool = False) -> None:
    need_display("window")
    from yomikomi.ui.app import REOPEN, run_window

    def fill(state: AppState) -> None:
        from yomikomi.demo.maker import fill

        fill(state)

    also = ("yomikomi.demo.maker",) if demo else ()
    code = run_window(folder, on_ready=fill if demo else None, also=also, trust=trust)
    if code == REOPEN:  # another form or size of everything: Qt takes them only at the start
        os.execv(sys.executable, [sys.executable, "-m", "yomikomi", *sys.argv[1:]])
    raise SystemExit(code)


@cache
def _command() -> Any:
    return typer.main.get_command(app)


def main(*, own_process: bool = False) -> None:
    """The entry point: errors become one line on standard error and an exit code. ``own_process``: nothing else goes on in this one."""
    copy_this_process(own_process)
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a terminal that knows no more than ASCII still gets its answer
    try:
        _command()(standalone_mode=False)
        sys.stdout.flush()
    except YomikomiError as error:
        _fail(str(error), error.exit_code)
    except KeyboardInterrupt:
        _fail("Stopped.", 4)
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(4) from None
    except OSError as error:
        _fail(f"The system said: {error.strerror or error}{f' ({error.filename})' if error.filename else ''}. Check the drive.", 4)
    except Exception as error:
        # Typer's own usage errors: recognised by what they can do, since it may bring its own copy of their classes.
        message = getattr(error, "format_message", None)
        if message is None:
            if type(error).__name__ == "Abort":
                _fail("Stopped.", 4)
            _fail(str(defect(error, "command line")), 4)
        _fail(f"{message()} See yomikomi --help.", 2)


def _fail(words: str, code: int) -> NoReturn:
    print(f"yomikomi: {printable(' '.join(words.split()))}", file=sys.stderr)
    raise SystemExit(code)
