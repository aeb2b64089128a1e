"""Search over everything that was ever written down: carriers, takes, paths, copies, what people said, and the history."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.orm import Session

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.finder_tables import BY_TABLE
from yomikomi.core.ledger.store import Room

# Of each table so many of the newest that match are looked at; what is older is found by saying more.
_NEWEST = 200
# Rows of a table that are looked through first; then four times as many, and so on.
_PART = 5000
_MATCHING = text(
    "SELECT rowid FROM finder WHERE finder MATCH :asked AND rowid BETWEEN :first AND :last ORDER BY rowid DESC LIMIT :most"
)
_TAKE = "JOIN takes t ON t.id = r.take_id"
_COPY = "JOIN copies c ON c.id = r.copy_id JOIN takes t ON t.id = c.take_id"


@dataclass(frozen=True)
class _Line:
    """What a row (``r``) of a table says: when it came, whose it is, its words; ``joined`` leads from it to its take."""

    what: str
    at: str
    words: str
    owner: str = "t.carrier_id"
    joined: str = ""


_LINES = {
    "events": _Line("History", "r.at", "r.words", "r.carrier_id"),
    "carriers": _Line("Carrier", "r.created_at", "r.title || ' · ' || r.note", "r.id"),
    "takes": _Line("Take", "r.started_at", "r.path || ' · ' || r.note", "r.carrier_id"),
    "path_sheets": _Line(
        "Path", "r.changed_at", "CASE WHEN json_valid(r.document) THEN json_extract(r.document, '$.route') END", "r.carrier_id"
    ),
    "overrulings": _Line("Overruled", "r.made_at", "r.topic || ': ' || r.was || ' → ' || r.now || ' · ' || r.reason", joined=_TAKE),
    "copies": _Line("Copy", "coalesce(r.ended_at, r.asked_at)", "r.path || ' · ' || r.trouble", joined=_TAKE),
    "looks": _Line("Looked at", "r.at", "r.why || ': ' || r.verdict || ' · ' || r.note", joined=_COPY),
}  # fmt: skip


@dataclass(frozen=True)
class Hit:
    """A line of the record that holds all the words. ``what``: History, Carrier, Take, Path, Overruled, Copy or Looked at."""

    at: str
    what: str
    carrier_id: int | None
    label: str
    title: str
    kind: str
    words: str


class FinderRoom(Room):
    def find(self, words: str, *, kind: str = "", limit: int = 60) -> list[Hit]:
        """Lines that hold all of the words, or begin of them, the newest first; ``"words in quotes"`` stand together. Where no line does,
        those of carriers that hold each word somewhere. ``kind``: only of carriers of this kind. Raises WrongUseError where nothing is
        asked."""
        asked = terms_of(words)
        with self._store.session() as session:
            found = self._lines(session, " AND ".join(asked), kind)
            if len(found) < limit:  # beginnings of words take the index longer: all that go on from them are gathered first
                found = self._lines(session, " AND ".join(f"{one}*" for one in asked), kind)
            if not found and len(asked) > 1:
                apart = [self._lines(session, f"{one}*", kind) for one in asked]
                all_of = set.intersection(*({hit.carrier_id for hit in hits if hit.carrier_id is not None} for hits in apart))
                found = list(dict.fromkeys(hit for hits in apart for hit in hits if hit.carrier_id in all_of))
        return sorted(found, key=lambda hit: hit.at, reverse=True)[:limit]

    @staticmethod
    def _lines(session: Session, asked: str, kind: str) -> list[Hit]:
        found: list[Hit] = []
        for table, line in _LINES.items():
            ids = _newest(session, table, asked)
            if not ids:
                continue
            query = (
                f"SELECT {line.at}, {line.words}, k.id, k.label, k.title, k.kind FROM {table} r {line.joined} "
                f"LEFT JOIN carriers k ON k.id = {line.owner} WHERE r.id IN ({', '.join(map(str, ids))})"
            )
            for at, told, owner, label, title, of_kind in session.connection().exec_driver_sql(query):
                if not kind or of_kind == kind:
                    words = str(told or "").strip(" ·")
                    found.append(Hit(str(at), line.what, owner, label or "", title or "", of_kind or "", words))
        return found


def _newest(session: Session, table: str, asked: str) -> list[int]:
    """Rows that match, the newest first: looked for in the newest part of a long table before the next, since words that stand everywhere
    are found there at once and lists of rare ones are short."""
    base = BY_TABLE[table].rowid(0)
    last = session.execute(text(f"SELECT max(id) FROM {table}")).scalar() or 0
    found: list[int] = []
    part = _PART
    while last > 0 and len(found) < _NEWEST:
        first = max(1, last - part + 1)
        bound = {"asked": asked, "first": base + first, "last": base + last, "most": _NEWEST - len(found)}
        found += [int(row) - base for row in session.scalars(_MATCHING, bound)]
        last, part = first - 1, 4 * part
    return found


def terms_of(words: str) -> list[str]:
    """What a person types, as the index is asked, term by term; nothing in it is obeyed.

    Raises WrongUseError.
    """
    parts = "".join(letter if letter.isprintable() else " " for letter in words).split('"')
    # Every second part stood in quotes; the last quote may not be closed yet.
    phrases = [part.split() for part in parts[1::2]]
    single = [[word] for part in parts[0::2] for word in part.split()]
    asked = [[word for word in phrase if any(letter.isalnum() for letter in word)] for phrase in (*single, *phrases)]
    made = [f'"{" ".join(phrase)}"' for phrase in asked if phrase]
    if not made:
        raise WrongUseError("There is nothing to search for.", remedy="Give a word: a label, a device, what was wrong.")
    return made
