"""Commands of outlets: which there are, and where a file plays."""

from __future__ import annotations

from typing import Annotated

import typer

from yomikomi.cli.recipe_options import outlets_named
from yomikomi.cli.root import File, Json, answer


def outlets(as_json: Json = False) -> None:
    """List the kinds of places where copies are watched or used."""
    from yomikomi.cli.outlet_documents import OutletsDocument
    from yomikomi.core.outlets.model import outlets as known

    found = list(known().values())
    lines = [f"{one.key:<16}{one.words}" + (f"\n{'':<16}{one.note}" if one.note else "") for one in found]
    answer(OutletsDocument(outlets=found), as_json, "\n".join(lines))


def conforms(
    file: File,
    outlet: Annotated[list[str] | None, typer.Option("--outlet", help="Key of an outlet, more than once for several; else all.")] = None,
    as_json: Json = False,
) -> None:
    """Hold a finished file against outlets, from its own bytes: where it plays, and who cannot open it and why. Ends with 4 where an
    outlet that was named does not take it."""
    from yomikomi.cli.outlet_documents import ConformsDocument
    from yomikomi.core.errors import UnfinishedError
    from yomikomi.core.outlets.conforming import judge
    from yomikomi.core.outlets.facts import facts_of
    from yomikomi.core.outlets.model import outlets as known

    wanted = outlets_named(outlet or known())
    facts = facts_of(file)
    answers = [judge(facts, one, file.name) for one in wanted]
    lines = []
    for one in answers:
        place = known()[one.outlet].words
        lines.append(f"{'plays' if one.conforms else 'DOES NOT PLAY':<14}{place}")
        lines += [f"{'':<14}{violation.words}" for violation in one.violations]
    fine = all(one.conforms for one in answers)
    answer(ConformsDocument(conforms=fine, answers=answers), as_json, "\n".join(lines))
    if outlet and not fine:
        wrong = ", ".join(known()[one.outlet].words for one in answers if not one.conforms)
        raise UnfinishedError(f"{file.name} does not play at: {wrong}.", remedy="Make another copy of the take for it.")
