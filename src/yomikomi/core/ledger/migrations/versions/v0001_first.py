"""The first form of the record."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _take_id() -> sa.Column[int]:
    return sa.Column("take_id", sa.Integer, sa.ForeignKey("takes.id"), nullable=False)


def _text(name: str, *, optional: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.Text, nullable=optional)


def upgrade() -> None:
    op.create_table(
        "carriers",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("label", sa.Text, nullable=False, unique=True),
        _text("title"),
        _text("kind"),
        _text("standard", optional=True),
        sa.Column("nominal_seconds", sa.Double),
        sa.Column("source", sa.JSON),
        _text("note"),
        _text("created_at"),
    )
    op.create_table(
        "takes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("carrier_id", sa.Integer, sa.ForeignKey("carriers.id"), nullable=False),
        _text("path"),
        _text("origin"),
        _text("state"),
        _text("started_at"),
        sa.Column("seconds", sa.Double),
        sa.Column("frames", sa.Integer),
        sa.Column("late", sa.Integer),
        sa.Column("dropped", sa.Integer),
        sa.Column("size_bytes", sa.Integer),
        _text("note"),
    )
    op.create_table(
        "readings",
        sa.Column("id", sa.Integer, primary_key=True),
        _take_id(),
        _text("made_at"),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "overrulings",
        sa.Column("id", sa.Integer, primary_key=True),
        _take_id(),
        *(_text(name) for name in ("topic", "was", "now", "reason", "made_at")),
    )
    op.create_table(
        "treatments",
        sa.Column("id", sa.Integer, primary_key=True),
        _take_id(),
        _text("deinterlace"),
        _text("field_order", optional=True),
        _text("chosen_at"),
    )
    op.create_table(
        "trial_sets",
        sa.Column("id", sa.Integer, primary_key=True),
        _take_id(),
        _text("made_at"),
        _text("folder"),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "copies",
        sa.Column("id", sa.Integer, primary_key=True),
        _take_id(),
        _text("path"),
        _text("state"),
        sa.Column("recipe", sa.JSON, nullable=False),
        _text("deinterlace"),
        _text("field_order", optional=True),
        sa.Column("predicted", sa.JSON),
        sa.Column("result", sa.JSON),
        _text("trouble"),
        _text("asked_at"),
        _text("ended_at", optional=True),
    )
    op.create_table(
        "events",
        sa.Column("id", sa.Integer, primary_key=True),
        _text("at"),
        sa.Column("carrier_id", sa.Integer, sa.ForeignKey("carriers.id")),
        _text("words"),
    )


def downgrade() -> None:
    for table in ("events", "copies", "trial_sets", "treatments", "overrulings", "readings", "takes", "carriers"):
        op.drop_table(table)
