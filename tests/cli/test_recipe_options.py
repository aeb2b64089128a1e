"""What rules the rate, on the command line: each option does what it says, and what does not go together is refused."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.cli.test_commands import answer, yomikomi
from tests.making import programme_frames, write_clip


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    frames = programme_frames(50, width=160, height=112, seed=6)
    return write_clip(tmp_path_factory.mktemp("options") / "clip.mp4", frames, sound_seconds=2.0)


def test_sizes_averages_and_untouched(clip: Path, tmp_path: Path) -> None:
    sized = answer("copy", clip, "-o", tmp_path / "sized.mp4", "--codec", "h264", "--target-size", "22kB", "--audio-kbps", "64")
    assert sized["verified"]
    assert 21_000 <= sized["size_bytes"] <= 22_000
    told = answer("predict", clip, "--codec", "h264", "--average", "300k", "--passes", "2")
    assert told["recipe"]["rate"] == {"kind": "average", "kbps": 300, "passes": 2}
    assert told["recipe"]["quality"] is None
    assert told["size_bytes"]["expected"] == pytest.approx(2 * (300 + 80) * 125, rel=0.1)
    same = answer("copy", clip, "-o", tmp_path / "same.mkv", "--untouched")
    assert same["verified"]
    assert any(check["found"].endswith("packets identical") for check in same["checks"])
    small = answer("copy", clip, "-o", tmp_path / "small.mp4", "--codec", "h264", "--quality", "26", "--resize", "56")
    assert next(check["found"] for check in small["checks"] if check["name"] == "size and pixel shape") == "80 × 56, pixels 1:1"
    boxed = answer("copy", clip, "-o", tmp_path / "boxed.mp4", "--quality", "26", "--audio-kbps", "320", "--outlet", "media-box")
    assert boxed["checks"][-1] == {"name": "plays at: Old media box", "passed": True, "found": "within its limits"}
    kept = tmp_path / "recipe.json"
    kept.write_text(json.dumps(told["recipe"]))
    assert answer("predict", clip, "--recipe", kept)["recipe"] == told["recipe"]


def test_what_does_not_go_together(clip: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.json"
    bad.write_text('{"codec": "h264"}')
    wrong = (
        (("--codec", "h264"), "Nothing says how large"),
        (("--codec", "h264", "--quality", "20", "--average", "2M"), "both rule the rate"),
        (("--codec", "h264", "--cap", "2M"), "goes with --quality"),
        (("--codec", "h264", "--quality", "20", "--passes", "2"), "goes with --average"),
        (("--codec", "av1", "--quality", "30", "--cap", "2M"), "AV1 cannot do this"),
        (("--codec", "ffv1", "--quality", "3"), "no quality values"),
        (("--codec", "h264", "--average", "fast"), "is no bit rate"),
        (("--codec", "h264", "--target-size", "huge"), "is no size"),
        (("--codec", "h264", "--quality", "20", "--untouched"), "nothing is encoded"),
        (("--codec", "h264", "--quality", "20", "--resize", "huge"), "is no size of pictures"),
        (("--quality", "20"), "No codec is named"),
        (("--codec", "h264", "--quality", "20", "--audio-kbps", "9999"), "--audio-kbps 9999 is not possible"),
        (("--codec", "h264", "--quality", "20", "--key-seconds", "0"), "--key-seconds 0 is not possible"),
        (("--codec", "hevc", "--quality", "20", "--outlet", "media-box"), "would not play at: Old media box (codec: HEVC"),
        (("--quality", "20", "--outlet", "attic"), "There is no outlet 'attic'"),
        (("--quality", "20", "--outlet", "archive", "--outlet", "e-mail"), "leave out Archive or Attachment of an e-mail"),
        (("--recipe", str(bad)), "is no recipe"),
        (("--recipe", str(tmp_path / "none.json")), "cannot be read"),
    )
    for options, words in wrong:
        assert words in yomikomi("predict", clip, *options, code=2).stderr, options
