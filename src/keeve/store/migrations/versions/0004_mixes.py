"""a crew's own mixes, each kept version by version"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "mix_version",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("mix_id", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "mix_id", "version"),
    )
    op.execute(
        "create trigger mix_version_append_only before update or delete on mix_version "
        "for each row execute function refuse_change()"
    )
