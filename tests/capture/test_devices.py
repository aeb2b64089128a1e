"""Real devices' own code, tried with the library's generated inputs and an invented layer of devices."""

from __future__ import annotations

import errno
import os
import subprocess
import sys
import threading
import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.capture.making import captured, heard, lumas
from yomikomi.core.capture.devices import linux
from yomikomi.core.capture.devices.alsa import _S24_3LE, _S24_LE, _S32_LE, DeepSound, _upper
from yomikomi.core.capture.devices.finding import find_inputs
from yomikomi.core.capture.devices.layer import DeviceFormat, SoundDevice, VideoDevice
from yomikomi.core.capture.devices.linux import LinuxLayer
from yomikomi.core.capture.devices.reading import Device, DeviceSpec
from yomikomi.core.capture.devices.refusals import refusal
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.media import probe
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.video.source import SourceEnded
from yomikomi.core.video.standards import FieldOrder

pytestmark = pytest.mark.alone

_RATE = Fraction(30000, 1001)
GENERATED = DeviceSpec(
    "testsrc2=s=192x144:r=30000/1001,realtime", 192, 144, _RATE, sound="sine=r=48000:f=440,arealtime", channels=1,
    commentary="sine=r=48000:f=880,arealtime", video_layer="lavfi", sound_layer="lavfi",
)  # fmt: skip


class InventedLayer:
    """Devices that are not there."""

    sound_kind = "lavfi"

    def __init__(self, videos: list[VideoDevice] | None = None) -> None:
        self.videos = videos if videos is not None else [CARD]
        self.chosen: list[tuple[str, str | None, str | None]] = []

    def video_devices(self) -> list[VideoDevice]:
        return self.videos

    def sound_devices(self) -> list[SoundDevice]:
        return [SoundDevice("hw:1,0", "line in")]

    def choose(self, path: str, *, input_name: str | None, standard: str | None) -> None:
        self.chosen.append((path, input_name, standard))

    def holders(self, path: str) -> tuple[str, ...]:
        return ("other-program (process 77)",) if path == CARD.path else ()


CARD = VideoDevice(
    "/dev/video7", "an invented card", "invented", "usb-1", (
        DeviceFormat("YUYV", "yuyv", 720, 480, (_RATE,)), DeviceFormat("YUYV", "yuyv", 720, 576, (Fraction(25),)),
    ), ("Composite", "S-Video"), ("525i", "625i"),
)  # fmt: skip


