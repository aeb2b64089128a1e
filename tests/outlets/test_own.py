"""Outlets of a person's own: kept, found by everything that knows outlets, and refused where they are none."""

from __future__ import annotations

import itertools
import json
from pathlib import Path
from typing import Any

import pytest

from yomikomi.core.errors import WrongUseError, YomikomiError
from yomikomi.core.outlets.adapting import codecs_for
from yomikomi.core.outlets.fitting import together
from yomikomi.core.outlets.model import Outlet, outlets, outlets_folder, own_outlets, read_outlet, shipped_outlets
from yomikomi.core.outlets.own import VideoWish, forget_outlet, keep_outlet, limits_of, sounds_of, wishes_of


def _own(**changes: Any) -> Outlet:
    given = {
        "key": "living-room", "words": "Living room", "containers": ("mp4",), "sound": sounds_of(["aac"], kbps=320, channels=2),
        "video": limits_of([VideoWish("h264", "4.1"), VideoWish("hevc", "5.1")]), "width": 1920, "height": 1080,
    }  # fmt: skip
    return Outlet.model_validate({**given, **changes})


def test_an_own_outlet_is_known_everywhere_until_it_is_forgotten() -> None:
    assert own_outlets() == {}
    keep_outlet(_own())
    assert outlets()["living-room"] == _own()
    assert [one.key for one in codecs_for(outlets()["living-room"])] == ["h264", "hevc"]
    keep_outlet(_own(height=720))
    assert outlets()["living-room"].height == 720, "a changed file is read anew"
    keep_outlet(_own(key="media-box"))
    assert outlets()["media-box"] == shipped_outlets()["media-box"], "what ships is never hidden"
    forget_outlet("living-room")
    forget_outlet("living-room")
    assert "living-room" not in outlets()


@pytest.mark.parametrize(
    "change",
    [
        {"video": [{"codec": "h264", "level": "9.9"}]}, {"video": []}, {"containers": []}, {"peak_kbps": -1}, {"rate": 0}, {"key": "../x"},
        {"words": ""}, {"buffer_seconds": 0}, {"file_bytes": 1}, {"sound": [{"codec": "aac", "channels": 0}]}, {"hight": 1080},
    ],
)  # fmt: skip
def test_what_is_no_outlet_is_refused_and_passed_by(change: dict[str, Any]) -> None:
    folder = outlets_folder()
    folder.mkdir(parents=True)
    path = folder / "odd.json"
    path.write_text(json.dumps({**json.loads(_own().model_dump_json()), **change}))
    with pytest.raises(WrongUseError, match="is no outlet"):
        read_outlet(path)
    assert own_outlets() == {}


def test_no_file_and_no_folder_harm_anybody(tmp_path: Path) -> None:
    folder = outlets_folder()
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.write_text("in the way")
    assert own_outlets() == {}
    with pytest.raises(YomikomiError):
        keep_outlet(_own())
    folder.unlink()
    folder.mkdir()
    (folder / "loop.json").symlink_to(folder / "loop.json")
    (folder / "folder.json").mkdir()
    assert own_outlets() == {}


def test_several_in_one_are_documents_too() -> None:
    """Copies keep them in the record, whatever their names come to."""
    keep_outlet(_own(words="W" * 80))
    for one, other in itertools.combinations(outlets().values(), 2):
        common = together([one, other]).outlet
        if common is not None:
            assert Outlet.model_validate_json(common.model_dump_json()) == common


def test_codecs_come_back_from_what_an_outlet_says() -> None:
    wishes = [VideoWish("h264", "4"), VideoWish("mpeg2"), VideoWish("rdd36"), VideoWish("av1", "5.1")]
    assert wishes_of(_own(video=limits_of(wishes))) == wishes
