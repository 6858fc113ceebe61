"""when the next specimen of a load is due"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.add_column("log_entry", sa.Column("due_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index(
        "log_entry_due", "log_entry", ["crew_id", "due_at"], postgresql_where=sa.text("due_at is not null")
    )
