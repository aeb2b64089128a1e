"""What is said at the head of the Shelf, of Run and of the Ledger."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.text import capital

if TYPE_CHECKING:  # the shelf stands before what copies need is loaded
    from yomikomi.core.balance.learning import Account
    from yomikomi.core.ledger.run_outlook import Outlook
    from yomikomi.core.ledger.spine import Spine
    from yomikomi.core.ledger.views import CopyView
    from yomikomi.core.run.rules import RunRules


def shelf_headline(spines: Sequence[Spine], current: Spine | None) -> tuple[str, str]:
    """The sentence and its basis."""
    if not spines:
        return "Add a carrier to the shelf.", "A tape to capture, or a file you already have"
    done = sum(one.progress == 8 for one in spines)
    head = f"{counted(len(spines), 'carrier', 'carriers')}, {done} copied and verified."
    if current is not None and current.unfit:
        head += f" {current.label} must not be played: {current.details.condition.words}."
    elif current is not None and current.progress < 8 and current.next_station != "shelf":
        head += f" {current.label} continues at {capital(current.next_station)}."
    return head, "Enter continues with the selected carrier · Ctrl+K finds anything by name · Ctrl+R opens the Reckoner"


def run_headline(outlook: Outlook, *, on: bool, rules: RunRules, away: bool = False) -> tuple[str, str]:
    """``on``: it was begun since the program started; ``away``: the workspace's drive is."""
    live, ended, now = outlook.live, outlook.ended, outlook.now
    if not live:
        if not ended:
            return "The run is empty.", "Choose a copy in Balance and add it to the run"
        good = sum(row.state == "verified" for row in ended)
        failed = f"; {counted(len(outlook.failed), 'copy needs', 'copies need')} a person" if outlook.failed else ""
        return f"The run is done: {good} of {len(ended)} copies verified{failed}.", "Choose the next copy in Balance"
    held = sum(row.held for row in live)
    count = counted(len(live), "copy", "copies")
    failed = f" · {counted(len(outlook.failed), 'copy needs', 'copies need')} a person" if outlook.failed else ""
    if away:
        waits = counted(len(live), "copy waits", "copies wait")
        return f"The drive with the workspace is away: {waits}.", f"Connect it again, and the run goes on by itself{failed}"
    if rules.paused or not on:
        how = "The run is paused" if rules.paused else "The run is not started"
        return f"{how}: {count} to make.", f"What stands still goes on from where it is{failed}"
    if rules.hours is not None and not rules.hours.open_at(now):
        return f"{count} to make, from {rules.hours.begin:%H:%M}.", f"The run goes on {rules.hours.words}{failed}"
    last = outlook.bars.last
    if last is None:
        return f"{count} to make, all paused.", f"Resume them one by one{failed}"
    unknown = outlook.bars.unknown
    late = rules.deadline is not None and last.end > rules.deadline
    by = f", after the deadline at {rules.deadline:%H:%M}" if late and rules.deadline is not None else ""
    head = f"{count} to make; all done about {last.end:%H:%M}{by}."
    basis = f"Between {last.earliest:%H:%M} and {last.latest:%H:%M} (90 % interval)"
    if unknown:
        basis = f"{counted(unknown, 'copy was', 'copies were')} not predicted, so this is a guess"
    paused = f" · {held} paused" if held else ""
    return head, f"{basis}{paused}{failed}"


def ledger_headline(copies: Sequence[CopyView], *, taken_bytes: int) -> tuple[str, str]:
    """``taken_bytes``: of the takes that have verified copies."""
    if not copies:
        return "No copies yet.", "Every copy is listed here with its checks and its predicted and actual size and time"
    good = [copy for copy in copies if copy.state == "verified"]
    total = sum(copy.result.size_bytes for copy in good if copy.result)
    return (
        f"{len(good)} of {len(copies)} copies verified, {size_text(total)} from {size_text(taken_bytes)} of takes.",
        "Predicted and actual size and time side by side show how far predictions can be trusted",
    )


ACCOUNT_HEADINGS = (
    "Codec", "Copies", "Size difference", "In its interval", "Time difference", "In its interval", "Next sizes", "Next times",
)  # fmt: skip


def accuracy_headline(accounts: Sequence[Account]) -> tuple[str, str]:
    """How predictions did; over all codecs."""
    copies = sum(one.copies for one in accounts)
    if not copies:
        return "No copy was predicted and made yet.", "Every copy that is made teaches the next predictions"
    held = sum(one.size_held for one in accounts)
    head = f"{held} of {counted(copies, 'actual size', 'actual sizes')} lay within the predicted interval."
    return head, "About nine of ten should · what earlier copies teach is put on the next predictions, the more copies the more of it"


def account_row(account: Account) -> tuple[str, ...]:
    """One line under :data:`ACCOUNT_HEADINGS`."""
    from yomikomi.core.recipes.codecs import CODECS

    learned, copies = account.next.learned, account.copies
    return (
        CODECS[account.codec].words, str(copies), f"{account.size_error:.1f} %", f"{account.size_held} of {copies}",
        f"{account.seconds_error:.0f} %", f"{account.seconds_held} of {copies}", _times(learned.size), _times(learned.seconds),
    )  # fmt: skip


def _times(factor: float) -> str:
    """A factor as people say a correction."""
    return "as tried" if abs(factor - 1) < 0.005 else f"{100 * (factor - 1):+.0f} %"
