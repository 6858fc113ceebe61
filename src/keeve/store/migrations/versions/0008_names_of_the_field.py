"""the names of the field: stockpiles for heaps, job summaries for reckonings"""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward. What is stored in the rows stays as it was written: the models read its older names too."""
    op.rename_table("heap_event", "stockpile_event")
    op.alter_column("stockpile_event", "heap", new_column_name="stockpile")
    op.execute("alter index heap_event_lately rename to stockpile_event_lately")
    op.execute(
        "alter trigger heap_event_append_only on stockpile_event rename to stockpile_event_append_only"
    )
    op.rename_table("reckoning", "job_summary")
    op.execute("alter index reckoning_newest rename to job_summary_newest")
    op.execute("alter table job_summary rename constraint reckoning_plan to job_summary_plan")
