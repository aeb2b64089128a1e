"""The equipment of a workspace; the path and settings sheet of each carrier, and of each take as it was when it was made.

``take_id`` is empty for the sheet that a carrier's work goes on with.
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "equipment",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "path_sheets",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("carrier_id", sa.Integer, sa.ForeignKey("carriers.id"), nullable=False),
        sa.Column("take_id", sa.Integer, sa.ForeignKey("takes.id")),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("path_sheets")
    op.drop_table("equipment")
