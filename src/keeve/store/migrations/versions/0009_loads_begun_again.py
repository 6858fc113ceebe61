"""a load that was begun by mistake and taken back can be begun again"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.add_column("load", sa.Column("attempt", sa.Integer(), nullable=False, server_default="0"))
    op.drop_constraint("load_once", "load")
    op.create_unique_constraint("load_once", "load", ["crew_id", "plan_id", "number", "attempt"])
