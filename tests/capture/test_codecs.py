"""Every way of recording: what goes in, what the file says of it, and that sound stays apart."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from pydantic import ValidationError

from tests.capture.making import SMALL, WHOLE, all_of, captured, heard, lumas, record
from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.sound_shift import SoundShift
from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.video.colour import BT2020_PQ
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.media import probe
from yomikomi.core.video.picture_note import NOTE_KEY, PictureNote
from yomikomi.core.video.source import SoundBlock
from yomikomi.core.work import SilentReporter
from yomikomi.sim.player import TapePlayerSpec

# Mean luma error in codes that a codec may leave; what claims to lose nothing leaves none.
_ERROR = {"rdd36_hq": 1.5, "rdd36_4444": 1.5, "vc3_hq": 2.0, "mjpeg": 2.5, "h264_intra": 3.0, "h264_high": 3.5}


@pytest.mark.parametrize("codec", CAPTURE_CODECS)
def test_a_recording_says_what_its_pictures_are(codec: str, tmp_path: Path) -> None:
    how = RecordAs(codec=codec, timecode="01:00:00;00", sound="flac" if codec == "ffv1" else "pcm")
    spec = TapePlayerSpec(seed=5, seconds=0.4, tape="perfect", mixture="lively", wide=True, real_time=False)
    path = record(spec, tmp_path / f"take{how.suffix(8)}", how)
    info = probe(path)
    assert info.geometry.shape_words == "16:9"
    assert info.average_rate == pytest.approx(Fraction(30000, 1001), rel=2e-3)
    if CAPTURE_CODECS[codec].fields != "none" or how.suffix(8) == ".nut":
        assert info.flagged_field_order == "bff"
    assert info.colour.matrix in {5, 6}  # two names for the same numbers
    assert info.colour.range == (2 if codec == "mjpeg" else 1)
    with av.open(str(path)) as container:
        told = {**container.metadata, **container.streams.video[0].metadata}
        assert next(value for key, value in told.items() if key.lower() == "timecode") == "01:00:00;00"
        assert container.streams.audio[0].codec_context.name == ("flac" if codec == "ffv1" else "pcm_s16le")
    pictures, _ = all_of(spec)
    found = lumas(path)
    assert len(found) == len(pictures) == 12
    if codec == "mjpeg":
        found = [np.clip(np.round(16 + one * (219 / 255)), 0, 255).astype(np.uint8) for one in found]
    scale = 16 if codec == "rdd36_4444" else 4 if codec == "rdd36_hq" else 1  # decoded as 12 and 10 bits
    errors = [np.abs(one / scale - other.y).mean() for one, other in zip(found, pictures, strict=True)]
    assert max(errors) <= _ERROR.get(codec, 0.0)


@pytest.mark.parametrize("codec", ["ffv1", "rdd36_hq", "vc3_hq", "h264_intra"])
def test_a_piece_is_shown_at_the_shape_of_its_take(codec: str, tmp_path: Path) -> None:
    """Pixels of 40:33 have no whole width to be shown at, and a container that keeps them apart from the codec loses them in a copy."""
    how = RecordAs(codec=codec)
    path = record(TapePlayerSpec(seed=5, seconds=0.4, wide=True, real_time=False), tmp_path / f"take{how.suffix(8)}", how)
    target = tmp_path / f"piece{how.suffix(8)}"
    join_pieces(JoinPiecesRequest((Piece(path, 2, 8),), target), SilentReporter())
    assert probe(path).geometry == probe(target).geometry == Geometry(720, 480, Fraction(40, 33))


@pytest.mark.parametrize(
    ("kind", "sound", "codec"), [("ffv1", "pcm", "pcm_s24le"), ("ffv1", "flac", "flac"), ("rdd36_hq", "pcm", "pcm_s24le")]
)
def test_twenty_four_bits_of_sound_are_kept(kind: str, sound: str, codec: str, tmp_path: Path) -> None:
    """48 kHz, 24 bits, as archives expect: every sample as it came, the commentary's too."""
    spec = replace(WHOLE, width=192, height=128, seconds=0.4, channels=2, commentary=True, deep_sound=True)
    how = RecordAs(codec=kind, sound=sound)  # type: ignore[arg-type]
    path = record(spec, tmp_path / f"take{how.suffix(8)}", how)
    sent = np.concatenate([block.samples for block in all_of(spec)[1]])
    assert np.count_nonzero(sent.astype(np.int64) & 0xFF00) > len(sent)  # there is something below 16 bits
    at = 0
    with av.open(str(path)) as container:
        for track, channels in enumerate((2, 1)):
            stream = container.streams.audio[track]
            assert stream.codec_context.name == codec
            container.seek(0)
            got = np.concatenate([frame.to_ndarray().reshape(-1, channels) for frame in container.decode(stream)])
            assert np.array_equal(got, sent[: len(got), at : at + channels])
            assert len(got) == len(sent)
            at += channels


