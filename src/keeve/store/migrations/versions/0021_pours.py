"""pours with what follows them, and the addresses that calendars read"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime(timezone=True)
# What was placed until now, by the days of UTC: crews had no zone of their own.
_POURS = """
insert into pour (crew_id, job_id, day, plan_id, first_at, last_at)
select placed.crew_id, coalesce(plan.version_of, plan.id), (at at time zone 'UTC')::date,
       (array_agg(plan.id order by at desc))[1], min(at), max(at)
from (select crew_id, load_id, (content ->> 'occurred_at')::timestamptz as at from event where kind = 'placed') placed
join load on load.crew_id = placed.crew_id and load.id = placed.load_id
join plan on plan.crew_id = load.crew_id and plan.id = load.plan_id
group by placed.crew_id, coalesce(plan.version_of, plan.id), (at at time zone 'UTC')::date
"""


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "pour",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("first_at", _MOMENT, nullable=False),
        sa.Column("last_at", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="pour_plan"),
        sa.PrimaryKeyConstraint("crew_id", "job_id", "day"),
    )
    op.create_index("pour_newest", "pour", ["crew_id", "last_at"])
    op.create_table(
        "pour_entry",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("task", sa.String(20), server_default="", nullable=False),
        sa.Column("c", sa.Float(), nullable=True),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.ForeignKeyConstraint(
            ["crew_id", "job_id", "day"], ["pour.crew_id", "pour.job_id", "pour.day"], name="pour_entry_pour"
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("pour_entry_of_pour", "pour_entry", ["crew_id", "job_id", "day", "made_at"])
    op.create_table(
        "calendar_feed",
        sa.Column("token", sa.String(80), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("withdrawn_at", _MOMENT, nullable=True),
        sa.ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="calendar_feed_membership",
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("token"),
    )
    op.execute(_POURS)
