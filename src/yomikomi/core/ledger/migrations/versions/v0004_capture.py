"""How a take was recorded, what was found on the way, and its marks (``takes.details``); how this workspace captures."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("takes", sa.Column("details", sa.JSON))
    op.create_table(
        "capture_settings",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("capture_settings")
    op.drop_column("takes", "details")
