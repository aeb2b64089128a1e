"""From what was measured to what people are told: cards, proposals, the headline, comparison, reports, the store of readings."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from tests.making import sliding_frames, write_clip
from yomikomi.cli.reading_documents import ReadDocument
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.reading.cache import CachedReadRequest, read_cached
from yomikomi.core.reading.cards.advice import Origin
from yomikomi.core.reading.cards.finding import Finding, Mark
from yomikomi.core.reading.closeup import close_look, most_telling
from yomikomi.core.reading.comparing import compare
from yomikomi.core.reading.models import BarsFound, Document, HiddenLines, Losses, Measured, Reading, ScanSegment, Sync
from yomikomi.core.reading.overruling import overrule
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.report.content import make_report
from yomikomi.core.reading.report.drawing import WIDTH, Rect, draw_strips
from yomikomi.core.reading.report.writing import report_html, report_pdf, svg_of, write_report
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings, headline
from yomikomi.core.treatment.advice import fields_advice, fields_treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.work import SilentReporter

Change = Callable[[Reading], Reading]


def changed(section: str, **fields: object) -> Change:
    """A reading with some fields of one section changed."""

    def do(reading: Reading) -> Reading:
        part: Document = getattr(reading, section)
        return reading.model_copy(update={section: part.model_copy(update=fields)})

    return do


def sound(**fields: object) -> Change:
    return lambda reading: reading.model_copy(update={"sound": [reading.sound[0].model_copy(update=fields)]})


def value(amount: float, unit: str = "samples") -> Measured:
    return Measured(value=amount, low=amount - 0.1, high=amount + 0.1, unit=unit, samples=20)


def segment(kind: str, start: float, end: float, order: str | None) -> ScanSegment:
    return ScanSegment(
        start=start, end=end, first_frame=round(30 * start), end_frame=round(30 * end), kind=kind, field_order=order, confidence=0.95,  # type: ignore[arg-type]
        informative_frames=20,
    )  # fmt: skip


@dataclass(frozen=True)
class Told:
    """What a change must be told as: mark and words of the topic's card, and the proposal that follows (empty: none)."""

    change: Change
    topic: str
    mark: Mark
    words: str
    proposal: str = ""


