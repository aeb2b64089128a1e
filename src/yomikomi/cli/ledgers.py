"""Commands of the ledger: what was done, found again, proven, kept, released and handed on."""

from __future__ import annotations

from typing import Annotated

import typer

from yomikomi.cli.root import Json, answer, carriers_named, open_record
from yomikomi.core.errors import WrongUseError

ledger = typer.Typer(help="The ledger: what was done, proven and kept.", no_args_is_help=True, add_completion=False, rich_markup_mode=None)
Label = Annotated[str, typer.Argument(help="Label of a carrier.")]


@ledger.command()
def show(context: typer.Context, carrier: Label, as_json: Json = False) -> None:
    """All that was done with a carrier, from intake to release, in the order of time."""
    from yomikomi.core.ledger.page_entry import page_words

    with open_record(context) as record:
        (view,) = carriers_named(record, [carrier])
        page = record.pages.of(view.id)
    answer(page, as_json, page_words(page))


@ledger.command()
def search(
    context: typer.Context,
    words: Annotated[list[str], typer.Argument(help="All must be there, or begin a word; put in quotes what stands together.")],
    kind: Annotated[str, typer.Option("--kind", help="Only carriers of this kind: vhs, video8 …")] = "",
    most: Annotated[int, typer.Option("--most", min=1, max=1000, help="So many lines at most, the newest first.")] = 60,
    as_json: Json = False,
) -> None:
    """Search everything that was ever written down: carriers, paths, takes, copies, what people said, the history."""
    from yomikomi.cli.ledger_documents import SearchDocument, SearchLine

    asked = " ".join(f'"{one}"' if " " in one else one for one in words)
    with open_record(context) as record:
        hits = record.finder.find(asked, kind=kind, limit=most)
    told = [f"{hit.at[:16].replace('T', ' ')}  {hit.label:<10} {hit.what:<10} {hit.words}" for hit in hits]
    answer(SearchDocument(asked=asked, hits=[SearchLine.of(hit) for hit in hits]), as_json, "\n".join(told) or "Nothing was found.")


@ledger.command("same-way")
def same_way(
    context: typer.Context,
    carrier: Label,
    past: Annotated[str | None, typer.Option("--as", help="The earlier carrier; the newest like it that is done unless given.")] = None,
    as_json: Json = False,
) -> None:
    """Do it the same way as an earlier carrier: path and codec before the capture, treatment and copies once it is read."""
    from yomikomi.cli.ledger_documents import SameWayDocument
    from yomikomi.core.ledger.same_way import last_like
    from yomikomi.core.ledger.same_way import same_way as do_the_same

    with open_record(context) as record:
        (view,) = carriers_named(record, [carrier])
        earlier = carriers_named(record, [past])[0] if past is not None else last_like(record, view)
        if earlier is None:
            raise WrongUseError(f"No carrier like {carrier} is done yet.", remedy="Name one: --as LABEL.")
        made = do_the_same(record, view, earlier)
    told = SameWayDocument(carrier=view.label, past=earlier.label, done=made.done, differences=made.differences, later=made.later)
    answer(told, as_json, "\n".join([*made.done, *(one.words for one in made.differences), *([made.later] if made.later else [])]))
