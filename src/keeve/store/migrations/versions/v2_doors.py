"""Version 2: the demo is told by kind and apart from everybody else; a second step that ends; waits of guessers."""

import sqlalchemy as sa
from alembic import op

revision = "v2"
down_revision = "v1"
branch_labels = None
depends_on = None

# The demo's people of version 1, who could be told by nothing but their names and their crews.
_NAMES = "('wren', 'fen', 'moss', 'alder')"
_OF_THE_DEMO = "select crew_id from demo_crew"


def upgrade() -> None:
    """Forward."""
    op.add_column("account", sa.Column("second_ends_at", sa.DateTime(timezone=True), nullable=True))
    op.create_table(
        "sign_in_wait",
        sa.Column("sign_in_name", sa.String(length=120), nullable=False),
        sa.Column("address", sa.String(length=80), nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("sign_in_name", "address"),
    )
    op.add_column("account", sa.Column("demo_name", sa.String(length=20), nullable=True))
    for table in ("crew", "membership"):
        op.add_column(table, sa.Column("is_demo", sa.Boolean(), server_default=sa.false(), nullable=False))
    # Whoever is in another crew too is a real person, and so is whoever was invited: they leave the demo.
    op.execute(
        f"update account set demo_name = sign_in_name where sign_in_name in {_NAMES} and exists "
        f"(select from membership where account_id = account.id and crew_id in ({_OF_THE_DEMO})) and not exists "
        f"(select from membership where account_id = account.id and crew_id not in ({_OF_THE_DEMO}))"
    )
    real = "select id from account where demo_name is null"
    for table in ("calendar_feed", "sign_in", "membership"):
        op.execute(f"delete from {table} where crew_id in ({_OF_THE_DEMO}) and account_id in ({real})")
    op.execute(f"delete from invitation where crew_id in ({_OF_THE_DEMO})")
    op.add_column(
        "account", sa.Column("is_demo", sa.Boolean(), sa.Computed("demo_name is not null", persisted=True))
    )
    op.execute(f"update crew set is_demo = true where id in ({_OF_THE_DEMO})")
    op.execute("update membership set is_demo = true where crew_id in (select id from crew where is_demo)")
    op.create_unique_constraint("account_demo_name", "account", ["demo_name"])
    for table in ("account", "crew"):
        op.create_unique_constraint(f"{table}_kind", table, ["id", "is_demo"])
        op.create_foreign_key(
            f"membership_{table}_kind", "membership", table, [f"{table}_id", "is_demo"], ["id", "is_demo"]
        )
