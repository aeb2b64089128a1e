"""A take may go only when every rule holds; each that fails says what would satisfy it."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.release.judging import CopyFacts, LocationFacts, TakeFacts, judge
from yomikomi.core.release.rules import ReleaseRules

NOW = datetime(2026, 5, 1, 12, tzinfo=UTC)
HERE = LocationFacts("disk A", "whole", NOW - timedelta(hours=1))
THERE = replace(HERE, disk="disk B")
COPY = CopyFacts("parade.mp4", "verified", frozenset({"h264", "web"}), looked=3, locations=(HERE, THERE))
MASTER = CopyFacts("parade.mkv", "verified", frozenset({"ffv1", "lossless"}), locations=(HERE,))
FACTS = TakeFacts("K-001", "whole", NOW - timedelta(days=40), ours=True, rights=True, needed=(), findings=(), copies=(COPY, MASTER))
RULES = ReleaseRules(copies=2, kinds=("lossless", "web"), disks=2, looked=3, age_days=30)


def test_when_all_holds_it_may_go() -> None:
    judged = judge(RULES, FACTS, NOW)
    assert judged.may
    assert not any(one.needed for one in judged.results)


_OLD = replace(HERE, checked_at=NOW - timedelta(hours=25))
_AHEAD = replace(HERE, checked_at=NOW + timedelta(hours=1))


@pytest.mark.parametrize(
    ("rule", "changed"),
    [
        ("take", replace(FACTS, ours=False)),
        ("take", replace(FACTS, state="recording")),
        ("take", replace(FACTS, state="released")),
        ("no work waits", replace(FACTS, needed=("other.mp4",))),
        ("copies", replace(FACTS, copies=(COPY, replace(MASTER, state="doubtful")))),
        ("copies", replace(FACTS, copies=(COPY, replace(MASTER, locations=())))),
        ("copies", replace(FACTS, copies=(COPY, replace(MASTER, locations=(replace(HERE, state="missing"),))))),
        ("a copy: lossless", replace(FACTS, copies=(COPY, replace(MASTER, kinds=frozenset({"ffv1"}))))),
        ("checked again", replace(FACTS, copies=(replace(COPY, locations=(_OLD, THERE)), MASTER))),
        ("checked again", replace(FACTS, copies=(replace(COPY, locations=(_AHEAD, THERE)), MASTER))),
        ("drives", replace(FACTS, copies=(replace(COPY, locations=(HERE, HERE)), MASTER))),
        ("drives", replace(FACTS, copies=(replace(COPY, locations=(HERE, replace(THERE, disk=""))), MASTER))),
        ("looked at", replace(FACTS, copies=(replace(COPY, looked=2), MASTER))),
        ("looked at", replace(FACTS, copies=(replace(COPY, objected=1), MASTER))),
        ("age", replace(FACTS, made_at=NOW - timedelta(days=29))),
        ("age", replace(FACTS, made_at=NOW + timedelta(days=365))),
        ("rights", replace(FACTS, rights=False)),
        ("no open finding", replace(FACTS, findings=("the take: 2 frames damaged",))),
        ("no open finding", replace(FACTS, copies=(replace(COPY, objected=1), MASTER))),
        ("no open finding", replace(FACTS, copies=(COPY, MASTER, replace(COPY, name="bad.mp4", state="doubtful")))),
        ("no open finding", replace(FACTS, copies=(replace(COPY, locations=(HERE, THERE, replace(HERE, state="changed"))), MASTER))),
    ],
)
def test_each_rule_by_itself_holds_it_back_and_says_what_it_wants(rule: str, changed: TakeFacts) -> None:
    judged = judge(RULES, changed, NOW)
    failed = {one.rule: one for one in judged.results if not one.held}
    assert not judged.may
    assert rule in failed
    assert failed[rule].needed
    assert not judged.results[0].held  # what is wrong stands first


_locations = st.builds(
    LocationFacts, st.sampled_from(["", "A", "B"]), st.sampled_from(["whole", "changed", "missing"]),
    st.integers(-48, 48).map(lambda hours: NOW - timedelta(hours=hours)),
)  # fmt: skip
_copies = st.builds(
    CopyFacts, st.just("x.mp4"), st.sampled_from(["verified", "doubtful", "kept", "waiting"]),
    st.sets(st.sampled_from(["h264", "lossless"])).map(frozenset), st.integers(0, 4), st.integers(0, 1),
    st.lists(_locations, max_size=3).map(tuple),
)  # fmt: skip


@given(st.lists(_copies, max_size=4), st.integers(1, 3), st.integers(1, 2), st.integers(0, 3))
def test_nothing_lacking_ever_passes(copies: list[CopyFacts], count: int, disks: int, looked: int) -> None:
    """Said otherwise than the program says it: what may go has the copies, drives, eyes and hours it must have."""
    rules = ReleaseRules(copies=count, disks=disks, looked=looked, no_findings=False)
    if not judge(rules, replace(FACTS, copies=tuple(copies)), NOW).may:
        return
    counted = [one for one in copies if one.state == "verified" and "whole" in {place.state for place in one.locations}]
    whole = [place for one in counted for place in one.locations if place.state == "whole"]
    assert len(counted) >= count
    assert all(0 <= (NOW - place.checked_at).total_seconds() <= 24 * 3600 for place in whole)
    assert len({place.disk for place in whole if place.disk}) >= disks or disks == 1
    assert looked == 0 or any(one.looked >= looked and not one.objected for one in counted)
