"""Carriers that house rules were applied to, and those of them that wait for a person."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "house_cases",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("carrier_id", sa.Integer, sa.ForeignKey("carriers.id"), nullable=False),
        sa.Column("take_id", sa.Integer, sa.ForeignKey("takes.id"), nullable=False),
        sa.Column("key", sa.Text, nullable=False),
        sa.Column("rules", sa.JSON, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("differences", sa.JSON, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("answered_at", sa.Text),
    )
    op.create_index("ix_house_cases_carrier_id", "house_cases", ["carrier_id"])
    op.create_index("ix_house_cases_state", "house_cases", ["state"])


def downgrade() -> None:
    op.drop_table("house_cases")
