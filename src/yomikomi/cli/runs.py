"""Commands of the run: what is to be made, in which order, and making it."""

from __future__ import annotations

import re
import sys
import time
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from yomikomi.cli.recipe_options import (
    CodecOption,
    ContainerOption,
    OutletOption,
    QualityOption,
    RecipeOption,
    SpeedOption,
    UntouchedOption,
)
from yomikomi.cli.root import Json, On, answer, carriers_named, open_record, say_aside
from yomikomi.core.errors import UnfinishedError, WrongUseError

if TYPE_CHECKING:
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.run_report import RunReport
    from yomikomi.core.run.driver import Driver
    from yomikomi.core.run.executors.face import Executor
    from yomikomi.core.run.rules import AtEnd
    from yomikomi.core.work.notices import Notice

run = typer.Typer(help="The run: copies that wait, are made and proven.", no_args_is_help=True, add_completion=False, rich_markup_mode=None)
Copies = Annotated[list[int], typer.Argument(help="Copies, by the numbers that run list tells.")]
_POLL_S, _TOLD_EVERY_S = 0.1, 10.0


@run.command()
def add(
    context: typer.Context,
    carriers: Annotated[list[str], typer.Argument(help="Labels of carriers that have a take; one that was not read is read.")],
    codec: CodecOption = None,
    quality: QualityOption = None,
    speed: SpeedOption = None,
    recipe: RecipeOption = None,
    untouched: UntouchedOption = False,
    container: ContainerOption = None,
    outlet: OutletOption = None,
    as_json: Json = False,
) -> None:
    """Put a copy of each carrier into the run, as it is treated (or as its reading suggests)."""
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.recipe_options import fitted, named_recipe, outlet_named
    from yomikomi.core.ledger.run_queue import ask_copy
    from yomikomi.core.treatment.advice import fields_treatment

    place = outlet_named(outlet)
    wanted = named_recipe(
        recipe=recipe, codec=codec, quality=quality, cap=None, average=None, passes=None, target_size=None, constant=None, lossless=False,
        untouched=untouched, exact=False, speed=speed, container=container, sound=None, sound_kbps=None, channels=None, key_seconds=None,
        grain=None, outlet=place,
    )  # fmt: skip
    with open_record(context) as record:
        for named in carriers_named(record, carriers):
            view = named
            if view.take is None:
                raise UnfinishedError(f"{view.label} has no take.", remedy="Capture or import it.")
            if view.judged is None:
                record.readings.save(view.take.id, read_file(view.take.path, quiet=as_json))
                view = record.carrier(view.id)
            assert view.take is not None
            assert view.judged is not None
            if view.treatment is None:
                record.readings.choose_treatment(view.take.id, fields_treatment(view.judged))
                view = record.carrier(view.id)
            assert view.treatment is not None
            assert view.judged is not None
            ask_copy(record, view, fitted(wanted, view.judged, view.treatment, place), None, place)
        _tell(record, as_json)


@run.command("list")
def list_(context: typer.Context, as_json: Json = False) -> None:
    """What is made and waits, in its order, then what ended."""
    with open_record(context) as record:
        _tell(record, as_json)


@run.command()
def start(
    context: typer.Context,
    until: Annotated[str | None, typer.Option("--until", help="Stop at this time (HH:MM); what runs then waits.")] = None,
    then: Annotated[str, typer.Option("--then", help="At the end: nothing, suspend, or power-off.")] = "nothing",
    report: Annotated[Path | None, typer.Option("--report", help="Write the report there (HTML, or JSON by its ending).")] = None,
    on: On = None,
    as_json: Json = False,
) -> None:
    """Make all that waits, one after another; Ctrl+C stops in order."""
    from yomikomi.core.ledger.run_report import make_report, report_words, write_report

    at_end = _at_end(then)
    stops = _next_time(until) if until is not None else None
    begun = datetime.now().astimezone()
    with open_record(context) as record:
        record.workspace.check_writable()
        interrupted = make_all(record, on, stops)
        made = make_report(record.run_rows.since(begun), begun)
        if report is not None:
            write_report(made, report)
    answer(made, as_json, report_words(made))
    if not interrupted:
        _end(at_end, made)
    if made.need_person:
        raise UnfinishedError(f"{made.need_person} of the copies need a person.", remedy="yomikomi run list says why.")


@run.command()
def pause(context: typer.Context, as_json: Json = False) -> None:
    """Nothing is made until the run is started again, also by the window."""
    with open_record(context) as record:
        record.jobs.save_rules(record.jobs.rules().model_copy(update={"paused": True}))
        _tell(record, as_json)


@run.command()
def cancel(context: typer.Context, copies: Copies, as_json: Json = False) -> None:
    """Those are not made; nothing is left of them."""
    with open_record(context) as record:
        _driver(record, copies).cancel(copies)
        _tell(record, as_json)


@run.command()
def order(context: typer.Context, copies: Copies, as_json: Json = False) -> None:
    """Those come first, in this order."""
    with open_record(context) as record:
        _driver(record, copies).order(copies)
        _tell(record, as_json)


