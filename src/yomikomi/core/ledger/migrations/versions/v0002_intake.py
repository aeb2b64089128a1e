"""What intake asks of a carrier; what the machine was measured to do; the Reckoner's history.

Carriers that were taken in before keep an empty document: nothing was asked of them.
"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("carriers", sa.Column("details", sa.JSON))
    op.create_table(
        "machine_trials",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("made_at", sa.Text, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "reckonings",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("sheet", sa.Text, nullable=False),
        sa.Column("typed", sa.JSON, nullable=False),
        sa.Column("words", sa.Text, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("reckonings")
    op.drop_table("machine_trials")
    op.drop_column("carriers", "details")
