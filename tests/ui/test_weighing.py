"""A take that ended tells the forecast what the next of its kind will take."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.capture.making import captured
from tests.capture.test_weighing import SPEC
from tests.ui.conftest import Opener
from yomikomi.core.ledger.outlook import codec_bits_of, works_of
from yomikomi.core.planning.data_rates import capture_bits_per_second
from yomikomi.core.planning.forecast import Work, _bytes_per_second, _Known
from yomikomi.core.planning.formats import FORMATS


def test_the_next_one_of_its_kind_is_forecast_by_it(
    open_window: Opener, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A take is weighed when it ends; the forecast of another codec, the path and the room left follow."""
    monkeypatch.setattr("yomikomi.ui.upkeep.LEAST_WEIGHED_S", 0.5)
    state = open_window(tmp_path / "archive").state
    first = state.record.shelf.add(label="A", title="", kind="vhs", standard="525i", nominal_seconds=3600.0)
    state.record.shelf.add(label="B", title="", kind="vhs", standard="525i", nominal_seconds=3600.0)
    take_id, path = state.record.takes.begin(first)
    result = captured(SPEC, path)
    state.record.takes.end(take_id, result)
    state.reload()
    state.upkeep.weigh_take(take_id, result)
    qtbot.waitUntil(lambda: bool(codec_bits_of(state.spines, "vhs", "525i")), timeout=60_000)
    bits = codec_bits_of(state.spines, "vhs", "525i")
    assert bits == codec_bits_of([view.spine for view in state.record.carriers()], "vhs", "525i"), "it is kept"
    assert codec_bits_of(state.spines, "vhs", "625i") == {}
    works = works_of(state.spines)
    other = Work("B", "vhs", "525i", 3600.0)
    for codec in ("utvideo", "h264_high"):
        told = _bytes_per_second(other, _Known(works), codec)
        rate = FORMATS["525i"].rate
        wanted = capture_bits_per_second(codec, width=720, height=480, rate=rate, measured=bits[codec])
        assert told.usual * 8 == pytest.approx(wanted[1])
        blind = _bytes_per_second(other, _Known([]), codec)
        assert told.high - told.low < blind.high - blind.low
