"""The detail of a finished copy: measured in its own pictures, as an outside measure finds it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import psnr_hvsm
import pytest

from tests.making import decode_luma, programme_frames, write_clip
from yomikomi.core.balance.models import Detail
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.copying.kept_detail import DetailGauge
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import CancelledError
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work import SilentReporter

_FRAMES, _WIDTH, _HEIGHT = 32, 192, 480
Made = tuple[CopyRequest, CopyResult]


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Without noise, and as many lines as the table of the measure is for."""
    path = tmp_path_factory.mktemp("detail") / "take.mkv"
    return write_clip(path, programme_frames(_FRAMES, width=_WIDTH, height=_HEIGHT), codec="ffv1")


@pytest.fixture(scope="module")
def made(take: Path) -> Made:
    request = CopyRequest(
        take, take.with_name("copy.mp4"), read(ReadRequest(take), SilentReporter()), Treatment(), recipe_for("h264", 27, speed="veryfast")
    )  # fmt: skip
    return request, make_copy(request, SilentReporter())


def test_it_is_what_an_outside_measure_finds(made: Made) -> None:
    """The package psnr_hvsm over all pictures of the copy; ours looks at four of them."""
    request, result = made
    assert result.detail is not None
    pairs = zip(decode_luma(request.path), decode_luma(request.target), strict=True)
    with np.errstate(invalid="ignore"):  # the package divides by what flat blocks vary
        theirs = [255**2 / 10 ** (float(psnr_hvsm.psnr_hvs_hvsm(one / 255, two / 255)[1]) / 10) for one, two in pairs]
    assert result.detail.television == pytest.approx(10 * np.log10(255**2 / np.mean(theirs)), abs=0.5)
    assert result.detail.noise_kept is None


def test_it_is_predicted(made: Made) -> None:
    request, result = made
    told = predict(PredictRequest(request.path, request.reading, request.treatment, request.recipe), SilentReporter()).fidelity
    found = result.fidelity("television")
    assert told is not None
    assert found is not None
    assert found.value == pytest.approx(told.value, abs=0.5)


def test_another_file_under_the_name_of_the_copy_is_measured_as_it_is(made: Made, tmp_path: Path) -> None:
    """A worse encode, and one that is a picture late: what the recipe promises counts for nothing."""
    request, result = made
    assert result.detail is not None
    pictures = decode_luma(request.path)
    poor = write_clip(tmp_path / "poor.mp4", pictures, options={"crf": "44"})
    late = write_clip(tmp_path / "late.mp4", [pictures[0], *pictures[:-1]], options={"crf": "10"})
    for path, least in ((poor, 4.0), (late, 10.0)):
        found = _measured(request, path)
        assert found is not None
        assert found.television < result.detail.television - least


def test_trimmed_and_smaller_it_is_held_against_the_right_pictures_at_full_size(made: Made, tmp_path: Path) -> None:
    whole, result = made
    request = CopyRequest(
        whole.path, tmp_path / "part.mkv", whole.reading, Treatment(steps=[Trim(start=0.4, end=1.2)]),
        recipe_for("h264", 20, speed="veryfast").model_copy(update={"container": "mkv"}),
    )  # fmt: skip
    trimmed = make_copy(request, SilentReporter()).detail
    less = replace(request, target=tmp_path / "small.mp4", recipe=request.recipe.model_copy(update={"lines": 240}))
    small = make_copy(less, SilentReporter()).detail
    assert result.detail is not None
    assert trimmed is not None
    assert small is not None
    assert trimmed.television > result.detail.television, "a finer recipe; a picture beside it would be far below"
    assert small.television < trimmed.television - 5, "what half of the lines lose is lost"


def test_what_cannot_be_measured_says_nothing_and_stops_at_once(made: Made, tmp_path: Path) -> None:
    """Pictures that did not come out, none at all, a take that went meanwhile; a copy that ends before its time is judged by what is
    there."""
    request, result = made
    assert _measured(request, request.target) == result.detail
    assert DetailGauge(request, lambda: None).found() is None
    assert _measured(request, request.target, left_out=range(8, 12)) is not None
    assert _measured(request, request.target, left_out=range(10, _FRAMES)) is None
    gone = replace(request, path=tmp_path / "gone.mkv")
    assert _measured(gone, request.target) is None
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        _measured(request, request.target, check=stopped.check)


def _measured(
    request: CopyRequest, path: Path, *, left_out: range = range(0), check: Callable[[], None] = lambda: None
) -> Detail | None:  # fmt: skip
    gauge = DetailGauge(request, check)
    with av.open(str(path)) as container:
        for number, frame in enumerate(container.decode(video=0)):
            if number not in left_out:
                gauge.see(number, frame)
    return gauge.found()
