"""what happens to a crew's heaps between loads"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "heap_event",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("heap", sa.String(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("received_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"]),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.PrimaryKeyConstraint("id", "crew_id"),
    )
    op.create_index("heap_event_lately", "heap_event", ["crew_id", "heap", "received_at"], unique=False)
    op.execute(
        "create trigger heap_event_append_only before update or delete on heap_event "
        "for each row execute function refuse_change()"
    )
