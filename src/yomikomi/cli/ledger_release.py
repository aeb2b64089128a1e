"""Commands of the ledger for raw takes: looked at beside their copies, judged, released, brought back."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from yomikomi.cli.ledger_files import check, found_places, hash_new
from yomikomi.cli.root import Json, answer, carriers_named, open_record
from yomikomi.core.errors import UnfinishedError, YomikomiError

if TYPE_CHECKING:
    from yomikomi.cli.ledger_documents import ReleaseLine
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.views import CarrierView


def spots(
    context: typer.Context,
    copy: Annotated[int, typer.Argument(help="Number of a copy, as run list tells it.")],
    count: Annotated[int, typer.Option("--count", min=1, max=50, help="So many.")] = 5,
    as_json: Json = False,
) -> None:
    """Where to look at a copy before its take goes: hard scenes, losses, the ends, and places at random."""
    from yomikomi.cli.ledger_documents import SpotLine, SpotsDocument
    from yomikomi.core.video.timecode import clock

    with open_record(context) as record:
        chosen, looks = record.looks.spots(copy, count), record.looks.of(copy)
    lines = [
        SpotLine(
            seconds=one.seconds, why=one.why,
            verdict=next((look.verdict for look in reversed(looks) if abs(look.seconds - one.seconds) < 0.05), ""),
        )
        for one in chosen
    ]  # fmt: skip
    words = "\n".join(f"{clock(one.seconds)}  {one.why:<12} {one.verdict or 'not looked at'}" for one in lines)
    answer(SpotsDocument(copy_id=copy, spots=lines), as_json, words or "The copy is too short.")


def looked(
    context: typer.Context,
    copy: Annotated[int, typer.Argument(help="Number of a copy, as run list tells it.")],
    seconds: Annotated[float, typer.Argument(min=0, help="Where in the copy.")],
    verdict: Annotated[str, typer.Argument(help="good, poor or wrong.")],
    note: Annotated[str, typer.Option("--note", help="What was seen.")] = "",
    as_json: Json = False,
) -> None:
    """Write down what was seen when a spot of a copy was looked at beside its take."""
    from yomikomi.cli.ledger_documents import SpotLine, SpotsDocument
    from yomikomi.core.looking.spots import Spot

    with open_record(context) as record:
        known = record.looks.spots(copy, 50)
        near = min(known, key=lambda one: abs(one.seconds - seconds), default=None)
        why = near.why if near is not None and abs(near.seconds - seconds) < 0.5 else "chosen by hand"
        record.looks.add(copy, Spot(seconds, why), verdict, who=record.releases.rules().who, note=note)
        looks = record.looks.of(copy)
    lines = [SpotLine(seconds=one.seconds, why=one.why, verdict=one.verdict) for one in looks]
    answer(SpotsDocument(copy_id=copy, spots=lines), as_json, f"{len(lines)} spots looked at.")


def rules(
    context: typer.Context,
    use: Annotated[Path | None, typer.Option("--use", help="Take the rules from this JSON file.")] = None,
) -> None:
    """Print the ledger's rules as JSON: when takes may go, how often files are read again, backups, who works here."""
    from yomikomi.core.ledger.ledger_rules import LedgerRules
    from yomikomi.core.work.document_file import read_document

    with open_record(context) as record:
        if use is not None:
            record.releases.save_rules(
                read_document(use, LedgerRules, words="ledger rules document", remedy="See: yomikomi schema ledger-rules")
            )
        answer(record.releases.rules(), True, "")


def release(
    context: typer.Context,
    carriers: Annotated[list[str] | None, typer.Argument(help="Labels of carriers whose newest take is to go.")] = None,
    go: Annotated[bool, typer.Option("--go", help="Move the takes away; without it the rules are only judged.")] = False,
    undo: Annotated[int | None, typer.Option("--undo", help="Bring back the take of this release, by its number.")] = None,
    end_term: Annotated[int | None, typer.Option("--end-term", help="Its term is over: remove it for good.")] = None,
    as_json: Json = False,
) -> None:
    """Judge whether raw takes may go, after reading their copies again; move them away, bring them back. Without labels, list releases."""
    from yomikomi.cli.ledger_documents import ReleasedLine, ReleasesDocument

    with open_record(context) as record:
        left = record.releases.settle()
        if undo is not None:
            record.releases.undo(undo)
        if end_term is not None:
            _check_again(record, [one.take_id for one in record.releases.all() if one.id == end_term], quiet=as_json)
            record.releases.end_term(end_term)
        lines = [_judged(record, view, go=go, quiet=as_json) for view in carriers_named(record, carriers or [])]
        released = [ReleasedLine.of(one) for one in record.releases.all()]
    words = [one.words for one in lines] if carriers else [one.words for one in released] or ["Nothing was released yet."]
    answer(ReleasesDocument(takes=lines, releases=released), as_json, "\n".join(words))
    if left:
        raise UnfinishedError("A release could not be settled, since a drive is away.", remedy="Connect it, then do it again.")
    held = [one for one in lines if one.wrong or (go and not one.released)]
    if held or any(not one.judgement.may for one in lines if one.judgement is not None):
        raise UnfinishedError(f"{sum(not one.released for one in lines)} of {len(lines)} takes stay.", remedy="The lines above say why.")


def _judged(record: Record, view: CarrierView, *, go: bool, quiet: bool) -> ReleaseLine:
    from yomikomi.cli.ledger_documents import ReleaseLine

    label = view.label
    if view.take is None:
        return ReleaseLine(carrier=label, judgement=None, wrong="no take")
    _check_again(record, [view.take.id], quiet=quiet)
    judgement = record.releases.judge(view.take.id)
    if not go or not judgement.may:
        return ReleaseLine(carrier=label, judgement=judgement)
    try:
        number = record.releases.release(view.take.id)
    except YomikomiError as error:
        return ReleaseLine(carrier=label, judgement=judgement, wrong=str(error))
    return ReleaseLine(carrier=label, judgement=judgement, released=number)


def _check_again(record: Record, takes: list[int], *, quiet: bool) -> None:
    """All files of the takes and their copies, wherever they are within reach."""
    if record.workspace.read_only:
        return
    hash_new(record, quiet=quiet)
    found_places(record)
    for take in takes:
        check(record, record.files.of_take(take), quiet=quiet)
