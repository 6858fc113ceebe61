"""the mixes a person wants on top"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "favourite_mix",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("mix_id", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "account_id", "mix_id"),
    )
