"""The catalogue against its schema and the carriers; my equipment as a file, good and bad."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.path.catalogue import CATALOGUE, CONNECTORS, SETTINGS, DeviceKind, Port, cable_for, fits, joins, payload_mbps
from yomikomi.core.path.equipment import Equipment, equipment_of, read_equipment, write_equipment
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.structure import Task
from yomikomi.core.planning.carriers import KINDS
from yomikomi.core.video.delivery import Delivery


def test_the_catalogue_has_what_the_trade_uses() -> None:
    played = {kind for device in CATALOGUE.values() for kind in device.plays}
    assert played == set(KINDS) - {"file"}, "everything on the shelf can be played by something"
    roles = {device.role for device in CATALOGUE.values()}
    assert len(roles) == 16
    used = {key for device in CATALOGUE.values() for key in device.all_settings} | {"plugged"}
    assert used == set(SETTINGS), "a setting that no device has"
    plugs = {port.connector for device in CATALOGUE.values() for port in device.ports}
    assert plugs <= set(CONNECTORS)


@pytest.mark.parametrize("key", sorted(CATALOGUE))
def test_a_kind_is_whole(key: str) -> None:
    kind = CATALOGUE[key]
    assert DeviceKind.model_validate(kind.model_dump()) == kind
    for setting in kind.all_settings:
        options = [option for option, _ in kind.options(setting)]
        assert len(options) >= 2, f"{setting} has nothing to be set to"
        assert SETTINGS[setting].right in {"", *options}
        assert kind.delivered.get(setting, options[0]) in options
    if kind.role in {"recorder", "converter", "screen"}:
        assert kind.takes
        assert kind.ins("picture")
    for port in kind.ports:
        if not port.own and port.connector not in {"slot", "radio"}:
            assert cable_for(port.connector, port.connector), f"no cable for {port.connector}"


def test_settings_name_effects_that_there_are() -> None:
    fields = set(Delivery.__dataclass_fields__)
    for key, setting in SETTINGS.items():
        for wrong in setting.wrong:
            assert set(wrong.effect) <= fields, key
            Delivery(**{name: tuple(value) if isinstance(value, list) else value for name, value in wrong.effect.items()})
            assert wrong.option in {option for option, _ in setting.options}


def test_plugs_fit_and_the_slowest_decides() -> None:
    assert fits("usb2", "usb3")
    assert not fits("hdmi_2_0", "sdi_3g")
    assert payload_mbps("usb3", "usb2") == 320
    assert payload_mbps("composite", "composite") is None
    assert joins(CATALOGUE["cable_composite_stereo"], "line", "line") == 1
    assert joins(CATALOGUE["cable_jack_line"], "line", "jack") == 0, "a cable works both ways round"
    assert joins(CATALOGUE["cable_s_video"], "s_video", "composite") is None


def test_pieces_are_added_copied_changed_and_taken_away() -> None:
    mine = Equipment().with_piece("usb_grabber").with_piece("usb_grabber", where="drawer")
    assert [piece.id for piece in mine.pieces] == ["usb_grabber-1", "usb_grabber-2"]
    named = mine.with_changed(mine.pieces[0].model_copy(update={"words": "the old one"}))
    assert named.words_of("usb_grabber-1") == "the old one"
    assert named.words_of("usb_grabber-2") == "USB grabber"
    assert [piece.id for piece in named.without_piece("usb_grabber-1").pieces] == ["usb_grabber-2"]
    with pytest.raises(ValidationError, match="no such kind"):
        mine.with_piece("dream_machine")
    with pytest.raises(ValidationError, match="used for two"):
        mine.with_piece("computer", piece_id="usb_grabber-1")


def test_a_kind_of_ones_own_takes_part_in_paths() -> None:
    mine = equipment_of("svhs_deck", "computer", "cable_s_video", "cable_stereo")
    assert rank_paths(mine, Task("vhs", "525i")) == []
    key = mine.free_kind_key("USB grabber")
    own = CATALOGUE["usb_grabber"].model_copy(update={"key": key, "words": "grabber of the attic", "takes": ("525i",)})
    more = mine.with_kind(own).with_piece(key)
    assert rank_paths(more, Task("vhs", "525i"))[0].path.recorder == f"{key}-1"
    assert rank_paths(more, Task("vhs", "625i"))[0].trace.breaks, "it knows 525 lines only"
    assert not more.without_kind(key).pieces[4:]
    changed = mine.with_kind(CATALOGUE["svhs_deck"].model_copy(update={"corrector": True}))
    assert changed.kind_of("svhs_deck-1").corrector
    assert changed.without_kind("svhs_deck").pieces == mine.pieces
    with pytest.raises(ValidationError, match="no connector"):
        Port(way="in", connector="antenna")
    with pytest.raises(ValidationError, match="same key"):
        DeviceKind(key="x", words="x", role="recorder", ports=(Port(way="in", connector="hdmi_1_4"), Port(way="in", connector="hdmi_1_4")))


def test_an_equipment_file_comes_back_as_it_was(tmp_path: Path) -> None:
    own = CATALOGUE["usb_grabber"].model_copy(update={"key": "mine", "words": "mine"})
    mine = equipment_of(*sorted(CATALOGUE)).with_kind(own).with_piece("mine", words="der Graue", where="shelf B")
    file = tmp_path / "equipment.json"
    write_equipment(mine, file)
    assert read_equipment(file) == mine
    file.write_text(json.dumps({"pieces": [{"kind": "usb_grabber"}, {"kind": "usb_grabber"}, {"kind": "computer", "id": "usb_grabber-1"}]}))
    assert [piece.id for piece in read_equipment(file).pieces] == ["usb_grabber-2", "usb_grabber-3", "usb_grabber-1"]


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "not JSON"),
        (b"\xff\xfe\x00", "not JSON"),
        (b"[" * 100_000, "not JSON"),
        (b"[]", "no list of equipment"),
        (b'{"pieces": "many"}', "pieces"),
        (b'{"pieces": [{"kind": "antenna"}]}', "no such kind"),
        (b'{"pieces": [{"kind": 7}]}', "pieces.0"),
        (b'{"pieces": [{"kind": "computer", "id": "../../etc"}]}', "id"),
        (b'{"kinds": [{"key": "x", "words": "x", "role": "cable"}]}', "a cable has ends"),
        (b'{"schema_version": 99}', "schema_version"),
        (json.dumps({"pieces": [{"kind": "computer"}] * 501}).encode(), "500"),
        (b" " * 2_100_000, "too large"),
    ],
)  # fmt: skip
def test_a_bad_file_is_refused_with_a_word_on_what_to_do(tmp_path: Path, content: bytes, says: str) -> None:
    file = tmp_path / "bad.json"
    file.write_bytes(content)
    with pytest.raises(UnreadableError, match=says) as caught:
        read_equipment(file)
    assert caught.value.remedy
    assert file.read_bytes() == content


def test_what_cannot_be_read_or_written_is_told(tmp_path: Path) -> None:
    with pytest.raises(UnreadableError, match="cannot be read"):
        read_equipment(tmp_path / "gone.json")
    with pytest.raises(UnreadableError, match="no ordinary file"):
        read_equipment(tmp_path)
    with pytest.raises(UnfinishedError, match="is not there"):
        write_equipment(Equipment(), tmp_path / "no folder" / "equipment.json")
    assert list(tmp_path.iterdir()) == []


_WORDS = st.sampled_from(["pieces", "kinds", "kind", "id", "ports", "words"])
_PLAIN = st.none() | st.booleans() | st.integers() | st.text(max_size=8)
_ANY = st.recursive(_PLAIN, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(_WORDS, inner, max_size=4), max_leaves=12)


@given(_ANY)
def test_no_document_brings_the_reader_down(tmp_path_factory: pytest.TempPathFactory, document: object) -> None:
    file = tmp_path_factory.getbasetemp() / "any.json"
    file.write_text(json.dumps(document))
    with contextlib.suppress(UnreadableError):
        assert isinstance(read_equipment(file), Equipment)
