"""A copy may be made for an outlet, which it is held against once it is made: kept as it was then, since own outlets change."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("copies", sa.Column("outlet", sa.JSON))


def downgrade() -> None:
    op.drop_column("copies", "outlet")