def test_a_generated_input_is_captured_by_the_code_that_reads_devices(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    result = captured(GENERATED, path, patient=False, rules=EndRules(max_seconds=2.0, blank_seconds=None))
    assert (result.frames, result.dropped, result.trouble) == (60, 0, "")
    assert len(lumas(path)) == 60
    info = probe(path)
    assert [sound.channels for sound in info.sound] == [1, 1]
    for track, hz in ((0, 440), (1, 880)):
        wave = heard(path, track)[:, 0].astype(float)
        assert len(wave) / 48_000 == pytest.approx(2.0, abs=0.25)
        spectrum = np.abs(np.fft.rfft(wave[: 48_000 * 3 // 2]))
        assert np.argmax(spectrum) * 48_000 / (48_000 * 3 // 2) == pytest.approx(hz, abs=3)


def test_sound_of_more_than_16_bits_comes_whole(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """ALSA's own code reads a file in place of a device; a generated input of 32 bits goes the library's way."""
    sent = np.random.default_rng(1).integers(-(2**23), 2**23, (24_000, 2)).astype(np.int32) << 8
    (tmp_path / "in.raw").write_bytes(sent.tobytes())
    file = f'type file slave.pcm {{ type null }} file "/dev/null" infile "{tmp_path}/in.raw" format "raw"'
    (tmp_path / "alsa.conf").write_text(f"pcm.deep {{ {file} }}\n")
    monkeypatch.setenv("ALSA_CONFIG_PATH", str(tmp_path / "alsa.conf"))
    device = DeepSound("deep", 2, 48_000)
    blocks = device.blocks()
    got = np.concatenate([next(blocks) for _ in range(20)])
    device.close()
    assert np.array_equal(got, sent[: len(got)])
    with pytest.raises(OSError, match="No such"):
        DeepSound("nowhere", 2, 48_000)
    for kind, raw in ((_S24_3LE, b"\x01\x02\x83"), (_S24_LE, b"\x01\x02\x83\x00"), (_S32_LE, b"\x00\x01\x02\x83")):
        assert _upper(raw, kind).tolist() == [int.from_bytes(b"\x00\x01\x02\x83", "little", signed=True)]
    unread = replace(GENERATED, sound="deep", sound_layer="alsa", channels=2, commentary="")
    closed: list[bool] = []
    monkeypatch.setattr(DeepSound, "close", lambda _self: closed.append(True))
    unread.open().close()  # nobody read it, and it must be free again
    assert closed == [True]
    fine = "aevalsrc=0.25*sin(2*PI*440*t):s=48000,aformat=sample_fmts=s32,arealtime"
    source = replace(GENERATED, sound=fine).open()
    assert (source.format.sound_bits, source.format.sound_channels) == (24, 2)
    heard_here = [source.read()[1].samples for _ in range(12)]
    source.close()
    wave = np.concatenate(heard_here)
    assert wave.dtype == np.int32
    assert wave[:, 0].any()
    assert (wave[:, 0] & 0xFF00).any()
    assert not (wave[:, 1] & 0xFFFF).any()  # the second device has 16


def test_an_end_that_a_device_must_not_have_is_a_loss(tmp_path: Path) -> None:
    short = replace(GENERATED, video="testsrc2=s=192x144:r=30000/1001:d=0.5", sound="", commentary="")
    result = captured(short, tmp_path / "take.mkv")
    assert "stopped giving pictures" in result.trouble
    assert result.frames == 15
    assert captured(replace(short, ends=True), tmp_path / "finite.mkv").trouble == ""
    assert not probe(tmp_path / "take.mkv").sound


def test_a_device_that_hangs_does_not_hang_the_recording(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A pipe whose writer falls silent: the read never comes back, the recording ends in order."""
    monkeypatch.setattr("yomikomi.core.capture.session.STALL_S", 0.7)
    pipe = tmp_path / "device"
    os.mkfifo(pipe)
    quit_now = threading.Event()

    def write() -> None:
        with pipe.open("wb") as file:
            file.write(b"YUV4MPEG2 W192 H144 F30:1 Ip A1:1 C420jpeg\n")
            for number in range(20):
                file.write(b"FRAME\n" + bytes([16 + number * 9 % 200]) * (192 * 144 * 3 // 2))
            file.flush()
            quit_now.wait(20)

    writer = threading.Thread(target=write)
    writer.start()
    spec = DeviceSpec(str(pipe), 192, 144, Fraction(30), video_layer="yuv4mpegpipe")
    try:
        began = time.monotonic()
        result = captured(spec, tmp_path / "take.mkv")
        assert time.monotonic() - began < 15
    finally:
        quit_now.set()
        writer.join(5)
    assert "given nothing" in result.trouble
    assert 10 <= result.frames <= 20
    assert len(lumas(tmp_path / "take.mkv")) == result.frames


def test_a_picture_that_comes_twice_is_dropped_only_where_it_is_the_same() -> None:
    """Two pictures under one stamp are two pictures unless they are alike."""
    picture = replace(GENERATED, video="testsrc2=s=64x48:r=25:d=0.5", width=64, height=48, rate=Fraction(25))
    short = replace(picture, sound="", commentary="", ends=True)
    device = Device(short, InventedLayer())
    told = [(n * 40, 40 + n) for n in range(20)] + [(760, 59), (760, 200)] + [(n * 40, 40 + n) for n in range(20, 40)]
    device._frames = iter([_grey(level, stamp) for stamp, level in told])
    levels = []
    with pytest.raises(SourceEnded):
        while True:
            levels.append(int(device.read()[0].y[0, 0]))
    device.close()
    assert device.doubled == 1
    assert levels == [*range(40, 60), 200, *range(60, 80)]


def _grey(level: int, stamp: int) -> av.VideoFrame:
    frame = av.VideoFrame(64, 48, "yuv422p")
    for plane in frame.planes:
        plane_samples(plane)[...] = level
    frame.pts, frame.time_base = stamp, Fraction(1, 1000)
    return frame


def test_inputs_and_standards_are_chosen_before_it_is_opened() -> None:
    layer = InventedLayer()
    spec = DeviceSpec(CARD.path, 720, 576, Fraction(25), input_name="S-Video", standard="625i", field_order=FieldOrder.TFF)
    with pytest.raises(SourceLostError, match="no device /dev/video7"):
        Device(spec, layer)
    assert layer.chosen == [(CARD.path, "S-Video", "625i")]
    assert spec.picture_standard.words == "625 lines, 25"
    assert DeviceSpec.from_json(spec.to_json()) == spec
    for layer_name, path in (
        ("lavfi", "testsrc2"), ("v4l2", "/etc/passwd"), ("v4l2", "/dev/video0;x"), ("x11grab", ":0"), ("v4l2", "/dev/../dev/video0"),
        ("", "http://localhost/"), ("alsa", "/dev/video0"),
    ):  # fmt: skip
        with pytest.raises(SourceLostError, match="no capture device"):
            DeviceSpec.from_json({**spec.to_json(), "video_layer": layer_name, "video": path})
    for broken in ({"sound": "file:/tmp/x"}, {"rate": "0/0"}, {"width": -1}, {"width": "wide"}, {"rate": None}, {"nonsense": 1}):
        with pytest.raises(SourceLostError):
            DeviceSpec.from_json({**spec.to_json(), **broken})


@pytest.mark.parametrize(
    ("number", "said", "remedy"),
    [
        (errno.EBUSY, "in use by other-program (process 77)", "Close that program"),
        (errno.ENODEV, "There is no device", "Plug it in"),
        (errno.EACCES, "may not be opened", "group 'video'"),
        (errno.ENOTTY, "no capture device", "size and rate"),
        (errno.EIO, "could not be opened", "cable"),
    ],
)
def test_why_a_device_does_not_open_is_said(number: int, said: str, remedy: str) -> None:
    error = refusal(CARD.path, OSError(number, os.strerror(number)), InventedLayer())
    assert said in error.message
    assert remedy in error.remedy
    assert "another program" in refusal("/dev/video1", OSError(errno.EBUSY, "busy"), InventedLayer()).message


def test_who_holds_a_device_is_found_in_the_process_table(tmp_path: Path) -> None:
    held = tmp_path / "video0"
    held.write_bytes(b"")
    script = f"import time; file = open({str(held)!r}); print('open', flush=True); time.sleep(30)"
    other = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert other.stdout is not None
    try:
        assert other.stdout.readline() == "open\n"
        assert any(f"(process {other.pid})" in holder for holder in LinuxLayer().holders(str(held)))
    finally:
        other.kill()
        other.wait()
        other.stdout.close()
    assert LinuxLayer().holders(str(held)) == ()


def test_sound_cards_are_read_from_the_systems_list(tmp_path: Path) -> None:
    (tmp_path / "pcm").write_text(
        "00-00: generic analog : generic analog : playback 1 : capture 1\n00-03: HDMI 0 : HDMI 0 : playback 1\n"
        "01-00: USB Audio : USB Audio : playback 1 : capture 1\nnonsense\n"
    )
    (tmp_path / "cards").write_text(" 0 [PCH            ]: intel - built in\n 1 [Interface      ]: USB-Audio - an interface\n")
    found = list(linux._captures(tmp_path, lambda path: ("x",) if path.endswith("C1D0c") else ()))
    assert [(one.path, one.name, one.busy) for one in found] == [
        ("hw:0,0", "intel - built in: generic analog", ()),
        ("hw:1,0", "USB-Audio - an interface: USB Audio", ("x",)),
    ]
    assert list(linux._captures(tmp_path / "none", lambda _path: ())) == []


def test_a_machine_without_devices_says_so() -> None:
    layer = LinuxLayer()
    assert isinstance(layer.video_devices(), list)
    assert isinstance(layer.sound_devices(), list)
    with pytest.raises(SourceLostError):
        layer.choose("/dev/video99", input_name=None, standard="525i")
    with pytest.raises(SourceLostError):
        DeviceSpec("/dev/null", 720, 480, _RATE).open()


def test_the_input_that_moves_is_named_among_silence_hum_and_what_cannot_be_opened() -> None:
    """Generated inputs through the code that reads devices: speech-like, a steady hum, nothing, and three that give nothing."""
    moving = "aevalsrc=0.3*sin(2*PI*440*t)*gt(sin(2*PI*3*t)\\,0):s=48000,arealtime"
    devices = [
        SoundDevice("anullsrc=r=48000:cl=mono,arealtime", "the recorder's own name", channels=1),
        SoundDevice("sine=r=48000:f=50,volume=0.05,arealtime", "line in", channels=1), SoundDevice(moving, "front jack", channels=1),
        SoundDevice("no such thing", "broken", channels=1), SoundDevice("x", "taken", busy=("other (process 7)",)),
        SoundDevice("sine=r=48000:d=0.01", "ends at once", channels=1),
    ]
    found = find_inputs(devices, layer="lavfi", seconds=1.0)
    assert found[0].device.name == "front jack"
    assert [one.moves for one in found] == [True, *[False] * 5]
    told = {one.device.name: one.words for one in found}
    assert "silent" in told["the recorder's own name"]
    assert "steady" in told["line in"]
    assert "cannot be opened" in told["broken"]
    assert "in use" in told["taken"]
    assert find_inputs([], layer="lavfi") == []
