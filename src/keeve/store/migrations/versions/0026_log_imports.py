"""a crew's own history in its log"""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward."""
    op.create_table(
        "log_import",
        sa.Column("crew_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("file", sa.String(120), nullable=False),
        sa.Column("table", sa.JSON(), nullable=False),
        sa.Column("meant", sa.JSON(), nullable=False),
        sa.Column("made_by", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("loads", sa.Integer(), nullable=True),
        sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("withdrawn_by", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(["crew_id"], ["crew.id"]),
        sa.ForeignKeyConstraint(["made_by"], ["account.id"]),
        sa.ForeignKeyConstraint(["withdrawn_by"], ["account.id"]),
        sa.PrimaryKeyConstraint("crew_id", "id"),
    )
    op.create_index("log_import_newest", "log_import", ["crew_id", "made_at"])
    op.alter_column("log_entry", "plan_id", nullable=True)
    op.alter_column("log_entry", "job_id", nullable=True)
    op.add_column("log_entry", sa.Column("import_id", sa.Uuid(), nullable=True))
    op.create_foreign_key(
        "log_entry_import", "log_entry", "log_import", ["crew_id", "import_id"], ["crew_id", "id"]
    )
    op.create_check_constraint(
        "log_entry_of_one",
        "log_entry",
        "(plan_id is null) = (job_id is null) and (plan_id is null) <> (import_id is null)",
    )
    op.create_index(
        "log_entry_of_import",
        "log_entry",
        ["crew_id", "import_id"],
        postgresql_where=sa.text("import_id is not null"),
    )
