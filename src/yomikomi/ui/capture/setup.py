"""What a take would be made of: the carrier, the source at the far end of its path, and how this workspace captures it."""

from __future__ import annotations

from fractions import Fraction

from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.ledger.views import CarrierView, TakeView
from yomikomi.core.video.source import KnownSpec, SourceFormat
from yomikomi.ui.capture.proving import Subject
from yomikomi.ui.source_of import source_of

_NO_SOURCE_RATE = Fraction(25)


class CaptureSetup:
    def __init__(self) -> None:
        self.view: CarrierView | None = None
        self.settings = CaptureSettings()

    @property
    def take(self) -> TakeView | None:
        return self.view.take if self.view is not None else None

    @property
    def has_take(self) -> bool:
        """There is one that can be read."""
        return self.take is not None and self.take.state not in {"recording", "lost"}

    @property
    def spec(self) -> KnownSpec | None:
        """The source at the far end of its path, where one was planned."""
        return source_of(self.view, self.view.path) if self.view is not None and self.view.has_player else None

    @property
    def source(self) -> SourceFormat | None:
        spec = self.spec
        return spec.format if spec is not None else None

    @property
    def rate(self) -> Fraction:
        """Frames a second of what is captured; of no source, some rate."""
        source = self.source
        return source.standard.rate if source else _NO_SOURCE_RATE

    @property
    def later_ms(self) -> float:
        """By how much the sound of this path is moved."""
        return self.settings.later_ms.get(self._path, 0.0)

    def move_sound(self, later_ms: float) -> None:
        """Of this path; nothing where there is no carrier."""
        if self._path:
            moved = {**self.settings.later_ms, self._path: later_ms}
            self.settings = self.settings.model_copy(update={"later_ms": {path: ms for path, ms in moved.items() if ms}})

    def use(self, settings: CaptureSettings, *, later_ms: float) -> None:
        self.settings = settings
        self.move_sound(later_ms)

    @property
    def record_as(self) -> RecordAs:
        return self.settings.record_as.model_copy(update={"sound_later_ms": self.later_ms})

    @property
    def subject(self) -> Subject | None:
        """What is proven before a take."""
        spec = self.spec
        return Subject(spec, spec.format, self.record_as, silent=spec.format.sound_channels == 0) if spec is not None else None

    @property
    def unfit(self) -> bool:
        return self.view is not None and self.view.unfit

    @property
    def _path(self) -> str:
        view = self.view
        return "" if view is None else view.path.route if view.path is not None else view.label
