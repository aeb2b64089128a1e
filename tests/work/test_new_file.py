"""Files that the program makes: never over another, never half under their name, never two at one name, whatever is planted there."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from tests.drives import drive
from yomikomi.core.errors import DriveAwayError, DriveFullError, NameTakenError, UnfinishedError, YomikomiError
from yomikomi.core.work import new_file as module
from yomikomi.core.work.new_file import Claim, clear_parts, give_folder_name, is_being_written, new_file, new_folder, write_new, write_over

_HOLD = """
import sys, time
from pathlib import Path
from yomikomi.core.work.new_file import new_file
with new_file(Path(sys.argv[1])) as made:
    made.part.write_text("half")
    print("growing", flush=True)
    time.sleep(60)
"""


def _names(folder: Path) -> list[str]:
    return sorted(os.listdir(folder))  # noqa: PTH208


def _growing(target: Path) -> subprocess.Popen[str]:
    """Another process that is making a file."""
    other = subprocess.Popen([sys.executable, "-c", _HOLD, str(target)], stdout=subprocess.PIPE, text=True)
    assert other.stdout is not None
    assert other.stdout.readline() == "growing\n"
    return other


def test_a_second_program_is_refused_at_once_and_what_kill_left_is_cleared(tmp_path: Path) -> None:
    target, own = tmp_path / "keep.mp4", tmp_path / ".keep.mp4.part"
    own.write_text("a person's own file")
    other = _growing(target)
    try:
        with pytest.raises(NameTakenError, match="being written by another"):
            write_new(target, b"second")
        write_new(tmp_path / "another.mp4", b"beside it")
        assert clear_parts(tmp_path) == 0, "what grows is let alone"
    finally:
        other.send_signal(signal.SIGKILL)
        other.wait()
        other.stdout.close()  # type: ignore[union-attr]
    assert len([name for name in _names(tmp_path) if name.startswith(".keep")]) == 2
    write_new(target, b"second")
    assert target.read_bytes() == b"second"
    assert own.read_text() == "a person's own file"
    assert _names(tmp_path) == [".keep.mp4.part", "another.mp4", "keep.mp4"]


def test_many_at_once_make_one_file(tmp_path: Path) -> None:
    target = tmp_path / "one"
    ends: list[str] = []

    def attempt(number: int) -> None:
        try:
            with new_file(target) as made:
                made.part.write_text(str(number) * 1000)
                time.sleep(0.002 * (number % 3))
                made.keep()
            ends.append("made")
        except NameTakenError:
            ends.append("refused")

    threads = [threading.Thread(target=attempt, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert ends.count("made") == 1
    assert len(set(target.read_text())) == 1
    assert len(target.read_text()) == 1000
    assert _names(tmp_path) == ["one"]


@pytest.mark.parametrize("without", ["links", "links and refusing renames"])
def test_drives_without_second_names_are_as_safe(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, without: str) -> None:
    def refused(*_args: object, **_more: object) -> None:
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(module.os, "link", refused)
    if without != "links":
        monkeypatch.setattr(module, "_rename_no_replace", lambda *_args: errno.EINVAL)
    write_new(tmp_path / "fresh", b"fresh")
    assert (tmp_path / "fresh").read_bytes() == b"fresh"
    with pytest.raises(NameTakenError), new_file(tmp_path / "race") as made:
        made.part.write_bytes(b"ours")
        (tmp_path / "race").write_bytes(b"theirs")
        made.keep()
    assert (tmp_path / "race").read_bytes() == b"theirs"
    assert _names(tmp_path) == ["fresh", "race"]


def test_nothing_planted_is_followed_or_written_to(tmp_path: Path) -> None:
    victim = tmp_path / "victim"
    victim.write_text("precious")
    folder = tmp_path / "folder"
    folder.mkdir()
    for name in ("copy.mp4", ".copy.mp4.part", "copy.mp4.part", ".copy.mp4.12345678-0123456789abcdef.part"):
        (folder / name).symlink_to(victim)
    with pytest.raises(NameTakenError):
        write_new(folder / "copy.mp4", b"over")
    (folder / "copy.mp4").unlink()
    (folder / "copy.mp4").symlink_to(tmp_path / "nowhere")
    with pytest.raises(NameTakenError), new_file(folder / "copy.mp4"):
        pass
    with pytest.raises(NameTakenError):
        Claim(folder / "copy.mp4")
    write_over(folder / "copy.mp4", b"in its place")  # a person said so: the link goes, not what it leads to
    assert not (folder / "copy.mp4").is_symlink()
    assert clear_parts(folder) == 0
    assert victim.read_text() == "precious"
    assert not (tmp_path / "nowhere").exists()


def test_a_part_that_is_exchanged_gets_no_name(tmp_path: Path) -> None:
    with pytest.raises(UnfinishedError, match="exchanged"), new_file(tmp_path / "x") as made:
        made.part.unlink()
        made.part.write_text("somebody else's")
        made.keep()
    assert not (tmp_path / "x").exists()


def test_names_that_no_drive_takes_and_names_that_are_no_text(tmp_path: Path) -> None:
    with pytest.raises(YomikomiError, match="longer than this drive allows"):
        write_new(tmp_path / ("n" * 300 + ".mp4"), b"x")
    longest = tmp_path / ("n" * 251 + ".mp4")
    write_new(longest, b"x")
    odd = Path(os.fsdecode(os.fsencode(tmp_path) + b"/na\xff\xfeme.mp4"))
    write_new(odd, b"y")
    assert (longest.read_bytes(), odd.read_bytes()) == (b"x", b"y")
    with pytest.raises(DriveAwayError, match="is not there"):
        write_new(tmp_path / "no" / "x", b"")
    with pytest.raises(YomikomiError):
        write_new(longest / "x", b"")


def test_full_read_only_and_pulled_drives_are_told_apart(tmp_path: Path) -> None:
    with drive(tmp_path / "small") as small:
        with pytest.raises(DriveFullError, match="drive is full"):
            write_new(small.path / "large", bytes(8_000_000))
        assert _names(small.path) == []
        write_new(small.path / "fits", b"1")
        small.make_read_only()
        with pytest.raises(UnfinishedError, match="read-only"):
            write_new(small.path / "no", b"1")
        assert clear_parts(small.path) == 0
    with drive(tmp_path / "plugged") as plugged:
        claim = Claim(plugged.path / "take")
        assert claim.there()
        assert is_being_written(plugged.path / "take")
        plugged.pull()
        assert not claim.there()
        claim.close()
        write_new(plugged.path / "beneath", b"the folder is an ordinary one now")


def test_a_folder_gets_its_name_like_a_file(tmp_path: Path) -> None:
    made = new_folder(tmp_path / "disc")
    (made / "a").write_text("1")
    give_folder_name(made, tmp_path / "disc")
    assert (tmp_path / "disc" / "a").read_text() == "1"
    again = new_folder(tmp_path / "disc")
    with pytest.raises(YomikomiError):
        give_folder_name(again, tmp_path / "disc")
    assert (tmp_path / "disc" / "a").read_text() == "1"
    (tmp_path / "empty").mkdir()
    give_folder_name(again, tmp_path / "empty")
    assert _names(tmp_path) == ["disc", "empty"]
