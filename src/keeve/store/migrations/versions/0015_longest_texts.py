"""how long a text may be"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_LONGEST = {
    "crew": {"name": 120},
    "account": {"sign_in_name": 120, "name": 120, "password_hash": 200, "units": 20},
    "membership": {"role": 20},
    "invitation": {"role": 20},
    "sign_in": {"form_token": 80},
    "sign_in_failure": {"sign_in_name": 120, "address": 80},
    "plan": {"title": 120, "rules_version": 20},
    "job_entry": {"kind": 20, "text": 2000},
    "mix_version": {"mix_id": 80},
    "share_link": {"token": 80},
    "favourite_mix": {"mix_id": 80},
    "job_summary": {"mix_id": 80, "title": 120},
    "stockpile_event": {"stockpile": 80},
}


def upgrade() -> None:
    """Forward. What was kept longer is cut."""
    for table, columns in _LONGEST.items():
        for column, longest in columns.items():
            op.alter_column(
                table,
                column,
                type_=sa.String(longest),
                postgresql_using=f"left({column}, {longest})",
            )
