"""links that show the cards of a plan to whoever has them"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "share_link",
        sa.Column("token", sa.String(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="share_link_plan"),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("token"),
    )
    op.create_index("share_link_of_plan", "share_link", ["crew_id", "plan_id"])
