"""The run's jobs, durable; and how the run goes on. Copies that wait get the two jobs that make and prove them."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    jobs = op.create_table(
        "jobs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("copy_id", sa.Integer, sa.ForeignKey("copies.id"), nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("task", sa.JSON, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("rank", sa.Double, nullable=False),
        sa.Column("after_id", sa.Integer, sa.ForeignKey("jobs.id")),
        sa.Column("attempts", sa.Integer, nullable=False),
        sa.Column("held", sa.Boolean, nullable=False),
        sa.Column("stopping", sa.Boolean, nullable=False),
        sa.Column("worker", sa.Text, nullable=False),
        sa.Column("log", sa.JSON, nullable=False),
        sa.Column("peak_bytes", sa.Integer),
        sa.Column("began_at", sa.Text),
        sa.Column("ended_at", sa.Text),
    )
    op.create_index("ix_jobs_copy_id", "jobs", ["copy_id"])
    op.create_index("ix_jobs_state", "jobs", ["state"])
    op.create_table(
        "run_rules",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )
    waiting = sa.text(
        "SELECT copies.id, copies.path, takes.path, copies.digest FROM copies JOIN takes ON takes.id = copies.take_id "
        "WHERE copies.state IN ('waiting', 'running') ORDER BY copies.id"
    )
    rows, number = [], 0
    for copy_id, target, source, digest in op.get_bind().execute(waiting):
        for kind in ("encode", "verify"):
            number += 1
            task = {"schema_version": 1, "kind": kind, "source": source, "target": target, "treatment": digest, "recipe": ""}
            rows.append({
                "id": number, "copy_id": copy_id, "kind": kind, "task": task, "state": "waiting", "rank": float(copy_id),
                "after_id": number - 1 if kind == "verify" else None, "attempts": 0, "held": False, "stopping": False, "worker": "",
                "log": [],
            })  # fmt: skip
    if rows:
        op.bulk_insert(jobs, rows)


def downgrade() -> None:
    op.drop_table("run_rules")
    op.drop_table("jobs")
