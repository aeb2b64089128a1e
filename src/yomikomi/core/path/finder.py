"""Finding every workable path from a carrier through the equipment at hand.

Sources that play the carrier; from each of their outputs over cables that are there, through at most two boxes, into a
recorder and on to a computer or slot. Pieces of one kind are taken for alike: the first free one stands for all.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence, Set
from dataclasses import replace

from yomikomi.core.path.catalogue import Port, cable_for, fits, payload_mbps
from yomikomi.core.path.drawer import Drawer
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.rates import link_mbps, mosaic_mbps
from yomikomi.core.path.structure import OWN_CABLE, Link, Path, Task, Wishes

_MOST_BOXES = 2  # between source and recorder; more only loses
_MOST_PATHS = 400  # what is built before ranking


class Finder:
    """One search. Paths come in no order; ranking is another matter."""

    def __init__(self, equipment: Equipment, task: Task, wishes: Wishes, last: Set[str] = frozenset()) -> None:
        self.task, self.wishes = task, wishes
        self._kinds = {piece.id: equipment.known[piece.kind] for piece in equipment.pieces}
        # One of each kind where several are alike, by role.
        self._by_role: dict[str, list[str]] = {}
        seen: Counter[str] = Counter()
        cables: list[str] = []
        for piece in equipment.pieces:
            kind = self._kinds[piece.id]
            if kind.role == "cable":
                cables.append(piece.id)
            elif seen[piece.kind] < 1 or kind.role in {"card", "drive"}:
                self._by_role.setdefault(kind.role, []).append(piece.id)
            seen[piece.kind] += 1
        self._drawer = Drawer({cable: self._kinds[cable] for cable in cables}, last)

    def paths(self) -> list[Path]:
        found: dict[str, Path] = {}
        for source in self._of("player", "camera", "console", "reader"):
            if self.task.kind in self._kinds[source].plays:
                for path in self._from_source(source):
                    for whole in self._with_sound(path):
                        done = self._with_wishes(whole)
                        found.setdefault(done.key, done)
                        if len(found) >= _MOST_PATHS:
                            return [*found.values()]
        return list(found.values())

    def _of(self, *roles: str) -> list[str]:
        return [piece for role in roles for piece in self._by_role.get(role, [])]

    # -- picture

    def _from_source(self, source: str) -> Iterator[Path]:
        kind = self._kinds[source]
        if kind.role == "reader":
            for links, computer in self._to_computer(source, ()):
                yield self._stored(Path(source, source, computer, None, (), (), links))
            return
        for port in kind.outs("data"):
            if port.connector == "slot":  # its own record
                for card in self._of("card"):
                    link = Link(source, port.key, card, self._kinds[card].ports[0].key, OWN_CABLE)
                    yield Path(source, source, None, card, (), (), (link,))
        ways = list(self._onward(source, kind.outs("picture"), (), 0))
        fewest: dict[str, int] = {}
        for path in ways:
            fewest[path.recorder] = min(self._idle_boxes(path), fewest.get(path.recorder, _MOST_BOXES))
        straight = 0 in fewest.values()
        shown: set[tuple[str, str | None]] = set()
        for path in ways:
            idle, end = self._idle_boxes(path), (path.recorder, path.computer)
            if idle > fewest[path.recorder] or (idle and straight and end in shown):
                continue  # a straight way to another recorder is better; one roundabout way to this one is enough
            shown.add(end)
            yield path

    def _idle_boxes(self, path: Path) -> int:
        """Boxes between that neither steady what wobbles nor give a copy to those who watch or hear: only as many as it takes
        to reach the recorder at all are worth their plugs."""
        wishes = self.wishes
        steadies = self.task.wobbles and not self._kinds[path.source].corrector
        copies = wishes.watch or wishes.headphones or wishes.second
        boxes = [self._kinds[link.target] for link in path.picture[:-1]]
        worth = [(steadies and box.corrector) or (copies and any(port.loop for port in box.ports)) for box in boxes]
        return worth.count(False)

    def _onward(self, piece: str, outs: Sequence[Port], links: tuple[Link, ...], boxes: int) -> Iterator[Path]:
        """Over every output of a device, into boxes and recorders."""
        used_connectors: set[str] = set()
        for port in outs:
            if port.connector in used_connectors or (boxes and port.loop):
                continue  # two alike sockets make one path
            used_connectors.add(port.connector)
            for target in self._of("recorder", "converter"):
                if target == piece or any(target in {link.source, link.target} for link in links):
                    continue
                if self._kinds[target].role == "converter" and boxes >= _MOST_BOXES:
                    continue
                for link in self._joined(piece, port, target, "picture", links):
                    way = (*links, link)
                    if self._kinds[target].role == "converter":
                        yield from self._onward(target, self._kinds[target].outs("picture"), way, boxes + 1)
                    else:
                        twin = self._twin(way) if len(way) == 1 else None
                        if twin is None or self.wishes.links != "two":
                            yield from self._recorded(way)
                        if twin is not None:
                            yield from (replace(path, twin=(twin,)) for path in self._recorded(way))

    def _twin(self, way: tuple[Link, ...]) -> Link | None:
        """A second link beside the first, where one is too narrow for the format wanted, or where two are wished for."""
        (link,) = way
        out, into = self._port(link.source, link.out), self._port(link.target, link.into)
        if not out.sdi:
            return None
        payload = payload_mbps(out.connector, into.connector)
        source, key = self._kinds[link.source], self.task.picture_format
        raw = source.sends_raw and self._kinds[link.target].takes_raw and self.wishes.signal == "raw"
        needed = mosaic_mbps(key, source.depth) if raw else link_mbps(key, out.connector)
        least = 0 if self.wishes.links == "two" else payload
        if needed is None or payload is None or least is None or not least < needed <= 2 * payload:
            return None
        for port in self._kinds[link.source].outs("picture"):
            if port.connector == out.connector and port.key != out.key:
                return next(self._joined(link.source, port, link.target, "picture", way, only=into.connector), None)
        return None

    def _recorded(self, way: tuple[Link, ...]) -> Iterator[Path]:
        source, recorder = way[0].source, way[-1].target
        kind = self._kinds[recorder]
        slots = [port for port in kind.outs("data") if port.connector == "slot"]
        if slots:
            for card in self._one_of_each(self._of("card")):
                link = Link(recorder, slots[0].key, card, self._kinds[card].ports[0].key, OWN_CABLE)
                yield Path(source, recorder, None, card, way, (), (link,))
            return
        for links, computer in self._to_computer(recorder, way):
            yield self._stored(Path(source, recorder, computer, None, way, (), links))

    def _to_computer(self, piece: str, links: tuple[Link, ...]) -> Iterator[tuple[tuple[Link, ...], str]]:
        """From a data output into each computer: straight where there is a socket, else by a hub."""
        for port in self._kinds[piece].outs("data"):
            for computer in self._of("computer"):
                straight = self._best_socket(piece, port, computer, links)
                if straight is not None:
                    yield (straight,), computer
                    continue
                for hub in self._of("hub"):
                    first = self._best_socket(piece, port, hub, links)
                    if first is None:
                        continue
                    second = self._best_socket(hub, self._kinds[hub].outs("data")[0], computer, (*links, first))
                    if second is not None:
                        yield (first, second), computer

    def _best_socket(self, piece: str, port: Port, target: str, links: tuple[Link, ...]) -> Link | None:
        """The fastest free socket of a device that takes the plug."""
        found = list(self._joined(piece, port, target, "data", links))
        ports = {one.key: one for one in self._kinds[target].ports}
        return max(found, key=lambda link: payload_mbps(port.connector, ports[link.into].connector) or 0, default=None)

    def _stored(self, path: Path) -> Path:
        """With the fastest separate drive, where there is one that the computer takes."""
        drives = sorted(self._of("drive"), key=lambda piece: -(self._kinds[piece].write_mb_s or 0))
        taken = {link.into for link in path.host if link.target == path.computer}
        for drive in drives:
            for out in self._kinds[drive].outs("data"):
                assert path.computer is not None
                if any(port.key not in taken and fits(out.connector, port.connector) for port in self._kinds[path.computer].ins("data")):
                    return replace(path, store=drive)
        return path

    # -- sound

    def _with_sound(self, path: Path) -> Iterator[Path]:
        """The ways sound can go along with a picture; the path without it only where there is none."""
        if self.task.silent or path.source == path.recorder:
            yield path
            return
        if all("sound" in self._port(link.source, link.out).carries for link in path.picture):
            yield replace(path, sound=path.picture)
            return
        found = list(self._sound_ways(path))
        yield from (replace(path, sound=links) for links in found)
        if not found:
            missing = self._missing_sound(path)
            yield replace(path, sound=(missing,)) if missing else path

    def _missing_sound(self, path: Path) -> Link | None:
        """Where a cable for the sound would go that is not there."""
        taken = {(link.target, link.into) for link in path.picture}
        for out in self._kinds[path.source].outs("sound"):
            for into in self._kinds[path.recorder].ins("sound"):
                free = (path.recorder, into.key) not in taken and "picture" not in into.carries
                if free and not out.takes_away and "picture" not in out.carries and cable_for(out.connector, into.connector):
                    return Link(path.source, out.key, path.recorder, into.key, None)
        return None

    def _sound_ways(self, path: Path) -> Iterator[tuple[Link, ...]]:
        source, recorder, computer = path.source, path.recorder, path.computer
        targets = [*(link.target for link in path.picture), *([computer] if computer else [])]
        kind = self._kinds[source]
        outs = [port for port in kind.outs("sound") if "picture" not in port.carries and not port.takes_away]
        # Into the first box that joins sound to the picture, the recorder, or the computer itself.
        for port in outs:
            for target in targets:
                tail = self._tail(path, target)
                if tail is None:
                    continue
                link = next(self._joined(source, port, target, "sound", (*path.picture, *path.host), analogue=True), None)
                if link is not None:
                    yield (link, *tail)
            yield from self._by_interface(source, port, path)
        if kind.role == "camera":
            for microphone in self._of("microphone"):
                for port in self._kinds[microphone].outs("sound"):
                    used = (*path.picture, *path.host)
                    into = (recorder, computer) if computer else (recorder,)
                    ways = (next(self._joined(microphone, port, target, "sound", used, analogue=True), None) for target in into)
                    link = next((way for way in ways if way is not None), None)
                    if link is not None:
                        yield (link,)
                    elif port.analogue:
                        yield from self._by_interface(microphone, port, path)
                    elif computer and (link := self._best_socket(microphone, port, computer, (*path.picture, *path.host))):
                        yield (link,)

    def _tail(self, path: Path, target: str) -> tuple[Link, ...] | None:
        """From a box on the way on to the recorder, where the links between carry sound; None where they do not."""
        if target in {path.recorder, path.computer}:
            return ()
        index = [link.target for link in path.picture].index(target)
        rest = path.picture[index + 1 :]
        return rest if all("sound" in self._port(link.source, link.out).carries for link in rest) else None

    def _by_interface(self, piece: str, port: Port, path: Path) -> Iterator[tuple[Link, ...]]:
        if path.computer is None:
            return
        for interface in self._of("interface"):
            used = (*path.picture, *path.host)
            first = next(self._joined(piece, port, interface, "sound", used, analogue=True), None)
            if first is None:
                continue
            out = self._kinds[interface].outs("data")[0]
            second = self._best_socket(interface, out, path.computer, (*used, first))
            if second is not None:
                yield first, second

    # -- those who watch, listen and speak

    def _with_wishes(self, path: Path) -> Path:
        wishes = self.wishes
        if path.source == path.recorder:
            return path
        if wishes.watch or wishes.headphones:
            path = replace(path, screen=self._screen_leg(path))
        if wishes.headphones:
            path = replace(path, ears=self._ears_leg(path))
        if wishes.commentary:
            path = replace(path, commentary=self._commentary_leg(path))
        if wishes.second:
            path = replace(path, second=self._second_leg(path))
        return path

    def _free_outs(self, path: Path) -> Iterator[tuple[str, Port]]:
        """Picture outputs that are exact copies: loop-throughs on the way, then second sockets of the source."""
        used = {(link.source, link.out) for link in path.links}
        for link in reversed(path.picture):
            for port in self._kinds[link.target].outs("picture"):
                if port.loop and (link.target, port.key) not in used:
                    yield link.target, port
        for port in self._kinds[path.source].outs("picture"):
            if (path.source, port.key) not in used:
                yield path.source, port

    def _screen_leg(self, path: Path) -> tuple[Link, ...]:
        for piece, port in self._free_outs(path):
            for screen in self._of("screen"):
                link = next(self._joined(piece, port, screen, "picture", path.links), None)
                if link is not None:
                    return (link,)
        return ()

    def _ears_leg(self, path: Path) -> tuple[Link, ...]:
        """Where the sound has arrived: at the screen, by optical cable, at the computer late, at the console last."""
        places = [path.screen[-1].target] if path.screen else []
        places += [path.source]
        for piece in places:
            for port in self._kinds[piece].outs("sound"):
                if "picture" in port.carries or port.takes_away:
                    continue
                for amplifier in self._of("amplifier"):
                    first = next(self._joined(piece, port, amplifier, "sound", path.links, analogue=None), None)
                    if first is not None and (last := self._headset(amplifier, path, first)):
                        return first, last
                if (last := self._headset(piece, path, None, port)) is not None:
                    return (last,)
        if path.computer and (last := self._headset(path.computer, path, None)):
            return (last,)
        away = [port for port in self._kinds[path.source].outs("sound") if port.takes_away]
        last = self._headset(path.source, path, None, away[0]) if away else None
        return (last,) if last is not None else ()

    def _headset(self, piece: str, path: Path, first: Link | None, only: Port | None = None) -> Link | None:
        ports = [only] if only else [port for port in self._kinds[piece].outs("sound") if "picture" not in port.carries]
        used = (*path.links, *((first,) if first else ()))
        for port in ports:
            for headset in self._of("headset"):
                link = next(self._joined(piece, port, headset, "sound", used, analogue=None), None)
                if link is not None:
                    return link
        return None

    def _commentary_leg(self, path: Path) -> tuple[Link, ...]:
        """A microphone into the computer, on a track of its own, or into the recorder."""
        used = path.links
        for microphone in (*self._of("microphone"), *self._of("headset")):
            if microphone in {link.source for link in path.sound}:
                continue
            for port in self._kinds[microphone].outs("sound"):
                if path.computer and port.connector.startswith("usb"):
                    link = self._best_socket(microphone, port, path.computer, used)
                    if link is not None:
                        return (link,)
                for way in self._by_interface(microphone, port, path):
                    return way
                for target in (path.computer, path.recorder):
                    if target and (link := next(self._joined(microphone, port, target, "sound", used, analogue=True), None)):
                        return (link,)
        return ()

    def _second_leg(self, path: Path) -> tuple[Link, ...]:
        for piece, port in self._free_outs(path):
            for other in self._of("recorder"):
                if other != path.recorder and (link := next(self._joined(piece, port, other, "picture", path.links), None)):
                    return (link,)
        return ()

    # -- plugs

    def _port(self, piece: str, key: str) -> Port:
        return self._kinds[piece].port(key)

    def _joined(
        self, piece: str, port: Port, target: str, carried: str, used: Sequence[Link], *, analogue: bool | None = None, only: str = ""
    ) -> Iterator[Link]:
        """Links from an output into a device, one for each of its connectors that fits and is free."""
        taken = {(link.target, link.into) for link in used}
        connectors: set[str] = set()
        for into in self._kinds[target].ports:
            if into.way != "in" or carried not in into.carries or into.connector in connectors or (target, into.key) in taken:
                continue
            if only and into.connector != only:
                continue
            if analogue and not (into.analogue or into.connector == "optical"):
                continue
            if (port.own or into.own) and fits(port.connector, into.connector):
                connectors.add(into.connector)
                yield Link(piece, port.key, target, into.key, OWN_CABLE)
                continue
            cable = self._drawer.free(port.connector, into.connector, used, self._kinds)
            if cable is not None:
                connectors.add(into.connector)
                yield Link(piece, port.key, target, into.key, cable)

    def _one_of_each(self, pieces: list[str]) -> list[str]:
        kept: dict[str, str] = {}
        for piece in pieces:
            kept.setdefault(self._kinds[piece].key, piece)
        return list(kept.values())


def find_paths(equipment: Equipment, task: Task, wishes: Wishes | None = None, *, last: Set[str] = frozenset()) -> list[Path]:
    """All paths, in no order; not all of them are whole: tracing says where one breaks.

    ``last`` : pieces that are taken only where no other is free.
    """
    return Finder(equipment, task, wishes or Wishes(), last).paths()
