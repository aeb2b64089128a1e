"""What one job of the run does: the functions of its tasks, which run in workers."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import BaseModel

from yomikomi.core.copying.made import Made
from yomikomi.core.copying.making import SAFE, prove_copy, write_copy
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.copying.result import CopyResult, unverified_name
from yomikomi.core.errors import UnfinishedError, YomikomiError
from yomikomi.core.reading.current import check_current
from yomikomi.core.run.task import TaskKind
from yomikomi.core.run.work_folder import WorkFolder
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import check_free


class EncodedLostError(UnfinishedError):
    """What was to be verified is not there any more, or is not what was written: it is encoded anew."""


def encode_task(request: CopyRequest, reporter: Reporter) -> Made:
    """Write a copy into its work folder, where it waits for its proof; what an earlier start finished there is adopted, by its digest.

    Raises what :func:`write_copy` raises, NameTakenError, UnfinishedError where the take is not the one that was read.
    """
    work = WorkFolder(request)
    with work.entered():
        found = work.made(reporter.check)
        if found is not None:
            return found
        try:
            check_free(request.target)
            check_current(request.path, request.reading, reporter.check)
            work.clear_part()
            return work.keep_made(write_copy(request, work.part, reporter, work.chunks), reporter.check)
        except OSError as error:
            work.leave()
            raise drive_error(error, request.target, safe=SAFE) from error
        except YomikomiError:  # stopped, or it cannot be made
            work.leave()
            raise


def verify_task(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Prove what was written, and give it its name: the one that was asked for, or, where a check failed, one that says so. The work folder
    stays until the result is written down.

    Raises EncodedLostError, NameTakenError, CancelledError, and what the drive says.
    """
    work = WorkFolder(request)
    with work.entered():
        told = work.verdict()
        if told is not None and work.has_name(told, reporter.check):
            return told
        check_free(request.target)
        made = work.made(reporter.check)
        if made is None:
            raise EncodedLostError(f"What was encoded for {request.target.name} is gone or damaged.", remedy="It is encoded again.")
        try:
            if told is None or told.content != made.content:
                proof = prove_copy(request, made, reporter)
                told = made.result((request.target if proof.passed else unverified_name(request.target)).name, proof)
                work.keep_verdict(told)
            work.give_name(told)
        except OSError as error:
            raise drive_error(error, request.target, safe=SAFE) from error
        return told


TASKS: dict[TaskKind, Callable[[CopyRequest, Reporter], BaseModel]] = {"encode": encode_task, "verify": verify_task}
