"""What codecs would take of a take's pictures, against what they take."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.capture.making import captured
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.weighing import WeighRequest, weigh
from yomikomi.core.errors import UnreadableError
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.work import SilentReporter
from yomikomi.sim.player import TapePlayerSpec

SPEC = TapePlayerSpec(standard="525i", seed=31, mixture="lively", seconds=1.05, real_time=False)


def test_a_few_pictures_tell_what_every_codec_takes(tmp_path: Path) -> None:
    take = captured(SPEC, tmp_path / "take.mkv", record_as=RecordAs())
    told = weigh(WeighRequest(tmp_path / "take.mkv", take.seconds), SilentReporter())
    assert set(told) == set(CAPTURE_CODECS)
    assert told["ffv1"] * 720 * 480 * take.frames / 8 + 96e3 * take.seconds == pytest.approx(take.bytes_written, rel=0.05)
    for codec in ("rdd36_hq", "h264_high"):
        how = RecordAs(codec=codec, sound="pcm")
        whole = captured(SPEC, tmp_path / f"{codec}{how.suffix(8)}", record_as=how)
        # The promise of the forecast is 15 %: a second is one group of pictures of the last codec, so its share of whole ones is told.
        slack = 0.3 if codec == "h264_high" else 0.15
        assert told[codec] * 720 * 480 * whole.frames / 8 + 96e3 * whole.seconds == pytest.approx(whole.bytes_written, rel=slack), codec
    with pytest.raises(UnreadableError):
        weigh(WeighRequest(tmp_path / "nothing.mkv", 1.0), SilentReporter())
