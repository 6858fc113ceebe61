"""crews, sign-in, plans, loads, events"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "account",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("sign_in_name", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("password_hash", sa.String(), nullable=False),
        sa.Column("units", sa.String(), server_default="metric", nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("sign_in_name"),
    )
    op.create_table(
        "crew",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "sign_in_failure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sign_in_name", sa.String(), nullable=False),
        sa.Column("address", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("sign_in_failure_by_address", "sign_in_failure", ["address", "at"], unique=False)
    op.create_index("sign_in_failure_by_name", "sign_in_failure", ["sign_in_name", "at"], unique=False)
    op.create_table(
        "membership",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "account_id"),
    )
    op.create_table(
        "plan",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("job", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("result", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("rules_version", sa.String(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("id", "crew_id"),
    )
    op.create_index("plan_newest", "plan", ["crew_id", "made_at"], unique=False)
    op.create_table(
        "load",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="load_plan"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("id", "crew_id"),
        sa.UniqueConstraint("crew_id", "plan_id", "number", name="load_once"),
    )
    op.create_index("load_newest", "load", ["crew_id", "begun_at", "id"], unique=False)
    op.create_table(
        "sign_in",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("form_token", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="sign_in_membership",
        ),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "event",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("load_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("received_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="event_load"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("id", "crew_id"),
    )
    op.create_index("event_of_load", "event", ["crew_id", "load_id"], unique=False)
    # The work of a crew is only ever added to: the database itself refuses anything else.
    op.execute(
        """
        create function refuse_change() returns trigger language plpgsql as $$
        begin
          raise exception 'rows of % are never changed or removed', tg_table_name;
        end $$
        """
    )
    for table in ("plan", "load", "event"):
        op.execute(
            f"create trigger {table}_append_only before update or delete on {table} "
            "for each row execute function refuse_change()"
        )
