"""sessions by device and last use, an optional second step, the security log of a crew"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    """Forward. Sessions that are open stay so, as used now."""
    for column in (
        sa.Column("second_key", sa.String(80)),
        sa.Column("second_since", _MOMENT),
        sa.Column("second_used", sa.Integer()),
    ):
        op.add_column("account", column)
    for column in (
        sa.Column("device", sa.String(20), server_default="", nullable=False),
        sa.Column("seen_at", _MOMENT, server_default=sa.func.now(), nullable=False),
        sa.Column("waits_for_code", sa.Boolean(), server_default=sa.false(), nullable=False),
    ):
        op.add_column("sign_in", column)
    op.create_table(
        "security_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("about_id", sa.Uuid()),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("words", sa.String(80), nullable=False),
        sa.Column("address", sa.String(80), nullable=False),
        sa.Column("at", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"]),
        sa.ForeignKeyConstraint(["about_id"], ["account.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("security_entry_of_crew", "security_entry", ["crew_id", "id"])
    op.create_index("security_entry_by_age", "security_entry", ["at"])