@run.command()
def report(
    context: typer.Context,
    hours: Annotated[float, typer.Option("--hours", help="What ended within so many hours.", min=0.01, max=100_000)] = 16.0,
    output: Annotated[Path | None, typer.Option("-o", "--output", help="Write it there (HTML, or JSON by its ending).")] = None,
    as_json: Json = False,
) -> None:
    """What was made, what failed and why, what comes next."""
    from yomikomi.core.ledger.run_report import make_report, report_words, write_report

    with open_record(context) as record:
        since = datetime.now().astimezone() - timedelta(hours=hours)
        made = make_report(record.run_rows.since(since), since)
    if output is not None:
        write_report(made, output)
    answer(made, as_json, report_words(made))


def _tell(record: Record, as_json: bool) -> None:
    from yomikomi.cli.run_documents import RunDocument, RunLine

    rows = record.run_rows.all()
    rows.sort(key=lambda row: (not row.live, row.rank if row.live else 0.0, row.copy))
    document = RunDocument(paused=record.jobs.rules().paused, copies=[RunLine.of(row) for row in rows])
    lines = [f"{row.copy:>5}  {row.state:<10} {row.carrier:<10} {row.name}  {row.recipe}" for row in rows]
    answer(document, as_json, "\n".join(lines) or "The run is empty.")


def _driver(record: Record, copies: list[int]) -> Driver:
    from yomikomi.core.run.driver import Driver
    from yomikomi.core.run.executors.local import LocalExecutor

    record.workspace.check_writable()
    known = set(record.run_rows.all_ids())
    for copy in copies:
        if copy not in known:
            raise WrongUseError(f"There is no copy {copy}.", remedy="yomikomi run list names them.")
    return Driver(record.jobs, LocalExecutor(), told=say)


def say(notice: Notice) -> None:
    say_aside(notice.text, notice.remedy)


def make_all(record: Record, on: str | None, stops: datetime | None = None) -> bool:
    """All that waits, also what was paused; ``on``: the machines that make it, as the rules say where it is not given. Whether a person
    stopped it."""
    from yomikomi.core.run.driver import Driver
    from yomikomi.core.run.executors.choice import ChosenExecutor
    from yomikomi.core.run.executors.local import LocalExecutor

    record.copies.requeue_cut_off()
    executor = ChosenExecutor(LocalExecutor(), say_aside)
    driver = Driver(record.jobs, executor, told=say)
    driver.set_rules(driver.rules.model_copy(update={"paused": False, "where": on or driver.rules.where}))
    executor.use(driver.rules.where)
    try:
        return _drive(driver, executor, stops)
    finally:
        executor.close(2)


def _drive(driver: Driver, executor: Executor, stops: datetime | None) -> bool:
    """Until nothing is left, or it is stopped; whether it was by hand."""
    from yomikomi.core.run.desktop.dbus import DBusDesktop

    release, told_at, interrupted = DBusDesktop().keep_awake("copies are being made"), time.monotonic(), False
    try:
        driver.go()
        while not driver.idle:
            driver.poll()
            time.sleep(_POLL_S)
            if stops is not None and datetime.now().astimezone() >= stops:
                break
            if time.monotonic() - told_at > _TOLD_EVERY_S:
                told_at = time.monotonic()
                for one in driver.running.values():
                    part = getattr(one.handle.progress, "part", 0.0)
                    step = getattr(one.handle.progress, "step", one.work.kind)
                    print("   ", one.work.carrier, step, f"{100 * part:.0f} %", file=sys.stderr, flush=True)
    except KeyboardInterrupt:
        interrupted = True
    finally:
        driver.stop_all()
        while not executor.gone():
            driver.poll()
            time.sleep(0.02)
        if release is not None:
            release()
    return interrupted


def _end(at_end: AtEnd, made: RunReport) -> None:
    """With a countdown that Ctrl+C stops."""
    from yomikomi.core.run.desktop.dbus import DBusDesktop
    from yomikomi.core.run.ending import Ending
    from yomikomi.core.run.rules import RunRules

    ending, rules = Ending(DBusDesktop(), lambda: None, time.monotonic), RunRules(at_end=at_end)
    ending.worked = bool(made.lines)
    told = ("The run is done", made.sentence)
    ending.tick(rules, idle=True, running=False, report=told)
    try:
        while ending.left_s is not None:
            print(f"    {at_end} in {ending.left_s:.0f} s; Ctrl+C stops it", file=sys.stderr, flush=True)
            time.sleep(min(10.0, max(0.1, ending.left_s)))
            ending.tick(rules, idle=True, running=False, report=told)
    except KeyboardInterrupt:
        ending.stop()
    if ending.trouble:
        print("   ", ending.trouble, file=sys.stderr)


def _at_end(words: str) -> AtEnd:
    found: dict[str, AtEnd] = {"nothing": "nothing", "suspend": "suspend", "power-off": "power off"}
    if words not in found:
        raise WrongUseError(f"At the end: {words!r} is not known.", remedy=f"Use one of: {', '.join(found)}.")
    return found[words]


def _next_time(words: str) -> datetime:
    match = re.fullmatch(r"(\d{1,2}):(\d{2})", words)
    if match is None or int(match[1]) > 23 or int(match[2]) > 59:
        raise WrongUseError(f"{words!r} is no time.", remedy="Write it as 06:00.")
    now = datetime.now().astimezone()
    at = now.replace(hour=int(match[1]), minute=int(match[2]), second=0, microsecond=0)
    return at if at > now else at + timedelta(days=1)
