"""how many loads a plan has, beside it, so that a list of plans need not read them"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward. A generated column changes no row, so the plans stay as they were made."""
    loads = sa.Computed("json_array_length(result -> 'loads')", persisted=True)
    op.add_column("plan", sa.Column("loads", sa.Integer(), loads, nullable=False))