CASES = {
    "film": Told(changed("scan", kind="film_2_3", cadence="2:3"), "scan", Mark.LOOK, "Film with 2:3 pulldown", "recover film"),
    "film apart": Told(changed("scan", kind="film_2_2"), "scan", Mark.LOOK, "fields paired wrongly", "recover film"),
    "repeats": Told(
        lambda r: changed("rate", true="24000/1001")(changed("scan", kind="repeats", field_order=None)(r)), "scan", Mark.LOOK,
        "23.976 fps inside 29.97", "drop repeats",
    ),
    "blended": Told(changed("scan", kind="blended", field_order=None), "scan", Mark.WRONG, "double images"),
    "mixed": Told(
        changed("scan", kind="mixed", segments=[segment("interlaced", 0, 2, "tff"), segment("progressive", 2, 3, None)]), "scan",
        Mark.LOOK, "Mixed: interlaced 0:00:02, progressive 0:00:01", "by parts",
    ),
    "gaps": Told(
        changed("rate", constant=False, gaps=1, missing_frames=4, gap_places=[(30, 4)]), "rate", Mark.LOOK, "not constant"
    ),
    "repeated frames": Told(
        lambda r: r.model_copy(update={"losses": Losses(repeated=[9, 20, 33, 60], frozen=[], repeated_count=4)}), "losses",
        Mark.WRONG, "4 repeated",
    ),
    "stand-still": Told(
        lambda r: r.model_copy(update={"losses": Losses(repeated=[], frozen=[(30, 12)])}), "losses", Mark.LOOK,
        "1 freeze",
    ),
    "borders": Told(changed("borders", left=8, right=6), "borders", Mark.LOOK, "8 samples left, 6 samples right", "crop"),
    "moving borders": Told(changed("borders", moving=True, changes=[(30, [60, 60, 0, 0])]), "borders", Mark.LOOK, "come and go"),
    "stretched": Told(changed("borders", likely_shape="16:9", left=88, right=88), "shape", Mark.WRONG, "meant 16:9", "shape"),
    "torn lines": Told(changed("borders", head_switching_lines=8), "head switching", Mark.LOOK, "8 lines", "crop"),
    "full range": Told(changed("levels", range_found="full"), "levels", Mark.WRONG, "Flagged limited range, found full", "levels"),
    "washed out": Told(changed("levels", tone="washed out"), "levels", Mark.LOOK, "washed out", "levels"),
    "crushed": Told(changed("levels", tone="crushed black"), "levels", Mark.LOOK, "crushed black", "levels"),
    "no range": Told(changed("levels", range_found="undetermined"), "levels", Mark.UNKNOWN, "range undetermined"),
    "cast": Told(changed("levels", cast=(9.0, -3.0)), "cast", Mark.UNKNOWN, "Colour cast"),
    "could be PQ": Told(changed("levels", transfer_found="could be PQ"), "transfer", Mark.UNKNOWN, "Could be PQ"),
    "hue": Told(
        lambda r: r.model_copy(
            update={"bars": BarsFound(frames=9, at_frame=3, matrix="bt601", saturation=0.8, phase_degrees=9, luma_error=1, level=75)}
        ), "bars", Mark.LOOK, "Colour bars",
    ),
    "matrix": Told(
        lambda r: r.model_copy(
            update={"bars": BarsFound(frames=9, at_frame=3, matrix="bt709", saturation=1, phase_degrees=0, luma_error=1, level=75)}
        ), "matrix", Mark.WRONG, "the bars are BT.709",
    ),
    "quiet picture": Told(changed("tape", luma_noise=value(0.6, "codes")), "noise", Mark.FINE, "Little noise"),
    "noise": Told(changed("tape", luma_noise=value(5.0, "codes")), "noise", Mark.LOOK, "Noise 5 code values", "denoise"),
    "steady": Told(changed("tape", wobble=value(0.05), line_jitter=value(0.1)), "line timing", Mark.FINE, "Lines steady"),
    "late colour": Told(
        changed("tape", chroma_delay=value(3.0)), "chroma delay", Mark.LOOK, "Chroma delayed by 3 samples", "chroma shift"
    ),
    "early colour": Told(
        changed("tape", chroma_delay=value(-2.0)), "chroma delay", Mark.LOOK, "Chroma advanced by 2 samples", "chroma shift"
    ),
    "dropouts": Told(
        changed("tape", dropouts_per_minute=value(20.0, "a minute"), dropout_places=[(5, 7, 8, 30)]), "dropouts", Mark.LOOK,
        "20 a minute", "conceal dropouts",
    ),
    "crawl": Told(changed("tape", dot_crawl=14.0), "dot crawl", Mark.LOOK, "Dot crawl"),
    "hum bar": Told(changed("tape", hum_bar=3.0), "hum bar", Mark.WRONG, "Hum bar"),
    "ghost": Told(changed("tape", ghost=(30.0, 0.1)), "ghost", Mark.LOOK, "Ghost"),
    "no sound": Told(lambda r: r.model_copy(update={"sound": []}), "sound", Mark.WRONG, "No sound"),
    "clipped": Told(sound(clipped=12, clipped_at=[0.5, 1.0]), "sound", Mark.WRONG, "clips: 12 places"),
    "one side": Told(sound(relation="one side", channels=2, empty_channels=[1]), "sound", Mark.LOOK, "on the left only", "both sides"),
    "out of phase": Told(sound(relation="out of phase", channels=2), "sound", Mark.WRONG, "out of phase", "turn channel"),
    "hum": Told(sound(hum_hz=50.0, hum_db=-44.0), "sound", Mark.LOOK, "Hum in the sound", "hum filter"),
    "speed": Told(sound(speed=1.04), "sound", Mark.WRONG, "104.0 % speed"),
    "short sound": Told(sound(ends_at=1.0), "sound", Mark.LOOK, "end apart"),
    "quiet": Told(sound(loudness=-41.0, peak_db=-24.0), "sound", Mark.LOOK, "very quiet"),
    "late sound": Told(
        lambda r: r.model_copy(update={"sync": Sync(offset_ms=180.0, low=176, high=184, events=9, reason="9 claps")}), "sync", Mark.WRONG,
        "Sound 180 ms late", "sync",
    ),
    "in sync": Told(
        lambda r: r.model_copy(update={"sync": Sync(offset_ms=8.0, low=2, high=14, events=9, reason="9 claps")}), "sync", Mark.FINE,
        "together",
    ),
    "fragment": Told(changed("structure", fragments=[(70, 80)]), "fragment", Mark.WRONG, "stray fragment", "trim"),
    "black tail": Told(changed("structure", tail_black_seconds=600.0, black=[(60, 89)]), "black", Mark.LOOK, "0:10:00 at the tail", "trim"),
    "captions": Told(
        lambda r: r.model_copy(update={"hidden": HiddenLines(captions=9, caption_bytes="HELLO", looks=20)}), "hidden lines", Mark.LOOK,
        "captions in line 21",
    ),
    "blocks": Told(
        lambda r: r.model_copy(update={"digital": _digital(blocking=1.6)}), "blocking", Mark.LOOK, "Blocks"
    ),
    "bands": Told(lambda r: r.model_copy(update={"digital": _digital(banding=0.8)}), "banding", Mark.LOOK, "Bands"),
}  # fmt: skip


