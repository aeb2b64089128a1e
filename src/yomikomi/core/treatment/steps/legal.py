"""Code values kept inside of what limited range allows."""

from __future__ import annotations

from typing import ClassVar, Literal

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step


class Legal(Step):
    """Luma 16…235, chroma 16…240 of 8 bits (ITU-R BT.601-7 and BT.709-6); what lies outside is clipped."""

    title: ClassVar[str] = "Legal values"

    step: Literal["legal"] = "legal"

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        scale = 2 ** (before.bits - 8)
        luma, chroma = (f"clip(val,{16 * scale},{high * scale})" for high in (235, 240))
        return [("lutyuv", f"y='{luma}':u='{chroma}':v='{chroma}'")]

    def words(self, before: PictureFormat) -> str:
        return "clipped to legal values"
