"""each crew has its time zone"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.add_column("crew", sa.Column("zone", sa.String(80), server_default="UTC", nullable=False))
