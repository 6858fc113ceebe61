"""roles and invitations"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward. Who was in a crew before there were roles had every right, and keeps it."""
    op.add_column("membership", sa.Column("role", sa.String(), server_default="lead", nullable=False))
    op.add_column(
        "membership",
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
    )
    op.create_table(
        "invitation",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("token_hash"),
    )
