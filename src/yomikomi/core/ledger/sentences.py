"""What is said at the head of the Shelf, of Run and of the Ledger."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.text import capital

if TYPE_CHECKING:  # the shelf stands before what copies need is loaded
    from yomikomi.core.balance.learning import Account
    from yomikomi.core.ledger.lessons import Grouping
    from yomikomi.core.ledger.page_entry import CarrierPage
    from yomikomi.core.ledger.progress import Progress
    from yomikomi.core.ledger.releases import Release
    from yomikomi.core.ledger.run_outlook import Outlook
    from yomikomi.core.ledger.run_rows import RunRow
    from yomikomi.core.ledger.spine import Spine
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


def ledger_headline(rows: Sequence[RunRow], *, taken_bytes: int) -> tuple[str, str]:
    """``rows``: of copies that ended; ``taken_bytes``: of the takes that have verified copies."""
    if not rows:
        return "No copies yet.", "Every copy is listed here with its checks and its predicted and actual size and time"
    good = [row for row in rows if row.state == "verified"]
    total = sum(row.size or 0 for row in good)
    return (
        f"{len(good)} of {len(rows)} copies verified, {size_text(total)} from {size_text(taken_bytes)} of takes.",
        "Predicted and actual size and time side by side show how far predictions can be trusted",
    )


def page_headline(page: CarrierPage | None) -> tuple[str, str]:
    if page is None:
        return "Nothing is written down yet.", "All that is done with a carrier is told here, from intake to release"
    last = page.entries[-1]
    name = f"{page.label} {page.title}".strip()
    return f"{name}: {last.head}.", f"{counted(len(page.entries), 'entry', 'entries')}, the newest of {last.at[:10]}"


def collection_headline(told: Progress) -> tuple[str, str]:
    whole = told.whole
    if not whole.carriers:
        return "Nothing captured yet.", "Hours and bytes are summed up here, and the end is forecast once there is a pace"
    part = f"{hours_text(whole.verified)} of {hours_text(whole.verified + told.left)} verified"
    if told.end is None:
        basis = "All is verified" if told.left <= 0 else "No forecast yet: it takes four weeks with finished carriers"
        return f"{part}.", basis
    end = told.end
    basis = f"Between {end.earliest} and {end.latest} (90 % interval), at the pace of the last weeks"
    return f"{part}; done about {end.expected:%d %b %Y}.", basis


def hours_text(seconds: float) -> str:
    """``12.3 h``, minutes below one."""
    return f"{seconds / 3600:.1f} h" if seconds >= 3600 else f"{seconds / 60:.0f} min"


def release_headline(takes: int, released: Sequence[Release]) -> tuple[str, str]:
    """``takes``: raw ones that have verified copies and are there."""
    held = sum(one.state == "held" for one in released)
    gone = f"; {counted(held, 'released take', 'released takes')} can be brought back" if held else ""
    if not takes:
        return f"No raw take has a verified copy{gone}.", "A raw take may go when its copies are proven; until then it stays"
    basis = "Tick those that are to go; every rule is shown, and what would satisfy it"
    return f"{counted(takes, 'raw take has', 'raw takes have')} verified copies{gone}.", basis


ACCOUNT_GROUPS: dict[Grouping, str] = {"codec": "By codec", "material": "By kind of carrier", "machine": "By machine"}
ACCOUNT_HEADINGS = ("", "Copies", "Size difference", "Time difference", "Fidelity difference", "Next sizes", "Next times")


def accuracy_headline(accounts: Sequence[Account]) -> tuple[str, str]:
    """How predictions did; over all codecs."""
    copies = sum(one.copies for one in accounts)
    if not copies:
        return "No copy was predicted and made yet.", "Every copy that is made teaches the next predictions"
    held = sum(one.size_held for one in accounts)
    head = f"{held} of {counted(copies, 'actual size', 'actual sizes')} lay within the predicted interval."
    basis = "About nine of ten should · no worse: the difference is seen as predicted, or less · copies teach the next predictions"
    return head, basis


def account_row(account: Account, by: Grouping = "codec") -> tuple[str, ...]:
    """One line under :data:`ACCOUNT_HEADINGS`."""
    from yomikomi.core.planning.carriers import kind_of
    from yomikomi.core.recipes.codecs import CODECS

    learned, copies = account.next.learned, account.copies
    group = account.group
    words = CODECS[group].words if by == "codec" else kind_of(group).words if by == "material" else group or "not known"
    seen = f"{account.detail_error:.1f} dB, {account.steps_held} of {account.compared} no worse" if account.compared else "not measured"
    return (
        words, str(copies), f"{account.size_error:.1f} %, {account.size_held} of {copies} within",
        f"{account.seconds_error:.0f} %, {account.seconds_held} of {copies} within", seen,
        *((_times(learned.size), _times(learned.seconds)) if by == "codec" else ("", "")),
    )  # fmt: skip


def _times(factor: float) -> str:
    """A factor as people say a correction."""
    return "as tried" if abs(factor - 1) < 0.005 else f"{100 * (factor - 1):+.0f} %"
