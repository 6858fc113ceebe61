"""jobs: plans as versions of one job, and what is said of a job (its name, its state, notes)"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    # Null: the plan is the first of its job, and the job goes by its id.
    op.add_column("plan", sa.Column("version_of", sa.Uuid(), nullable=True))
    op.create_foreign_key("plan_version_of", "plan", "plan", ["crew_id", "version_of"], ["crew_id", "id"])
    op.create_index("plan_of_job", "plan", ["crew_id", sa.text("coalesce(version_of, id)"), "made_at"])
    op.create_table(
        "job_entry",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.ForeignKeyConstraint(["crew_id", "job_id"], ["plan.crew_id", "plan.id"], name="job_entry_job"),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.PrimaryKeyConstraint("id", "crew_id"),
    )
    op.create_index("job_entry_of_job", "job_entry", ["crew_id", "job_id", "kind", "made_at"])
    op.execute(
        "create trigger job_entry_append_only before update or delete on job_entry "
        "for each row execute function refuse_change()"
    )