@pytest.mark.parametrize("codec", [key for key, row in CAPTURE_CODECS.items() if row.lossless and row.formats[1]])
def test_ten_bits_are_kept_where_nothing_is_to_be_lost(codec: str, tmp_path: Path) -> None:
    spec = replace(WHOLE, width=384, height=256, hdr=True, shape="3:2", seconds=0.3)
    how = RecordAs(codec=codec)
    path = record(spec, tmp_path / f"deep{how.suffix(10)}", how)
    pictures, _ = all_of(spec)
    assert pictures[0].y.dtype == np.uint16
    assert all(np.array_equal(one, other.y) for one, other in zip(lumas(path), pictures, strict=True))
    info = probe(path)
    assert info.bit_depth == 10
    if how.suffix(10) == ".mkv":
        assert info.colour == BT2020_PQ
    assert RecordAs(codec="utvideo").losses(spec.open().format) == ["utvideo, lossless and quick keeps 8 bits of the source's 10."]


def test_programme_and_commentary_stay_on_tracks_of_their_own(tmp_path: Path) -> None:
    spec = replace(SMALL, commentary=True)
    _, sounds = all_of(spec)
    whole = np.concatenate([block.samples for block in sounds])
    assert whole.shape[1] == 3
    for name, how in (("a.mkv", RecordAs()), ("b.mov", RecordAs(codec="rdd36_hq"))):
        result = captured(spec, tmp_path / name, record_as=how)
        assert np.array_equal(heard(tmp_path / name, 0), whole[:, :2])
        assert np.array_equal(heard(tmp_path / name, 1), whole[:, 2:])
        with av.open(str(tmp_path / name)) as container:
            titles = [{**one.metadata}.get("title") or one.metadata.get("handler_name") for one in container.streams.audio]
        assert titles == ["programme", "commentary"]
        assert result.frames == 60


def test_a_fixed_rate_and_a_quality_are_kept(tmp_path: Path) -> None:
    sizes = {}
    for name, how in (("fixed", RecordAs(codec="h264_high", mbps=1.5)), ("fine", RecordAs(codec="h264_high", crf=12)),
                      ("rough", RecordAs(codec="h264_high", crf=30))):  # fmt: skip
        result = captured(replace(SMALL, seconds=4, channels=0), tmp_path / f"{name}.mkv", record_as=how)
        sizes[name] = result.bytes_written * 8 / 4
    assert sizes["fixed"] == pytest.approx(1.5e6, rel=0.25)
    assert sizes["rough"] < sizes["fine"] / 3


def test_what_cannot_be_is_refused_with_a_word() -> None:
    with pytest.raises(ValidationError, match="there is no capture codec"):
        RecordAs(codec="wire")
    for wrong in ("half past", "00:00:00:31"):
        with pytest.raises(WrongUseError, match="no timecode"):
            RecordAs(timecode=wrong).timecode_at(Fraction(30000, 1001), 0)
    assert RecordAs(timecode="00:59:59;29").timecode_at(Fraction(30000, 1001), 1) == "01:00:00;00"
    assert "4:2:0" in RecordAs(codec="h264_high").losses(SMALL.open().format)[0]
    assert any("which field" in words for words in RecordAs(codec="vc3_hq").losses(SMALL.open().format))
    assert RecordAs().losses(SMALL.open().format) == []


def test_a_picture_note_is_read_only_where_it_is_one() -> None:
    note = PictureNote.of(SMALL.open().format)
    assert PictureNote.among({"other": "x", NOTE_KEY.upper(): note.text}) == note
    for bad in ("", note.text + " more", note.text.replace("1/1", "1/0"), "fields=sideways", "x" * 5000):
        assert PictureNote.among({NOTE_KEY: bad}) is None


@pytest.mark.parametrize("later_ms", [250.0, -250.0, 7.3])
def test_moved_sound_loses_neither_a_frame_nor_a_sample_in_between(later_ms: float) -> None:
    source = SMALL.open().format
    pictures, sounds = all_of(SMALL)
    shift = SoundShift(source, later_ms)
    out = [pair for pair in zip(pictures, sounds, strict=True) for pair in shift.push(*pair)]
    out += list(shift.flush())
    assert [picture.number for picture, _ in out] == list(range(60))
    blocks: list[SoundBlock] = [block for _, block in out]
    assert all(one.start + len(one.samples) == two.start for one, two in itertools.pairwise(blocks))
    whole, moved = (np.concatenate([block.samples for block in some]) for some in (sounds, blocks))
    steps = round(later_ms * 48)
    if steps > 0:
        assert not moved[:steps].any()
        assert np.array_equal(moved[steps:], whole[: len(whole) - steps])
    else:
        assert np.array_equal(moved[:steps], whole[-steps:])
