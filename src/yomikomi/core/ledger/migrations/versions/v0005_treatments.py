"""A treatment is one document with its digest, which trials are known by; what happened to fields had two columns."""

import json
from hashlib import sha256

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def _document(deinterlace: str | None, order: str | None) -> str:
    """Version 1 of the document, as the program of that day wrote it."""
    steps = [{"step": "fields", "mode": deinterlace or "leave", "order": order}] if order in {"tff", "bff"} else []
    return json.dumps({"schema_version": 1, "steps": steps}, separators=(",", ":"))


def _digest(document: str) -> str:
    return sha256(document.encode()).hexdigest()[:24]


def upgrade() -> None:
    connection = op.get_bind()
    for table in ("treatments", "copies"):
        op.add_column(table, sa.Column("treatment", sa.JSON, nullable=False, server_default='{"schema_version":1,"steps":[]}'))
        op.add_column(table, sa.Column("digest", sa.Text, nullable=False, server_default=""))
        for row, deinterlace, order in connection.execute(sa.text(f"SELECT id, deinterlace, field_order FROM {table}")).fetchall():
            document = _document(deinterlace, order)
            values = {"document": document, "digest": _digest(document), "row": row}
            connection.execute(sa.text(f"UPDATE {table} SET treatment = :document, digest = :digest WHERE id = :row"), values)
        op.drop_column(table, "deinterlace")
        op.drop_column(table, "field_order")
    op.add_column("trial_sets", sa.Column("digest", sa.Text, nullable=False, server_default=""))
    for row, raw in connection.execute(sa.text("SELECT id, document FROM trial_sets")).fetchall():
        try:
            trials = json.loads(raw)
            digest = _digest(_document(trials.get("deinterlace"), trials.get("field_order")))
        except (ValueError, TypeError, AttributeError, RecursionError):
            continue  # a damaged row is nobody's trials
        connection.execute(sa.text("UPDATE trial_sets SET digest = :digest WHERE id = :row"), {"digest": digest, "row": row})


def downgrade() -> None:
    connection = op.get_bind()
    op.drop_column("trial_sets", "digest")
    for table in ("treatments", "copies"):
        op.add_column(table, sa.Column("deinterlace", sa.Text, nullable=False, server_default="leave"))
        op.add_column(table, sa.Column("field_order", sa.Text))
        for row, raw in connection.execute(sa.text(f"SELECT id, treatment FROM {table}")).fetchall():
            steps = {one["step"]: one for one in json.loads(raw)["steps"]}
            fields = steps.get("fields", {})
            values = {"mode": fields.get("mode", "leave"), "order": fields.get("order"), "row": row}
            connection.execute(sa.text(f"UPDATE {table} SET deinterlace = :mode, field_order = :order WHERE id = :row"), values)
        op.drop_column(table, "treatment")
        op.drop_column(table, "digest")
