"""Second copies: whole or not there, gone on with after a stop, proven by the drive itself, never over another file."""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap
import time
from pathlib import Path, PurePosixPath

import pytest

from yomikomi.core.errors import CancelledError, NameTakenError, UnfinishedError, WrongUseError
from yomikomi.core.fixity.digests import content_of
from yomikomi.core.places import second_copy
from yomikomi.core.places.moved import find_moved
from yomikomi.core.places.place import MARKER, key_of, make_place, see_place
from yomikomi.core.places.second_copy import SecondCopyRequest, copy_there
from yomikomi.core.work import SilentReporter


@pytest.fixture
def place(tmp_path: Path) -> Path:
    folder = tmp_path / "drive"
    folder.mkdir()
    (tmp_path / "archive").mkdir()
    make_place(folder, workspace=tmp_path / "archive")
    return folder


def _request(tmp_path: Path, place: Path, content: bytes, name: str = "takes/take.mkv") -> SecondCopyRequest:
    source = tmp_path / "archive" / "take.mkv"
    source.write_bytes(content)
    return SecondCopyRequest(source, *content_of(source), place, key_of(place) or "", PurePosixPath(name))


def test_a_place_is_known_by_itself_and_refused_where_it_cannot_be_one(tmp_path: Path, place: Path) -> None:
    again = make_place(place, workspace=tmp_path / "archive")
    moved = tmp_path / "other mount"
    place.rename(moved)
    assert see_place(place) is None
    seen = see_place(moved)
    assert seen is not None
    assert (seen.key, seen.path) == (again.key, moved)
    for wrong in (tmp_path / "archive", tmp_path, tmp_path / "nowhere"):
        with pytest.raises(WrongUseError):
            make_place(wrong, workspace=tmp_path / "archive")
    (moved / MARKER).write_text("{}")
    with pytest.raises(UnfinishedError, match="damaged"):
        make_place(moved, workspace=tmp_path / "archive")


def test_what_was_cut_off_is_gone_on_with(tmp_path: Path, place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(second_copy, "_PIECE", 1000)
    request = _request(tmp_path, place, os.urandom(20_500))
    stopping = SilentReporter()

    class Stops(SilentReporter):
        count = 0

        def check(self) -> None:
            self.count += 1
            if self.count > 12:
                raise CancelledError("Stopped.")

    with pytest.raises(CancelledError):
        copy_there(request, Stops())
    target = place / "takes" / "take.mkv"
    (part,) = target.parent.glob(".*.part")
    assert not target.exists()
    assert part.stat().st_size == 12_000
    begun = bytearray(part.read_bytes())
    begun[5_500] ^= 1  # what the drive kept is not believed
    part.write_bytes(begun)
    assert copy_there(request, stopping) == target
    assert target.read_bytes() == request.source.read_bytes()
    assert not list(target.parent.glob(".*"))
    before = target.stat().st_mtime_ns
    assert copy_there(request, stopping) == target  # there already
    assert target.stat().st_mtime_ns == before


def test_nothing_is_written_over_led_astray_or_taken_from_a_bad_source(tmp_path: Path, place: Path) -> None:
    request = _request(tmp_path, place, b"the take" * 100)
    target = place / "takes" / "take.mkv"
    target.parent.mkdir()
    target.write_bytes(b"somebody else's")
    with pytest.raises(NameTakenError, match="another file"):
        copy_there(request, SilentReporter())
    assert target.read_bytes() == b"somebody else's"
    target.unlink()
    target.symlink_to(request.source)  # a link is no second copy
    with pytest.raises(NameTakenError):
        copy_there(request, SilentReporter())
    target.unlink()
    request.source.write_bytes(b"the taKe" * 100)
    with pytest.raises(UnfinishedError, match="not what it was when it was hashed"):
        copy_there(request, SilentReporter())
    assert not target.exists()
    target.parent.rename(place / "aside")
    (tmp_path / "elsewhere").mkdir()
    (place / "takes").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(UnfinishedError, match="leads out"):
        copy_there(_request(tmp_path, place, b"x"), SilentReporter())
    assert not list((tmp_path / "elsewhere").iterdir())


def test_a_drive_that_lies_is_found_out(tmp_path: Path, place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    request = _request(tmp_path, place, b"the take" * 1000)
    real = second_copy.content_of

    def lying(path: Path, *args: object, **more: object) -> tuple[int, str]:
        raw = bytearray(path.read_bytes())
        raw[17] ^= 4
        path.write_bytes(raw)
        return real(path)

    monkeypatch.setattr(second_copy, "content_of", lying)
    with pytest.raises(UnfinishedError, match="gave back"):
        copy_there(request, SilentReporter())
    assert [one.name for one in place.rglob("*") if one.is_file()] == [MARKER]


def test_another_drive_under_the_same_name_is_not_the_place(tmp_path: Path, place: Path) -> None:
    request = _request(tmp_path, place, b"x" * 10)
    place.rename(tmp_path / "pulled")
    with pytest.raises(UnfinishedError, match="is not there"):
        copy_there(request, SilentReporter())
    place.mkdir()
    with pytest.raises(UnfinishedError, match="not the place that it was"):
        copy_there(request, SilentReporter())
    assert not list(place.iterdir())


def test_killed_while_it_copies_it_is_gone_on_with_by_the_next(tmp_path: Path, place: Path) -> None:
    request = _request(tmp_path, place, os.urandom(6_000_000))
    script = textwrap.dedent("""
        import sys, time
        from pathlib import Path, PurePosixPath
        from yomikomi.core.places import second_copy
        from yomikomi.core.work import SilentReporter
        class Slow(SilentReporter):
            def check(self): time.sleep(0.02)
        second_copy._PIECE = 100_000
        source, size, content, root, key, name = sys.argv[1:]
        request = second_copy.SecondCopyRequest(Path(source), int(size), content, Path(root), key, PurePosixPath(name))
        second_copy.copy_there(request, Slow())
    """)
    words = [str(one) for one in (request.source, request.size, request.content, request.root, request.key, request.name)]
    process = subprocess.Popen([sys.executable, "-c", script, *words])
    until = time.monotonic() + 20
    while time.monotonic() < until and not any(one.stat().st_size > 1_000_000 for one in place.glob("takes/.*.part")):
        time.sleep(0.01)
    with pytest.raises(NameTakenError, match="being copied"):
        copy_there(request, SilentReporter())
    process.kill()
    process.wait()
    assert copy_there(request, SilentReporter()).read_bytes() == request.source.read_bytes()


def test_moved_files_are_found_by_content_not_by_name(tmp_path: Path) -> None:
    for name, content in (("a/x.mkv", b"one" * 50), ("b/one.mkv", b"two" * 50), ("b/c/renamed.bin", b"six" * 50)):
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    (tmp_path / "link").symlink_to(tmp_path / "b" / "c" / "renamed.bin")
    wanted = content_of(tmp_path / "b/c/renamed.bin")[1]
    assert find_moved([tmp_path], {wanted: 150, "0" * 64: 150}) == {wanted: tmp_path / "b/c/renamed.bin"}
