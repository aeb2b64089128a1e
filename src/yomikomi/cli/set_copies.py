"""Several copies of a file at once: which sets there are, and making one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from yomikomi.cli.root import Json, answer
from yomikomi.core.errors import UnfinishedError, WrongUseError

if TYPE_CHECKING:
    from yomikomi.core.reading.models import Reading
    from yomikomi.core.sets.planning import PlannedCopy
    from yomikomi.core.treatment.model import Treatment


def sets(as_json: Json = False) -> None:
    """List the sets of copies. Own ones are files of the same form (--json shows it) in the folder for settings, named to --set by key or
    as a file."""
    from yomikomi.cli.set_documents import SetsDocument
    from yomikomi.core.sets.model import all_sets, sets_folder

    found = list(all_sets(sets_folder()).values())
    lines = []
    for one in found:
        lines.append(f"{one.key:<18}{one.words}")
        lines += [f"{'':<18}{copy.name}: {copy.recipe.words}, {', '.join(copy.outlets) or 'any outlet'}" for copy in one.copies]
    answer(SetsDocument(sets=found), as_json, "\n".join(lines))


def check_set_alone(*of_a_recipe: object) -> None:
    """A set has recipes of its own. Raises WrongUseError where one was named besides."""
    if any(value is not None for value in of_a_recipe):
        raise WrongUseError("With --set, recipes come from the set.", remedy="Leave the options of a recipe out, or change the set.")


def planned(name: str, reading: Reading, treatment: Treatment) -> list[PlannedCopy]:
    """The copies of a set, made to fit. Raises WrongUseError for an unknown set, and where none of it can be made."""
    from yomikomi.core.sets.model import named_set, sets_folder
    from yomikomi.core.sets.planning import plan_set

    found = plan_set(named_set(name, sets_folder()), reading, treatment)
    if all(one.wrong for one in found):
        told = "; ".join(f"{one.name}: {', '.join(one.wrong)}" for one in found)
        raise WrongUseError(f"No copy of the set can be made to fit ({told}).", remedy="Change the treatment, or take another set.")
    return found


def predict_set_of(file: Path, reading: Reading, copies: list[PlannedCopy], *, as_json: bool) -> None:
    """Answer what every copy of a set would cost."""
    from yomikomi.cli.set_documents import SetPredictionDocument, SetPredictionRow
    from yomikomi.cli.work import run_job
    from yomikomi.core.sets.planning import SetRequest, predict_set
    from yomikomi.core.sets.sentences import set_headline, set_row
    from yomikomi.core.work.drive import free_bytes

    told = run_job(predict_set, SetRequest(file, reading, tuple(copies)), "trying", quiet=as_json)
    pairs = list(zip(copies, told, strict=True))
    head, basis = set_headline(copies, told, free=lambda folder: free_bytes(folder or Path.cwd()))
    lines = [head, basis, *("  ".join(set_row(one, prediction, "")) for one, prediction in pairs)]
    rows = [SetPredictionRow(name=one.name, wrong=list(one.wrong), prediction=prediction) for one, prediction in pairs]
    answer(SetPredictionDocument(copies=rows), as_json, "\n".join(lines))


def copy_set_of(file: Path, folder: Path, reading: Reading, copies: list[PlannedCopy], *, as_json: bool, fill_gaps: bool) -> None:
    """Make every copy of a set into a folder; names are never those of files that are there. One that fails does not keep the others."""
    from yomikomi.cli.main_job import copy_file
    from yomikomi.cli.set_documents import SetCopiesDocument, SetCopyRow
    from yomikomi.core.ledger.naming import safe_name
    from yomikomi.core.sets.planning import check_folders
    from yomikomi.core.work.new_file import free_name

    if not folder.is_dir():
        raise WrongUseError(f"{folder} is no folder.", remedy="With --set, -o names a folder that is there.")
    check_folders(copies)
    rows, lines, failed = [], [], []
    for one in copies:
        if one.wrong:
            rows.append(SetCopyRow(name=one.name, wrong=list(one.wrong), result=None))
            lines.append(f"{one.name}: cannot be made to fit: {'; '.join(one.wrong)}")
            continue
        target = free_name(one.folder or folder, f"{safe_name(file.stem)}-{safe_name(one.name)}", f".{one.recipe.container}")
        result = copy_file(file, target, reading, one.treatment, one.recipe, quiet=as_json, fill_gaps=fill_gaps, outlet=one.outlet)
        rows.append(SetCopyRow(name=one.name, wrong=[], result=result))
        lines.append(f"{one.name}: {(one.folder or folder) / result.file}, {result.verdict}")
        if not result.verified:
            failed.append(one.name)
    answer(SetCopiesDocument(copies=rows), as_json, "\n".join(lines))
    if failed:
        raise UnfinishedError(f"Made but failed a check: {', '.join(failed)}.", remedy="Keep the source, and copy again.")
