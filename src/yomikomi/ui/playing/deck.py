"""One or two players that run together: the first is heard, or the second."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from yomikomi.core.errors import YomikomiError
from yomikomi.core.playing.player import Level, Player, Shown
from yomikomi.core.playing.sources import PlaySource
from yomikomi.core.video.sound_out import SoundOut, usual_out


@dataclass(frozen=True)
class Named:
    """``words``: what it is called beside the other one."""

    words: str
    source: PlaySource


class Deck:
    """Both stand at one moment; the one that is heard gives the time. Whoever makes it may wait for files and devices, and does so in
    the background."""

    def __init__(self, played: tuple[Named, ...], make_out: Callable[[], SoundOut] = usual_out) -> None:
        self.played = played
        self.players = [Player(one.source, make_out()) for one in played]
        self.heard = 0

    @property
    def player(self) -> Player:
        """The one that is heard."""
        return self.players[self.heard]

    @property
    def position(self) -> float:
        return self.player.position

    @property
    def level(self) -> Level:
        return self.player.level if self.player.playing else Level()

    @property
    def error(self) -> YomikomiError | None:
        return next((one.error for one in self.players if one.error is not None), None)

    def due(self) -> list[Shown | None]:
        """Of each the picture that has become due."""
        first = self.player.picture_due()
        return [first if number == self.heard else one.picture_due(self.position) for number, one in enumerate(self.players)]

    def play(self) -> None:
        if self.player.ended:
            self.seek(0.0)
        self.player.play()

    def hold(self) -> None:
        self.player.hold()

    def seek(self, seconds: float) -> None:
        for one in self.players:
            one.seek(seconds)

    def step(self, frames: int) -> None:
        self.player.step(frames)
        self._follow()

    def step_field(self, fields: int, *, bottom_first: bool) -> None:
        self.player.step_field(fields, bottom_first=bottom_first)
        self._follow()

    def set_speed(self, speed: float) -> None:
        self.player.set_speed(speed)
        self._follow()

    def set_volume(self, volume: float) -> None:
        for one in self.players:
            one.volume = volume

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        self.player.set_loop(loop)

    def hear(self, number: int) -> None:
        """The sound comes from another one; the moment stays."""
        if number == self.heard or number >= len(self.players):
            return
        before, position = self.player, self.position
        played, speed, loop, volume = before.playing, before.speed, before.loop, before.volume
        before.hold()
        before.set_loop(None)
        self.heard = number
        self.player.set_speed(speed)
        self.player.set_loop(loop)
        self.player.volume = volume
        self.seek(position)
        if played:
            self.player.play()

    def close(self) -> None:
        for one in self.players:
            one.close()

    def _follow(self) -> None:
        for one in self.players:
            if one is not self.player:
                one.seek(self.position)
