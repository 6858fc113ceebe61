"""what of the log is open, and the names it is found by"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    # Of what was listed before it is not known: it is looked at as if it were, until it is listed anew.
    op.add_column("log_entry", sa.Column("is_open", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.alter_column("log_entry", "is_open", server_default=None)
    # In one statement: each by itself would write the whole log anew.
    added = (
        f"add column {key} text generated always as (content ->> '{key}') stored"
        for key in ("mix_name", "begun_by", "judged_by")
    )
    op.execute(f"alter table log_entry {', '.join(added)}")