def _digital(**fields: float) -> Any:
    from yomikomi.core.reading.models import DigitalFaults

    return DigitalFaults(**fields)


@pytest.mark.parametrize("name", list(CASES))
def test_what_is_found_is_told_and_handed_on(tape_reading: Reading, name: str) -> None:
    case = CASES[name]
    reading = case.change(tape_reading)
    cards = findings(reading)
    card = next(one for one in cards if one.topic == case.topic and case.words in one.title)
    assert card.mark is case.mark
    assert card.reason
    assert card.advice
    order = [Mark.WRONG, Mark.LOOK, Mark.UNKNOWN, Mark.FINE]
    places = [(order.index(one.mark), -one.cost) for one in cards]
    assert places == sorted(places)
    keys = {one.key for one in proposals(reading, cards)}
    if case.proposal:
        assert case.proposal in keys
    elif case.mark is Mark.FINE:
        assert case.topic not in {one.topic for one in proposals(reading, cards)}
    assert headline(reading).endswith(".")
    document = ReadDocument.of(reading)
    assert [one.title for one in document.findings] == [one.title for one in cards]


def test_what_a_person_meant_is_not_treated(tape_reading: Reading) -> None:
    noisy = changed("tape", luma_noise=value(5.0, "codes"))(tape_reading)
    meant = overrule(noisy, "noise", "as meant")
    assert "denoise" in {one.key for one in proposals(noisy, findings(noisy))}
    assert "denoise" not in {one.key for one in proposals(meant, findings(meant))}


@pytest.mark.parametrize(
    ("kind", "order", "wanted"),
    [
        ("film_2_3", "tff", Deinterlace.LEAVE), ("repeats", None, Deinterlace.LEAVE), ("blended", None, Deinterlace.LEAVE),
        ("interlaced", "bff", Deinterlace.DOUBLE), ("undetermined", None, Deinterlace.LEAVE),
    ],
)  # fmt: skip
def test_the_treatment_that_follows(tape_reading: Reading, kind: str, order: str | None, wanted: Deinterlace) -> None:
    reading = changed("scan", kind=kind, field_order=order)(tape_reading)
    treatment, why = fields_treatment(reading), fields_advice(reading).reason
    assert treatment.deinterlace is wanted
    assert (treatment.field_order.value if treatment.field_order else None) == order
    assert why


def test_a_mixed_take_is_treated_by_what_most_of_it_is(tape_reading: Reading) -> None:
    for fields, wanted in ((2.0, Deinterlace.DOUBLE), (0.5, Deinterlace.LEAVE)):
        parts = [segment("interlaced", 0, fields, "tff"), segment("film_2_3", fields, 3, "tff")]
        treatment = fields_treatment(changed("scan", kind="mixed", segments=parts)(tape_reading))
        assert treatment.deinterlace is wanted


