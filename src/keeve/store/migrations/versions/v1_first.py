"""Version 1: people and crews, what crews own, who may see it, and what is never changed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "v1"
down_revision = None
branch_labels = None
depends_on = None

# Work that is only ever added to: the database itself refuses anything else.
_APPEND_ONLY = ("event", "job_entry", "load", "mix_version", "plan", "stockpile_event")
# What a crew owns: nobody sees or writes a row of it but in a transaction that works for that crew.
_OF_A_CREW = (
    *_APPEND_ONLY, "day_tick", "day_version", "favourite_mix", "job_summary", "log_entry", "log_import", "log_person",
    "photo", "pour", "pour_entry", "yard_version",
)  # fmt: skip


def upgrade() -> None:
    """Forward."""
    op.execute(
        "create function asking_crew() returns uuid language sql stable as "
        "$$ select nullif(current_setting('keeve.crew', true), '')::uuid $$"
    )
    _make_tables()
    op.execute(
        """
        create function refuse_change() returns trigger language plpgsql as $$
        begin
          raise exception 'rows of % are never changed or removed', tg_table_name;
        end $$
        """
    )
    for table in _APPEND_ONLY:
        op.execute(
            f"create trigger {table}_append_only before update or delete on {table} "
            "for each row execute function refuse_change()"
        )
    for table in _OF_A_CREW:
        # Forced: it binds the owner of the table too, which is who the application is.
        op.execute(f"alter table {table} enable row level security, force row level security")
        op.execute(f"create policy of_crew on {table} using (crew_id = asking_crew())")


def _make_tables() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("sign_in_name", sa.String(length=120), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("recovery_hash", sa.LargeBinary(), nullable=True),
        sa.Column("second_key", sa.String(length=80), nullable=True),
        sa.Column("second_since", sa.DateTime(timezone=True), nullable=True),
        sa.Column("second_used", sa.Integer(), nullable=True),
        sa.Column("units", sa.String(length=20), server_default="metric", nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("sign_in_name"),
    )
    op.create_table(
        "crew",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("zone", sa.String(length=80), server_default="UTC", nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "sign_in_failure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sign_in_name", sa.String(length=120), nullable=False),
        sa.Column("address", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("sign_in_failure_by_address", "sign_in_failure", ["address", "at"], unique=False)
    op.create_index("sign_in_failure_by_name", "sign_in_failure", ["sign_in_name", "at"], unique=False)
    op.create_table(
        "day_tick",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("item", sa.String(length=120), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("who", sa.String(length=120), server_default="", nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("day_tick_of_day", "day_tick", ["crew_id", "day", "made_at"], unique=False)
    op.create_table(
        "day_version",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("day_newest", "day_version", ["crew_id", "day", "made_at"], unique=False)
    op.create_table(
        "demo_crew",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ready_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id"),
    )
    op.create_table(
        "favourite_mix",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("mix_id", sa.String(length=80), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "account_id", "mix_id"),
    )
    op.create_table(
        "invitation",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "known_browser",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "log_import",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("file", sa.String(length=120), nullable=False),
        sa.Column("table", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("meant", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("loads", sa.Integer(), nullable=True),
        sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("withdrawn_by", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["withdrawn_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("log_import_newest", "log_import", ["crew_id", "made_at"], unique=False)
    op.create_table(
        "membership",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(length=20), server_default="lead", nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
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
        "mix_version",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("mix_id", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "mix_id", "version"),
    )
    op.create_table(
        "password_reset",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "plan",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("job", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("result", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "loads",
            sa.Integer(),
            sa.Computed("json_array_length(result -> 'loads')", persisted=True),
            nullable=False,
        ),
        sa.Column(
            "mix_name", sa.Text(), sa.Computed("result -> 'mix' ->> 'name'", persisted=True), nullable=True
        ),
        sa.Column(
            "mix_id", sa.Text(), sa.Computed("result -> 'mix' ->> 'id'", persisted=True), nullable=True
        ),
        sa.Column(
            "regime", sa.Text(), sa.Computed("result -> 'mix' ->> 'regime'", persisted=True), nullable=True
        ),
        sa.Column("rules_version", sa.String(length=20), nullable=False),
        sa.Column("version_of", sa.Uuid(), nullable=True),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id", "version_of"], ["plan.crew_id", "plan.id"], name="plan_version_of"
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("plan_by_regime", "plan", ["crew_id", "regime"], unique=False)
    op.create_index("plan_newest", "plan", ["crew_id", "made_at"], unique=False)
    op.create_index(
        "plan_of_job",
        "plan",
        ["crew_id", sa.literal_column("coalesce(version_of, id)"), "made_at"],
        unique=False,
    )
    op.create_table(
        "security_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("about_id", sa.Uuid(), nullable=True),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("words", sa.String(length=80), nullable=False),
        sa.Column("address", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["about_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("security_entry_by_age", "security_entry", ["at"], unique=False)
    op.create_index("security_entry_of_crew", "security_entry", ["crew_id", "id"], unique=False)
    op.create_table(
        "stockpile_event",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("stockpile", sa.String(length=80), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("received_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index(
        "stockpile_event_lately", "stockpile_event", ["crew_id", "stockpile", "received_at"], unique=False
    )
    op.create_table(
        "yard_version",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("thing_id", sa.Uuid(), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=True),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("yard_newest", "yard_version", ["crew_id", "thing_id", "made_at"], unique=False)
    op.create_table(
        "calendar_feed",
        sa.Column("token", sa.String(length=80), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="calendar_feed_membership",
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("token"),
    )
    op.create_table(
        "job_entry",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("text", sa.String(length=2000), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "job_id"], ["plan.crew_id", "plan.id"], name="job_entry_job"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("job_entry_of_job", "job_entry", ["crew_id", "job_id", "kind", "made_at"], unique=False)
    op.create_table(
        "job_summary",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("mix_id", sa.String(length=80), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="job_summary_plan"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("job_summary_newest", "job_summary", ["crew_id", "mix_id", "made_at"], unique=False)
    op.create_table(
        "load",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("attempt", sa.Integer(), server_default="0", nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="load_plan"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
        sa.UniqueConstraint("crew_id", "plan_id", "number", "attempt", name="load_once"),
    )
    op.create_index("load_newest", "load", ["crew_id", "begun_at", "id"], unique=False)
    op.create_table(
        "log_entry",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=True),
        sa.Column("job_id", sa.Uuid(), nullable=True),
        sa.Column("import_id", sa.Uuid(), nullable=True),
        sa.Column("mix_id", sa.String(length=80), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("is_open", sa.Boolean(), nullable=False),
        sa.Column("due_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "mix_name", sa.Text(), sa.Computed("content ->> 'mix_name'", persisted=True), nullable=True
        ),
        sa.Column(
            "begun_by", sa.Text(), sa.Computed("content ->> 'begun_by'", persisted=True), nullable=True
        ),
        sa.Column(
            "judged_by", sa.Text(), sa.Computed("content ->> 'judged_by'", persisted=True), nullable=True
        ),
        sa.Column("search", postgresql.TSVECTOR(), nullable=False),
        sa.CheckConstraint(
            "(plan_id is null) = (job_id is null) and (plan_id is null) <> (import_id is null)",
            name="log_entry_of_one",
        ),
        sa.ForeignKeyConstraint(
            ["crew_id", "import_id"], ["log_import.crew_id", "log_import.id"], name="log_entry_import"
        ),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="log_entry_plan"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("log_entry_by_words", "log_entry", ["search"], unique=False, postgresql_using="gin")
    op.create_index(
        "log_entry_due",
        "log_entry",
        ["crew_id", "due_at"],
        unique=False,
        postgresql_where=sa.text("due_at is not null"),
    )
    op.create_index("log_entry_in_state", "log_entry", ["crew_id", "state", "begun_at", "id"], unique=False)
    op.create_index("log_entry_newest", "log_entry", ["crew_id", "begun_at", "id"], unique=False)
    op.create_index(
        "log_entry_of_import",
        "log_entry",
        ["crew_id", "import_id"],
        unique=False,
        postgresql_where=sa.text("import_id is not null"),
    )
    op.create_index("log_entry_of_job", "log_entry", ["crew_id", "job_id", "begun_at", "id"], unique=False)
    op.create_index("log_entry_of_mix", "log_entry", ["crew_id", "mix_id", "begun_at", "id"], unique=False)
    op.create_table(
        "pour",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("first_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="pour_plan"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "job_id", "day"),
    )
    op.create_index("pour_newest", "pour", ["crew_id", "last_at"], unique=False)
    op.create_table(
        "share_link",
        sa.Column("token", sa.String(length=80), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("plan_id", sa.Uuid(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="share_link_plan"),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("token"),
    )
    op.create_index(
        "share_link_of_plan",
        "share_link",
        ["crew_id", "plan_id"],
        unique=True,
        postgresql_where=sa.text("withdrawn_at is null"),
    )
    op.create_table(
        "sign_in",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("form_token", sa.String(length=80), nullable=False),
        sa.Column("device", sa.String(length=20), server_default="", nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("waits_for_code", sa.Boolean(), server_default=sa.false(), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="sign_in_membership",
        ),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "event",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("load_id", sa.Uuid(), nullable=False),
        sa.Column("account_id", sa.Uuid(), nullable=False),
        sa.Column("received_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("content", postgresql.JSON(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "kind",
            sa.Text(),
            sa.Computed('substring(content::text from \'"kind": ?"([a-z_]+)"\')', persisted=True),
            nullable=True,
        ),
        sa.ForeignKeyConstraint(
            ["account_id"],
            ["account.id"],
        ),
        sa.ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="event_load"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("event_of_load", "event", ["crew_id", "load_id"], unique=False)
    op.create_index(
        "event_taken_back",
        "event",
        ["crew_id", "load_id"],
        unique=False,
        postgresql_where=sa.text("kind = 'taken_back'"),
    )
    op.create_table(
        "log_person",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("person", sa.String(length=120), nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id", "id"],
            ["log_entry.crew_id", "log_entry.id"],
            name="log_person_entry",
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "person", "begun_at", "id"),
    )
    op.create_index("log_person_of_entry", "log_person", ["crew_id", "id"], unique=False)
    op.create_table(
        "photo",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("load_id", sa.Uuid(), nullable=False),
        sa.Column("event_id", sa.Uuid(), nullable=True),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("small", sa.LargeBinary(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="photo_load"),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("photo_of_load", "photo", ["crew_id", "load_id", "made_at"], unique=False)
    op.create_table(
        "pour_entry",
        sa.Column("crew_id", sa.Uuid(), server_default=sa.text("asking_crew()"), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("task", sa.String(length=20), server_default="", nullable=False),
        sa.Column("c", sa.Double(), nullable=True),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["crew_id", "job_id", "day"], ["pour.crew_id", "pour.job_id", "pour.day"], name="pour_entry_pour"
        ),
        sa.ForeignKeyConstraint(
            ["crew_id"],
            ["crew.id"],
        ),
        sa.ForeignKeyConstraint(
            ["made_by"],
            ["account.id"],
        ),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("pour_entry_of_pour", "pour_entry", ["crew_id", "job_id", "day", "made_at"], unique=False)
