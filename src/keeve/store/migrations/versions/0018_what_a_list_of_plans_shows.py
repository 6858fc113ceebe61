"""what a list of plans shows of their results, beside them; loads that were taken back by an index of their own"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    for column, key in (("mix_id", "id"), ("mix_name", "name"), ("regime", "regime")):
        read = sa.Computed(f"result -> 'mix' ->> '{key}'", persisted=True)
        op.add_column("plan", sa.Column(column, sa.Text(), read))
    op.create_index("plan_by_regime", "plan", ["crew_id", "regime"])
    op.create_index(
        "event_taken_back",
        "event",
        ["crew_id", "load_id"],
        postgresql_where=sa.text("kind = 'taken_back'"),
    )
