"""Files by their bytes, the places they lie in, what people looked at, releases of raw takes; and an index of all words of the record."""

import sqlalchemy as sa
from alembic import op

from yomikomi.core.ledger.finder_tables import statements

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_TABLES = ("merged", "ledger_rules", "releases", "looks", "locations", "places", "files")


def upgrade() -> None:
    _files()
    _people()
    for statement in statements():
        op.execute(statement)


def downgrade() -> None:
    for table in ("finder", *_TABLES):
        op.drop_table(table)


def _files() -> None:
    op.create_table(
        "files",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("take_id", sa.Integer, sa.ForeignKey("takes.id")),
        sa.Column("copy_id", sa.Integer, sa.ForeignKey("copies.id")),
        sa.Column("part", sa.Integer, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("content", sa.Text, nullable=False),
        sa.Column("sha256", sa.Text, nullable=False),
        sa.Column("hashed_at", sa.Text, nullable=False),
    )
    op.create_table(
        "places",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("key", sa.Text, nullable=False, unique=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("role", sa.Text, nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("disk", sa.Text, nullable=False),
        sa.Column("added_at", sa.Text, nullable=False),
        sa.Column("seen_at", sa.Text, nullable=False),
        sa.Column("free_bytes", sa.Integer),
        sa.Column("total_bytes", sa.Integer),
    )
    op.create_table(
        "locations",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("file_id", sa.Integer, sa.ForeignKey("files.id"), nullable=False),
        sa.Column("place_id", sa.Integer, sa.ForeignKey("places.id")),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("disk", sa.Text, nullable=False),
        sa.Column("checked_at", sa.Text, nullable=False),
        sa.Column("finding", sa.JSON),
    )
    for table, column in (
        ("files", "take_id"), ("files", "copy_id"), ("files", "content"), ("locations", "file_id"), ("locations", "place_id"),
        ("locations", "state"), ("locations", "checked_at"),
    ):  # fmt: skip
        op.create_index(f"ix_{table}_{column}", table, [column])


def _people() -> None:
    op.create_table(
        "looks",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("copy_id", sa.Integer, sa.ForeignKey("copies.id"), nullable=False),
        sa.Column("seconds", sa.Double, nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("verdict", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
    )
    op.create_table(
        "releases",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("take_id", sa.Integer, sa.ForeignKey("takes.id"), nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("way", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("until", sa.Text, nullable=False),
        sa.Column("ended_at", sa.Text),
        sa.Column("files", sa.JSON, nullable=False),
        sa.Column("rules", sa.JSON, nullable=False),
    )
    op.create_table(
        "ledger_rules",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "merged",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("origin", sa.Text, nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("origin_id", sa.Integer, nullable=False),
        sa.Column("own_id", sa.Integer, nullable=False),
    )
    for table, column in (("looks", "copy_id"), ("releases", "take_id"), ("releases", "state"), ("merged", "origin")):
        op.create_index(f"ix_{table}_{column}", table, [column])
