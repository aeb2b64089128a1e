"""What belongs to a carrier, a take or a copy is found without looking through all of them: with twenty thousand copies one carrier took
as long as all."""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

_INDEXES = (
    ("takes", "carrier_id"), ("readings", "take_id"), ("overrulings", "take_id"), ("treatments", "take_id"), ("trial_sets", "take_id"),
    ("copies", "take_id"), ("copies", "state"), ("copies", "path"), ("jobs", "rank"), ("path_sheets", "carrier_id"),
    ("events", "carrier_id"), ("house_cases", "take_id"),
)  # fmt: skip


def upgrade() -> None:
    for table, column in _INDEXES:
        op.create_index(f"ix_{table}_{column}", table, [column])


def downgrade() -> None:
    for table, column in _INDEXES:
        op.drop_index(f"ix_{table}_{column}", table)
