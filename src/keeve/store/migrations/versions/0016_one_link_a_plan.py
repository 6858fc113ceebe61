"""a plan has one open link"""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forward. Of several open links of a plan the oldest stays open."""
    op.execute(
        "update share_link set withdrawn_at = now() where withdrawn_at is null and token not in ("
        "select distinct on (crew_id, plan_id) token from share_link "
        "where withdrawn_at is null order by crew_id, plan_id, made_at, token)"
    )
    op.drop_index("share_link_of_plan", "share_link")
    op.create_index(
        "share_link_of_plan",
        "share_link",
        ["crew_id", "plan_id"],
        unique=True,
        postgresql_where="withdrawn_at is null",
    )
