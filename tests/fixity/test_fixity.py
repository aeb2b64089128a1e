"""Damage is found, located to the byte and the frame, and mended from another copy; nothing is mended with what is not whole."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import blake3
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.making import sliding_frames, write_clip
from yomikomi.core.errors import CancelledError, UnfinishedError, UnreadableError
from yomikomi.core.fixity.checking import CheckRequest, check_file
from yomikomi.core.fixity.digests import content_of, digests_of
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.fixity.locating import by_second_copy, differing
from yomikomi.core.fixity.repair import RepairRequest, repair
from yomikomi.core.work import SilentReporter


def _request(path: Path, second: Path | None = None) -> CheckRequest:
    size, content = content_of(path)
    return CheckRequest(path=path, size=size, content=content, root=path.parent, second=second)


@pytest.mark.parametrize("content", [b"", b"x", os.urandom(5_000_000)], ids=["empty", "one byte", "more than one piece"])
def test_digests_are_those_of_the_reference_libraries(tmp_path: Path, content: bytes) -> None:
    """Source: the implementations of SHA-256 in the standard library and of BLAKE3 in the package of that name, over all bytes at once."""
    path = tmp_path / "take.mkv"
    path.write_bytes(content)
    told: list[int] = []
    found = digests_of(path, told.append, from_drive=True)
    assert (found.sha256, found.content) == (hashlib.sha256(content).hexdigest(), blake3.blake3(content).hexdigest())
    assert (found.size, told[-1:] or [0]) == (len(content), [len(content)])
    assert content_of(path) == (found.size, found.content)


def test_a_flipped_bit_is_located_in_its_frame(tmp_path: Path) -> None:
    """FFV1 tells by its slice checks; another copy tells the byte too, in any codec."""
    path, second = tmp_path / "take.mkv", tmp_path / "second.mkv"
    write_clip(path, sliding_frames(24), codec="ffv1", options={"level": "3", "slicecrc": "1", "slices": "4"})
    second.write_bytes(path.read_bytes())
    alone, beside = _request(path), _request(path, second)
    assert check_file(alone, SilentReporter()).state == "whole"
    raw = bytearray(path.read_bytes())
    at = len(raw) * 3 // 5
    raw[at] ^= 0x10
    path.write_bytes(raw)
    found = check_file(alone, SilentReporter())
    assert (found.state, found.bad) == ("changed", True)
    assert found.words.startswith("same length, other content")
    exact = check_file(beside, SilentReporter()).parts
    assert [(one.first, one.last) for one in exact] == [(at, at)]
    assert exact[0].frames == found.parts[0].frames
    assert len(exact[0].frames) == 1
    assert exact[0].frames[0] == pytest.approx(24 * 3 / 5, abs=3)
    mended = repair(RepairRequest(path, second, alone.size, alone.content), SilentReporter())
    assert mended.kept == path.with_name("take.damaged.mkv")
    assert mended.kept.read_bytes() == bytes(raw)
    assert check_file(alone, SilentReporter()).state == "whole"


def test_each_state_has_its_words(tmp_path: Path) -> None:
    folder = tmp_path / "drive"
    folder.mkdir()
    path = folder / "copy.bin"
    path.write_bytes(b"a" * 1000)
    request = _request(path)
    path.write_bytes(b"a" * 998)
    assert check_file(request, SilentReporter()).words.startswith("2 bytes shorter")
    path.unlink()
    assert check_file(request, SilentReporter()).state == "missing"
    path.mkdir()
    assert check_file(request, SilentReporter()).state in {"unreadable", "changed"}
    path.rmdir()
    folder.rmdir()
    assert check_file(request, SilentReporter()).state == "away"
    folder.mkdir()
    path.write_bytes(b"a" * 1000)
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        check_file(request, stopped)


@given(st.binary(max_size=3000), st.lists(st.tuples(st.integers(0, 2999), st.integers(1, 255)), max_size=12), st.integers(-400, 400))
def test_every_byte_that_differs_lies_in_a_told_range_and_ranges_begin_and_end_with_one(
    tmp_path_factory: pytest.TempPathFactory, content: bytes, flips: list[tuple[int, int]], more: int
) -> None:
    folder = tmp_path_factory.mktemp("differing")
    good, bad = folder / "good", folder / "bad"
    raw = bytearray(content)
    for at, bits in flips:
        if at < len(raw):
            raw[at] ^= bits
    changed = bytes(raw[:more]) if more < 0 else bytes(raw) + b"\1" * more
    good.write_bytes(content)
    bad.write_bytes(changed)
    longest = max(len(content), len(changed))
    wrong = {at for at in range(longest) if content[at : at + 1] != changed[at : at + 1]}
    found = list(differing(bad, good, lambda: None))
    assert wrong <= {at for first, last in found for at in range(first, last + 1)}
    assert all(first in wrong and last in wrong for first, last in found)
    assert found == sorted(found)
    assert [one.first for one in by_second_copy(bad, good, lambda: None)] == [first for first, _ in found]


def test_nothing_is_mended_with_what_is_not_whole(tmp_path: Path) -> None:
    path, second = tmp_path / "take.mkv", tmp_path / "second.mkv"
    path.write_bytes(b"good bytes")
    size, content = content_of(path)
    path.write_bytes(b"bad  bytes")
    second.write_bytes(b"also wrong")
    with pytest.raises(UnfinishedError, match="not whole either"):
        repair(RepairRequest(path, second, size, content), SilentReporter())
    with pytest.raises(UnreadableError, match="cannot be read"):
        repair(RepairRequest(path, tmp_path / "none", size, content), SilentReporter())
    assert path.read_bytes() == b"bad  bytes"
    assert sorted(one.name for one in tmp_path.iterdir()) == ["second.mkv", "take.mkv"]
    second.write_bytes(b"good bytes")
    path.unlink()
    assert repair(RepairRequest(path, second, size, content), SilentReporter()).kept is None
    assert path.read_bytes() == b"good bytes"


def test_one_drive_is_one_whatever_leads_there(tmp_path: Path) -> None:
    (tmp_path / "a").mkdir()
    (tmp_path / "link").symlink_to(tmp_path / "a")
    (tmp_path / "file").write_bytes(b"x")
    os.link(tmp_path / "file", tmp_path / "second")
    names = {disk_of(tmp_path / one) for one in ("a", "link", "file", "second", "not there/yet")}
    assert len(names) == 1
    assert names != {""}
    assert disk_of(Path("/proc")) != disk_of(tmp_path)
