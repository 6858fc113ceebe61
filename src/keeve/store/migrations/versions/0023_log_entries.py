"""loads as the log lists and finds them; those that were begun before are listed when Keeve is started"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime(timezone=True)
_FOUND_BY = {"newest": [], "of_job": ["job_id"], "of_mix": ["mix_id"], "in_state": ["state"]}


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "log_entry",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("mix_id", sa.String(80), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("begun_at", _MOMENT, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("content", postgresql.JSON(), nullable=False),
        sa.Column("search", postgresql.TSVECTOR(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="log_entry_plan"),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    for name, columns in _FOUND_BY.items():
        op.create_index(f"log_entry_{name}", "log_entry", ["crew_id", *columns, "begun_at", "id"])
    op.create_index("log_entry_by_words", "log_entry", ["search"], postgresql_using="gin")
    op.create_table(
        "log_person",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("person", sa.String(120), nullable=False),
        sa.Column("begun_at", _MOMENT, nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(
            ["crew_id", "id"],
            ["log_entry.crew_id", "log_entry.id"],
            name="log_person_entry",
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("crew_id", "person", "begun_at", "id"),
    )
    op.create_index("log_person_of_entry", "log_person", ["crew_id", "id"])
    op.create_table(
        "unlisted_load",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("load_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.PrimaryKeyConstraint("crew_id", "load_id"),
    )
    op.execute("insert into unlisted_load (crew_id, load_id) select crew_id, id from load")
