"""the kind of an event beside it, read from its text: a text that cannot be unfolded does not stop a query"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    kind = sa.Computed('substring(content::text from \'"kind": ?"([a-z_]+)"\')', persisted=True)
    op.add_column("event", sa.Column("kind", sa.Text(), kind))
