"""House rules from a script: carriers taken through like the first of their kind."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from yomikomi.cli.root import Json, On, answer, carriers_named, open_record
from yomikomi.core.errors import UnfinishedError, YomikomiError

if TYPE_CHECKING:
    from yomikomi.cli.process_documents import ProcessLine
    from yomikomi.core.house.rules import HouseRules
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView


def process(
    context: typer.Context,
    carriers: Annotated[list[str], typer.Argument(help="Labels of carriers; one without a take is prepared for its capture.")],
    rules: Annotated[str, typer.Option("--rules", help="House rules, by key or name, or a file that ends in .json.")],
    all_the_same: Annotated[bool, typer.Option("--all-the-same", help="Also those that differ: say so of what you looked at.")] = False,
    later: Annotated[bool, typer.Option("--later", help="Put the copies into the run, and make them later.")] = False,
    on: On = None,
    as_json: Json = False,
) -> None:
    """Read, treat, predict, copy and verify carriers by house rules; those that differ in a way that matters wait for a person."""
    from yomikomi.cli.process_documents import ProcessDocument
    from yomikomi.cli.runs import make_all
    from yomikomi.core.house.rules import named_rules
    from yomikomi.core.ledger.run_report import make_report, report_words

    wanted = named_rules(rules)
    begun, report = datetime.now().astimezone(), None
    with open_record(context) as record:
        record.workspace.check_writable()
        lines = [_taken(record, view, wanted, all_the_same, quiet=as_json) for view in carriers_named(record, carriers)]
        if not later and any(line.state == "taken through" for line in lines):
            make_all(record, on)
            report = make_report(record.run_rows.since(begun), begun)
    document = ProcessDocument(rules=wanted.key, carriers=lines, report=report)
    words = [f"{line.carrier:<10} {line.state}" + "".join(f"; {one.words}" for one in line.differences) + line.wrong for line in lines]
    answer(document, as_json, "\n".join([*words, *([report_words(report)] if report is not None else [])]))
    waits = sum(line.state not in {"taken through", "prepared"} for line in lines)
    if waits or (report is not None and report.need_person):
        raise UnfinishedError(f"{waits} of {len(lines)} carriers need a person.", remedy="Look at them in Run, or say --all-the-same.")


def house_rules(
    context: typer.Context,
    make_from: Annotated[str | None, typer.Option("--from", help="Make rules from this carrier, which was done by hand.")] = None,
    name: Annotated[str, typer.Option("--name", help="What they are for, in words.")] = "",
    output: Annotated[Path | None, typer.Option("-o", "--output", help="Export there instead of keeping them.")] = None,
    take_in: Annotated[Path | None, typer.Option("--import", help="Keep rules out of a file.")] = None,
    as_json: Json = False,
) -> None:
    """List house rules; make them from a carrier; export and import them as JSON."""
    from yomikomi.cli.process_documents import RulesDocument
    from yomikomi.core.house.rules import all_rules, keep_rules, read_rules
    from yomikomi.core.ledger.house import make_rules
    from yomikomi.core.work.new_file import write_new

    if take_in is not None:
        keep_rules(read_rules(take_in))
    if make_from is not None:
        with open_record(context) as record:
            (view,) = carriers_named(record, [make_from])
            made = make_rules(view, name, taken=list(all_rules()))
        if output is not None:
            write_new(output, made.model_dump_json(indent=1, exclude_computed_fields=True).encode())
        else:
            keep_rules(made)
    found = list(all_rules().values())
    answer(RulesDocument(rules=found), as_json, "\n".join(f"{one.key:<20} {one.words}: {one.summary}" for one in found) or "None yet.")


def _taken(record: Record, view: CarrierView, rules: HouseRules, all_the_same: bool, *, quiet: bool) -> ProcessLine:
    from yomikomi.cli.main_job import read_file
    from yomikomi.cli.process_documents import ProcessLine
    from yomikomi.cli.work import run_job
    from yomikomi.core.ledger.house import prepare, take_through
    from yomikomi.core.sets.planning import predict_set

    try:
        if view.take is None and (rules.sheet or rules.record_as) and rules.suits(view.kind, view.standard):
            prepare(record, view, rules.sheet, rules.record_as)
            return ProcessLine(carrier=view.label, state="prepared")
        if view.take is not None and view.judged is None:
            record.readings.save(view.take.id, read_file(view.take.path, quiet=quiet))
            view = record.carrier(view.id)
        predicts = partial(run_job, predict_set, name="predicting", quiet=quiet)
        found = take_through(record, view, rules, predicts=predicts, all_the_same=all_the_same)
    except YomikomiError as error:
        return ProcessLine(carrier=view.label, state="wrong", wrong=f": {error}")
    return ProcessLine(carrier=view.label, state="waiting" if found else "taken through", differences=found)
