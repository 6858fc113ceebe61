"""What is kept can never break a page: every saved job opens, changes, is made again and told of."""

from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, job
from sqlalchemy import Engine

from keeve.data import plans
from web.conftest import Client

BY_CONTENT = {"by": "content", "binder_kg_m3": 340, "w_cm": 0.5}
KEPT: list[dict[str, Any]] = [
    *({**a_job_of(mix, mixer), "need": {"volume_m3": 0.05}} for mix, mixer in EVERY_PROCEDURE[::3]),
    {**a_job_of("concrete-designed", "tilting-drum"), "design": BY_CONTENT},
    {**a_job_of("concrete-designed", "tilting-drum"), "design": {**BY_CONTENT, "slag_fraction": 0.3}},
    {
        "need": {"bags": 0.6},
        "gauge": "shovels",
        "vessels": [{"name": "shovel", "kind": "shovel", "volume_l": 4}],
    },
]


@pytest.mark.parametrize("changes", KEPT, ids=lambda changes: str(changes.get("mix", "of shovels")))
def test_a_saved_job_opens_changes_and_is_made_again(
    client: Client, engine: Engine, changes: dict[str, Any]
) -> None:
    plan_id = plans.save_plan(engine, client.visitor, job(**changes))
    for path in (
        f"/plan/{plan_id}/load/1",
        f"/plan/{plan_id}/print",
        f"/plan?again={plan_id}",
        f"/plan?change={plan_id}",
        f"/jobs/{plan_id}",
    ):
        assert client.get(path).status_code == 200, path
