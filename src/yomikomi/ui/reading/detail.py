"""The part of a frame that shows most, enlarged, and what this frame argues for."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout

from yomikomi.core.reading.cards.finding import certainty_words
from yomikomi.core.reading.cards.scanned import KIND_WORDS
from yomikomi.core.reading.closeup import CloseLook, segment_at
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scan.verdict import Vote
from yomikomi.core.reading.unread import FirstLook
from yomikomi.core.video.standards import FieldOrder
from yomikomi.ui.widgets.basics import Well, label
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb

VOTE_WORDS = {
    Vote.NOTHING: "nothing: too little motion", Vote.PROGRESSIVE: "progressive", Vote.TOP_FIRST: "interlaced, top field first",
    Vote.BOTTOM_FIRST: "interlaced, bottom field first", Vote.UNCLEAR: "nothing that fits together", Vote.FILM: "film with pulldown",
    Vote.REPEATS: "repeated frames", Vote.BLENDED: "blended fields",
}  # fmt: skip


class DetailPanel(Well):
    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(232)
        self.picture = PictureView(enlarged=True)
        self.figures = label("", quiet=True, wrap=True)
        self.figures.setProperty("well", True)
        self.argues_head = label("", quiet=True)
        self.argues_head.setProperty("well", True)
        self.argues = label("", wrap=True)
        self.argues.setProperty("well", True)
        self.argues.setAlignment(Qt.AlignmentFlag.AlignTop)
        layout = self._layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 10, 8, 8)
        layout.setSpacing(6)
        layout.addWidget(self.picture, 1)
        for one in (self.figures, self.argues_head, self.argues):
            layout.addWidget(one)

    def show_unread(self, look: FirstLook | None) -> None:
        """What the file says of itself, while nothing was measured."""
        self.picture.show_image(None)
        self.picture.setVisible(look is None)
        self._layout.setStretchFactor(self.argues, int(look is not None))
        self.figures.setText("")
        self.argues_head.setText("The file says" if look is not None else "")
        self.argues.setText("\n".join(look.lines) if look is not None else "")

    def show_look(self, look: CloseLook | None, reading: Reading | None = None) -> None:
        if look is None or reading is None:
            self.picture.show_image(None)
            for one in (self.figures, self.argues_head, self.argues):
                one.setText("")
            return
        self.picture.show()
        self._layout.setStretchFactor(self.argues, 0)
        lines, columns = look.part.shape[:2]
        shape = Fraction(columns, max(1, lines)) * Fraction(reading.geometry.sample_aspect)
        self.picture.show_image(image_from_rgb(look.part), shape)
        self.figures.setText(
            f"neighbouring lines differ by {look.fields_apart:.0f} code values (of 255)\n"
            f"change from the frame before: {look.change:.0f} code values"
        )
        self.argues_head.setText("This frame shows")
        self.argues.setText(argument_words(reading, look.frame))


def argument_words(reading: Reading, frame: int) -> str:
    """What a frame says, and within which part it stands."""
    strips = reading.strips
    place = frame // strips.frames_per_bin
    vote = Vote(strips.vote[place]) if place < len(strips.vote) else Vote.NOTHING
    inside = segment_at(reading, frame)
    words = VOTE_WORDS[vote]
    if inside is None or inside.kind == "undetermined":
        return words
    order = f", {FieldOrder(inside.field_order).words}" if inside.field_order else ""
    part = f"{KIND_WORDS[inside.kind]}{order}"
    sure = certainty_words(inside.confidence).replace(" ", "\u00a0")  # the sign stays with its number
    if len(reading.scan.segments) > 1:
        return f"{words}\nin a part that is {part}: {sure}"
    return f"{words}\nthe take: {part}, {sure}"
