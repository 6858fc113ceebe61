"""what a crew owns: mixers, vessels, scales, materials"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "yard_version",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("thing_id", sa.Uuid(), nullable=False),
        sa.Column("content", sa.JSON(), nullable=True),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.PrimaryKeyConstraint("id", "crew_id"),
    )
    op.create_index("yard_newest", "yard_version", ["crew_id", "thing_id", "made_at"], unique=False)
