"""Text captions written into a copy in the kind that its container takes."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import av.container
from av.subtitles.subtitle import SubtitleSet

from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.video.subtitles import Caption

_KINDS = {"mkv": "subrip", "mp4": "mov_text"}
_MS = Fraction(1, 1000)
# What the library's writers of subtitles ask for; the copy holds nothing of it but the text.
_PLAIN_STYLE = (
    b"[Script Info]\r\nScriptType: v4.00+\r\n\r\n[V4+ Styles]\r\nFormat: Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, "
    b"OutlineColour, BackColour, Bold, Italic, Underline, StrikeOut, ScaleX, ScaleY, Spacing, Angle, BorderStyle, Outline, Shadow, "
    b"Alignment, MarginL, MarginR, MarginV, Encoding\r\nStyle: Default,Sans,16,&Hffffff,&Hffffff,&H0,&H0,0,0,0,0,100,100,0,0,1,1,0,2,"
    b"10,10,10,1\r\n\r\n[Events]\r\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\r\n"
)


class TextTrack:
    """A subtitle stream of the copy; ``pieces``: what is kept of the take."""

    def __init__(self, sink: av.container.OutputContainer, container: str, pieces: Pieces) -> None:
        stream: Any = sink.add_stream(_KINDS[container])
        self.stream = stream
        self.stream.codec_context.subtitle_header = _PLAIN_STYLE
        self.stream.codec_context.time_base = _MS
        self._pieces = pieces

    def packets(self, caption: Caption, first: Fraction) -> Iterator[av.Packet]:
        """``first``: the moment of the caption's clock at which the first picture stands, seconds. Nothing where it is cut out."""
        begin, end = max(Fraction(0), caption.begin - first), caption.end - first
        shown = self._pieces.shown(begin, max(begin + _MS, end)) if end > 0 else None
        if shown is None or not caption.text:
            return
        length = max(1, round(shown[1] / _MS))
        text = caption.text.replace("\n", "\\N").encode()
        packet = self.stream.codec_context.encode_subtitle(SubtitleSet.create(b"0,0,Default,,0,0,0,," + text, 0, length))
        packet.stream, packet.time_base = self.stream, _MS
        packet.pts = packet.dts = round(shown[0] / _MS)
        packet.duration = length
        yield packet