def test_a_document_of_version_1_is_read(tape_reading: Reading) -> None:
    """What earlier versions kept in workspaces has none of the newer sections."""
    document = tape_reading.model_dump(mode="json")
    for newer in ("losses", "borders", "levels", "bars", "tape", "digital", "sync", "structure", "hidden", "mode", "frames_looked_at"):
        document.pop(newer)
    document["schema_version"] = 1
    document["strips"] = {key: document["strips"][key] for key in ("frames_per_bin", "combing", "motion", "vote", "sound_db")}
    for newer in ("segments", "cadence", "broken_at", "telling_frame"):
        document["scan"].pop(newer)
    document["rate"] = {key: document["rate"][key] for key in ("nominal", "constant", "gaps", "missing_frames", "told_by")}
    reading = Reading.model_validate(document)
    assert {card.topic for card in findings(reading)} == {"scan", "rate", "shape", "sound", "file"}
    assert headline(reading) == headline(tape_reading)
    assert svg_of(draw_strips(reading))
    assert compare(reading, reading).better == "alike"


def test_comparing_says_which_and_by_how_much(tape_reading: Reading) -> None:
    steady = changed("tape", wobble=value(0.05), luma_noise=value(2.0, "codes"))(tape_reading)
    shaky = changed("tape", wobble=value(0.6), luma_noise=value(2.05, "codes"))(tape_reading)
    found = compare(shaky, steady)
    assert found.better == "second"
    assert "wobble (92 % less)" in found.sentence
    rows = {row.topic: row for row in found.rows}
    assert rows["noise"].better == "alike"  # the intervals overlap
    assert found.lean == pytest.approx(-compare(steady, shaky).lean)
    assert compare(steady, steady).better == "alike"
    lossy = steady.model_copy(update={"losses": Losses(repeated=[], frozen=[], repeated_count=40)})
    assert compare(steady, lossy).better == "first"
    one_more = steady.model_copy(update={"losses": Losses(repeated=[], frozen=[], repeated_count=1)})
    assert {row.topic: row.better for row in compare(steady, one_more).rows}["frames repeated"] == "alike"  # chance
    silent = steady.model_copy(update={"sound": []})
    assert compare(silent, steady).better == "second"


def test_the_close_look_finds_the_teeth(tape: Path, tape_reading: Reading) -> None:
    look = close_look(tape, tape_reading, tape_reading.scan.telling_frame or 10)
    assert look.picture.shape == (480, 720, 3)
    assert look.difference is not None
    assert look.difference.shape == look.picture.shape
    left, top, width, height = look.box
    assert 0 <= left <= 720 - width
    assert 0 <= top <= 480 - height
    assert look.part.shape == (height, width, 3)
    middle = float(abs(look.picture[1:-1].astype(float) - 0.5 * (look.picture[2:].astype(float) + look.picture[:-2])).mean())
    assert look.fields_apart > middle  # there is more of it there than elsewhere
    assert close_look(tape, tape_reading, 0).difference is None
    flat = sliding_frames(1, width=40, height=40)[0] * 0 + 100
    assert most_telling(flat, None) == (0, 0, 40, 40)


def test_a_report_escapes_what_a_file_may_be_called(tape: Path, tape_reading: Reading) -> None:
    """Names and tags are other people's words; in a report they are words and nothing else."""
    hostile = "<script>alert(1)</script> & \" ' 浜の祭り"
    report = make_report(tape_reading.model_copy(update={"file": hostile, "codec": "<b>"}), tape, title=hostile)
    text = report_html(report)
    assert "<script>" not in text
    assert "&lt;script&gt;" in text
    assert "<b>," not in text
    assert text.count("data:image/jpeg;base64,") == len(report.pictures) >= 1
    for picture in report.pictures:
        assert abs(picture.width / picture.height - 15 / 11) < 0.02
    assert report_pdf(report).startswith(b"%PDF")


def test_strips_stay_within_their_drawing(tape_reading: Reading) -> None:
    drawing = draw_strips(tape_reading)
    for part in drawing.parts:
        if isinstance(part, Rect):
            assert -0.01 <= part.x <= WIDTH
            assert part.x + part.width <= WIDTH + 2
            assert 0 <= part.y <= drawing.height
            assert part.y + part.height <= drawing.height


