"""what a crew plans for a day, and what of its list is there"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "day_version",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("content", postgresql.JSON(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("day_newest", "day_version", ["crew_id", "day", "made_at"])
    op.create_table(
        "day_tick",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("item", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("who", sa.String(120), server_default="", nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("day_tick_of_day", "day_tick", ["crew_id", "day", "made_at"])
