"""The index of all words of the record: what it holds of which table, and the statements that fill it and keep it up.

A row of the index has a number made of its table's and its own, so that the newest of a table are found first without sorting.
Documents are taken in by the texts that stand in them; what is no document (a damaged row) has no words, and stops nothing. The store
keeps it up, not the database's triggers: a record trusts nothing in its own schema, and triggers may then write to no such index.
"""

from __future__ import annotations

from dataclasses import dataclass

SHIFT = 40  # bits for the row; the table's number stands above


@dataclass(frozen=True)
class Indexed:
    """``number``: of the table in the index, never given twice; ``words``: columns whose text counts, ``documents``: those of JSON."""

    number: int
    table: str
    words: tuple[str, ...]
    documents: tuple[str, ...] = ()

    @property
    def columns(self) -> frozenset[str]:
        return frozenset((*self.words, *self.documents))

    def rowid(self, row: int) -> int:
        """A row's number in the index."""
        return (self.number << SHIFT) + row

    @property
    def fill(self) -> str:
        """The statement that takes in all rows of the table; with `` WHERE id = …`` behind it, that one."""
        plain = [f"coalesce({one}, '')" for one in self.words]
        atoms = [
            f"CASE WHEN json_valid({one}) THEN coalesce((SELECT group_concat(atom, ' ') FROM json_tree({one}) WHERE type = 'text'), '') "
            "ELSE '' END"
            for one in self.documents
        ]
        text = " || ' ' || ".join([*plain, *atoms])
        return f"INSERT INTO finder (rowid, words) SELECT {self.number << SHIFT} + id, {text} FROM {self.table}"


INDEXED = (
    Indexed(1, "events", ("words",)),
    Indexed(2, "carriers", ("label", "title", "kind", "standard", "note"), ("details",)),
    Indexed(3, "takes", ("path", "note")),
    Indexed(4, "path_sheets", (), ("document",)),
    Indexed(5, "overrulings", ("topic", "was", "now", "reason")),
    Indexed(6, "copies", ("path", "trouble"), ("recipe", "outlet")),
    Indexed(7, "looks", ("why", "verdict", "who", "note")),
)
BY_TABLE = {one.table: one for one in INDEXED}
FORGET = "DELETE FROM finder WHERE rowid = ?"


def statements() -> list[str]:
    """What makes the index, and fills it from what there is."""
    made = "CREATE VIRTUAL TABLE finder USING fts5(words, tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3')"
    return [made, *(one.fill for one in INDEXED)]
