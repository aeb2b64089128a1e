"""Kinds and their checks, lengths and speeds, series, inventories, labels."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.planning.carriers import CAUTIONS, CHECKS, KINDS, OUTCOMES, verdict_of
from yomikomi.core.planning.formats import FORMATS, format_of_size
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake, series_labels, tags_of, usual_details
from yomikomi.core.planning.inventory import Table, match_columns, read_table, take_in, write_table
from yomikomi.core.planning.labels import SHEETS, LabelText, label_sheet
from yomikomi.core.planning.lengths import factor_of, marked_minutes_for, running_seconds
from yomikomi.core.video.standards import STANDARDS


def test_the_data_files_fit_together() -> None:
    for kind in KINDS.values():
        assert set(kind.cautions) <= set(CAUTIONS)
        assert set(kind.checks) <= set(CHECKS)
        assert set(kind.formats) <= set(FORMATS)
        assert "rights" in kind.cautions
        assert all(factor >= 0.5 for _, factor in kind.speeds)
        assert kind.caution_words()[-1] == CAUTIONS["rights"].words
    assert all(check.caution is None or check.caution in CAUTIONS for check in CHECKS.values())
    for key, standard in STANDARDS.items():
        assert (FORMATS[key].width, FORMATS[key].height, FORMATS[key].rate) == (standard.width, standard.height, standard.rate)
    assert format_of_size(1920, 1080, FORMATS["1080p25"].rate) in {"1080p25", "1080i50"}
    assert format_of_size(640, 360, None) is None


def test_what_is_found_decides_what_may_be_played() -> None:
    assert verdict_of([]) == "fine"
    assert verdict_of(["shell"]) == "care"
    assert verdict_of(["shell", "mould"]) == "unfit"
    assert Condition().verdict == "not checked"
    assert Condition(ticked=("sticky",)).verdict == "unfit"
    assert Condition(looked=True).verdict == "fine"
    assert "growth" in Condition(ticked=("mould",)).words
    # Trouble that endangers people, decks or tapes brings its caution the moment it is ticked.
    assert all(CHECKS[key].caution for key in ("mould", "sticky", "broken", "smell", "disc_warp"))


@given(kind=st.sampled_from([k for k in KINDS.values() if k.speeds]), minutes=st.floats(1, 600), data=st.data())
def test_marked_minutes_and_running_time_are_two_sides_of_one(kind, minutes: float, data: st.DataObject) -> None:  # type: ignore[no-untyped-def]
    speed = data.draw(st.sampled_from([words for words, _ in kind.speeds]))
    seconds = running_seconds(kind, marked_minutes=minutes, speed=speed)
    assert seconds == pytest.approx(60 * minutes * factor_of(kind, speed))
    assert marked_minutes_for(kind, seconds=seconds, speed=speed) == pytest.approx(minutes)


def test_a_speed_that_is_none() -> None:
    with pytest.raises(WrongUseError, match="no speed 'EP'") as told:
        factor_of(KINDS["video8"], "EP")
    assert "SP, LP" in told.value.remedy


@pytest.mark.parametrize(
    ("first", "count", "taken", "labels"),
    [
        ("K-009", 3, set(), ["K-009", "K-010", "K-011"]),
        ("K-009", 3, {"K-010"}, ["K-009", "K-011", "K-012"]),
        ("box 7", 2, set(), ["box 7", "box 8"]),
        ("attic", 2, set(), ["attic-01", "attic-02"]),
        ("99", 2, set(), ["99", "100"]),
        ("any", 1, {"any"}, ["any"]),
    ],
)
def test_series_count_on(first: str, count: int, taken: set[str], labels: list[str]) -> None:
    assert series_labels(first, count, taken) == labels


@pytest.mark.parametrize(("first", "count"), [("", 2), ("K-1", 0), ("K-1", 501)])
def test_series_that_cannot_be(first: str, count: int) -> None:
    with pytest.raises(WrongUseError):
        series_labels(first, count, set())


def test_tags_come_once_in_order() -> None:
    assert tags_of(" parade, 1993;harbour\n parade ,,") == ("parade", "1993", "harbour")


words = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zl", "Zp")), max_size=30).map(str.strip)
details = st.builds(
    CarrierDetails,
    shape=st.sampled_from(["4:3", "16:9 squeezed"]),
    sound=st.sampled_from(["mono", "hi-fi stereo"]),
    marked_minutes=st.one_of(st.none(), st.integers(1, 300).map(float)),
    speed=st.sampled_from(["SP", "LP", "EP"]),
    condition=st.builds(
        Condition, looked=st.booleans(), ticked=st.lists(st.sampled_from(KINDS["vhs"].checks), unique=True).map(
            lambda keys: tuple(key for key in CHECKS if key in keys)
        ),
    ),
    rights=st.booleans(),
    wanted=st.lists(st.sampled_from(list(OUTCOMES)), unique=True, min_size=1).map(tuple),
    tags=st.lists(words.filter(lambda tag: tag and not set(tag) & set(",;\n")), unique=True, max_size=3).map(tuple),
)  # fmt: skip
intakes = st.builds(
    Intake,
    label=words.filter(bool),
    title=words,
    kind=st.just("vhs"),
    format=st.sampled_from(["525i", "625i", None]),
    seconds=st.one_of(st.none(), st.integers(1, 36_000).map(float), st.floats(1, 36_000).map(lambda s: round(s, 3))),
    note=words,
    details=details,
)


@given(shelf=st.lists(intakes, min_size=1, max_size=6, unique_by=lambda one: one.label))
def test_an_exported_shelf_comes_back_whole(shelf: list[Intake], tmp_path_factory: pytest.TempPathFactory) -> None:
    path = tmp_path_factory.mktemp("csv") / "shelf.csv"
    path.write_bytes(write_table(shelf).encode("utf-8-sig"))
    table = read_table(path)
    assert match_columns(table.headings) == {field: place for place, field in enumerate(match_columns(table.headings))}
    back = take_in(table, match_columns(table.headings))
    assert back.problems == ()
    for one, two in zip(shelf, back.intakes, strict=True):
        # A marked length without a running time gives one; everything else comes back as it was.
        wanted = one if one.seconds or not one.details.marked_minutes else one.model_copy(update={"seconds": two.seconds})
        assert two == wanted


@pytest.mark.parametrize("coding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_tables_as_people_have_them(tmp_path: Path, coding: str, separator: str) -> None:
    rows = [
        ("Shelf mark", "Content", "Medium", "Lines", "Duration (min)", "Remarks"),
        ("A-1", "Parade, café", "VHS tape", "525", "118", "damp box"),
        ("A-2", "Kiln", "Video 8", "625 lines", "0:42:00", ""),
        ("A-3", "Ferry", "S-VHS", "", "1h30", ""),
    ]
    quoted = "\n".join(separator.join(f'"{cell}"' for cell in row) for row in rows)
    path = tmp_path / "inventory.csv"
    path.write_bytes(quoted.encode(coding))
    table = read_table(path)
    made = take_in(table, match_columns(table.headings))
    assert made.problems == ()
    assert [(i.label, i.kind, i.format, i.seconds) for i in made.intakes] == [
        ("A-1", "vhs", "525i", 7080.0), ("A-2", "video8", "625i", 2520.0), ("A-3", "svhs", None, 5400.0),
    ]  # fmt: skip
    assert made.intakes[0].title == "Parade, café"
    assert made.intakes[0].note == "damp box"


def test_rows_that_are_not_understood_are_told_by_number_and_never_guessed() -> None:
    table = Table(
        ("label", "kind", "standard", "length", "marked minutes"),
        (("A-1", "", "525i", "", "120"), ("A-1", "vhs", "", "", ""), ("", "vhs", "", "", ""), ("A-2", "wax roll", "", "", ""),
         ("A-3", "vhs", "819", "", ""), ("A-4", "vhs", "", "soon", ""), ("A-5", "vhs", "", "", "some"), ("A-6", "vhs", "", "900 h", "")),
    )  # fmt: skip
    made = take_in(table, match_columns(table.headings), taken={"A-9"})
    assert [one.label for one in made.intakes] == ["A-1"]
    assert made.intakes[0].seconds == 7200.0
    told = {problem.number: problem.words for problem in made.problems}
    assert list(told) == [3, 4, 5, 6, 7, 8, 9]
    for number, piece in ((3, "there already"), (4, "no label"), (5, "wax roll"), (6, "819"), (7, "soon"), (8, "some"), (9, "seconds")):
        assert piece in told[number]
    with pytest.raises(WrongUseError, match="labels"):
        take_in(table, {"title": 0})


@pytest.mark.parametrize("raw", [b"", b"label\n", b"\x00\x01\x02\x03", b"\xff\xfe\x00"])
def test_tables_that_are_none(tmp_path: Path, raw: bytes) -> None:
    path = tmp_path / "x.csv"
    path.write_bytes(raw)
    with pytest.raises(UnreadableError) as told:
        read_table(path)
    assert told.value.remedy
    with pytest.raises(UnreadableError):
        read_table(tmp_path / "gone.csv")


def rendered(pdf: bytes) -> list[np.ndarray]:
    document = pypdfium2.PdfDocument(io.BytesIO(pdf))
    pages = [document[number].render(scale=400 / 72).to_numpy() for number in range(len(document))]
    document.close()
    return pages


@pytest.mark.parametrize("sheet", list(SHEETS))
def test_printed_labels_can_be_read_by_machine_and_by_eye(sheet: str) -> None:
    labels = [LabelText(f"K-{number:03d}", "Lantern parade 1993", "VHS · 525i · 1:58:00") for number in range(1, 5)]
    pdf = label_sheet(labels, sheet=sheet, skip=2)
    page = rendered(pdf)[0]
    layout = SHEETS[sheet]
    assert page.shape[0] / page.shape[1] == pytest.approx(layout.page[1] / layout.page[0], rel=0.01)
    millimetre = page.shape[1] / layout.page[0]
    left = (layout.page[0] - layout.columns * layout.label[0]) / 2
    top = (layout.page[1] - layout.rows * layout.label[1]) / 2
    for place in range(8):
        row, column = divmod(place, layout.columns)
        y, x = top + row * layout.label[1], left + column * layout.label[0]
        area = [round(edge * millimetre) for edge in (y, y + layout.label[1], x, x + layout.label[0])]
        label = np.ascontiguousarray(page[area[0] : area[1], area[2] : area[3]])
        if 2 <= place < 6:
            assert cv2.QRCodeDetector().detectAndDecode(label)[0] == labels[place - 2].code
        else:
            assert label.min() == 255  # used up, or not reached: nothing is printed there
    document = pypdfium2.PdfDocument(io.BytesIO(pdf))
    text = document[0].get_textpage().get_text_range()
    document.close()
    assert "K-003" in text
    assert "Lantern" in text


def test_long_and_japanese_titles_and_many_pages() -> None:
    labels = [
        LabelText(f"K-{n:03d}", "灯籠行列" if n % 2 else "A title that is far too long for any label " * 3, "VHS") for n in range(1, 31)
    ]
    pages = rendered(label_sheet(labels, sheet="a4-24"))
    assert len(pages) == 2
    for bad in ({"labels": []}, {"labels": labels, "skip": 24}, {"labels": labels, "skip": -1}):
        with pytest.raises(WrongUseError):
            label_sheet(bad["labels"], skip=bad.get("skip", 0))  # type: ignore[arg-type]


def test_usual_details_suit_every_kind() -> None:
    for key, kind in KINDS.items():
        usual = usual_details(key)
        assert usual.shape in kind.shapes
        assert usual.sound in kind.sounds
        assert set(usual.wanted) <= set(OUTCOMES)
