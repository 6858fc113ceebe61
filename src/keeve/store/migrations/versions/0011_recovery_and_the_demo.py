"""ways back in when a password is forgotten; which crews are the demo's"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.add_column("account", sa.Column("recovery_hash", sa.LargeBinary(), nullable=True))
    op.create_table(
        "password_reset",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "demo_crew",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ready_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.PrimaryKeyConstraint("crew_id"),
    )
    # What was the demo before this table: the crews its people are in.
    op.execute(
        "insert into demo_crew (crew_id, made_at) select distinct crew.id, crew.made_at from crew "
        "join membership on membership.crew_id = crew.id join account on account.id = membership.account_id "
        "where account.sign_in_name in ('wren', 'alder') and crew.name in ('Boathouse crew', 'Lock cottage crew')"
    )