def test_reports_that_cannot_be_written_say_so(tmp_path: Path, tape_reading: Reading) -> None:
    with pytest.raises(WrongUseError, match="no kind of report"):
        write_report(tape_reading, tmp_path / "x.doc", None)
    with pytest.raises(UnfinishedError):
        write_report(tape_reading, tmp_path / "nowhere" / "x.html", None)
    write_report(tape_reading, tmp_path / "x.json", None)
    assert json.loads((tmp_path / "x.json").read_text())["schema_version"] == 2
    assert len(make_report(tape_reading, tmp_path / "gone.mkv").pictures) == 0


def test_readings_are_kept_by_content(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "one.mkv", sliding_frames(40, width=96, height=64), rate=25)
    copy = tmp_path / "another name.mkv"
    copy.write_bytes(path.read_bytes())
    store = tmp_path / "store"
    first = read_cached(CachedReadRequest(ReadRequest(path), store), SilentReporter())
    again = read_cached(CachedReadRequest(ReadRequest(copy), store), SilentReporter())
    assert again.file == copy.name
    assert again.read_seconds == first.read_seconds  # not measured anew
    measured = read_cached(CachedReadRequest(ReadRequest(copy), store, again=True), SilentReporter())
    assert measured.scan == first.scan
    assert len(list(store.iterdir())) == 3, "by the places of two files, and by the content of both"
    quick = read_cached(CachedReadRequest(ReadRequest(path, mode="quick"), store), SilentReporter())
    assert quick.mode == "quick"
    for kept in store.iterdir():
        kept.write_text("{ damaged")
    assert read_cached(CachedReadRequest(ReadRequest(path), store), SilentReporter()).scan == first.scan
    blocked = tmp_path / "a file"
    blocked.write_text("")
    assert read_cached(CachedReadRequest(ReadRequest(path), blocked), SilentReporter()).scan == first.scan


def test_advice_fits_where_the_take_comes_from(tape_reading: Reading) -> None:
    """Only what can be played again is told to be captured again; a file is told of no cable, deck or level."""
    silent = tape_reading.model_copy(update={"sound": []})
    lost = silent.model_copy(update={"losses": Losses(repeated=[9, 20, 33, 60], frozen=[], repeated_count=4)})
    blended = lost.model_copy(update={"scan": lost.scan.model_copy(update={"kind": "blended", "field_order": None})})
    told = {origin: " · ".join(card.advice for card in findings(blended, origin)) for origin in Origin}
    assert "S-Video" in told[Origin.PLAYED]
    assert "capture again with a time-base corrector" in told[Origin.PLAYED]
    assert "HDMI" in told[Origin.LIVE]
    for origin in (Origin.LIVE, Origin.FILE):
        assert not any(word in told[origin] for word in ("S-Video", "corrector", "capture again", "deck", "player")), told[origin]
    assert not any(word in told[Origin.FILE] for word in ("cable", "HDMI", "next", "level"))
    assert findings(blended) == findings(blended, Origin.FILE)
    ways = ((True, "play", Origin.PLAYED), (True, "live", Origin.LIVE), (False, "play", Origin.FILE), (True, "copy", Origin.FILE))
    for captured, way, origin in ways:
        assert Origin.of(captured=captured, way=way) is origin


def test_full_and_quick_agree_and_quick_is_less_sure(tape: Path, tape_reading: Reading) -> None:
    quick = read(ReadRequest(tape, mode="quick", complexity=False), SilentReporter())
    assert (quick.scan.kind, quick.scan.field_order) == (tape_reading.scan.kind, tape_reading.scan.field_order)
    assert 0.9 < quick.scan.confidence <= tape_reading.scan.confidence, "nearly all of so short a take was seen"
    assert (quick.rate.nominal, quick.frames) == (tape_reading.rate.nominal, tape_reading.frames)
    assert quick.tape is not None
    assert tape_reading.tape is not None
    for one, two in ((quick.tape.luma_noise, tape_reading.tape.luma_noise), (quick.tape.wobble, tape_reading.tape.wobble)):
        assert one is not None
        assert two is not None
        assert one.samples < two.samples
        assert one.value == pytest.approx(two.value, rel=0.4)
    assert all(isinstance(card, Finding) for card in findings(quick))
