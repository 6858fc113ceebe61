"""photos of loads"""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "photo",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("load_id", sa.Uuid(), nullable=False),
        sa.Column("event_id", sa.Uuid(), nullable=True),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("small", sa.LargeBinary(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="photo_load"),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("photo_of_load", "photo", ["crew_id", "load_id", "made_at"])
