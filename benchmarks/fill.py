"""A crew with many loads in its log, written straight into the tables: what years of work leave behind."""

import json
from typing import Any
from uuid import UUID

from sqlalchemy import Engine, text

from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan, load_step
from keeve.demo.jobs import COPING_BED
from keeve.formats.job_file import read_job

_LOADS_OF_A_PLAN = 4

_PLANS = """
insert into plan (id, crew_id, title, job, result, rules_version, made_by, made_at)
select gen_random_uuid(), :crew, :title, cast(:job as json), cast(:result as json), :version, :account,
       now() - interval '3 days' - make_interval(mins => n)
from generate_series(1, :plans) as n
"""
_LOADS = """
insert into load (id, crew_id, plan_id, number, begun_at)
select gen_random_uuid(), :crew, plan.id, number, plan.made_at + make_interval(secs => 10 * number)
from plan, generate_series(1, :each) as number
where plan.crew_id = :crew and plan.title = :title
"""
# The same for every load: made a second apart.
_EVENTS = """
insert into event (id, crew_id, load_id, account_id, received_at, content)
select made.id, :crew, load.id, :account, load.begun_at,
       json_build_object('id', made.id, 'device_id', 'fill', 'device_seq', step.number,
                         'occurred_at', load.begun_at + make_interval(secs => step.number), 'schema', 2,
                         'recorded_by', 'Fill') :: jsonb || step.more
from load
cross join jsonb_array_elements(cast(:steps as jsonb)) with ordinality as step (more, number)
cross join lateral (select gen_random_uuid() as id, load.id as of_load, step.number as of_step) as made
where load.crew_id = :crew
"""


def _steps(plan: Plan) -> list[dict[str, Any]]:
    """What is told of a load that went as planned, all of it placed."""
    load = plan.loads[0]
    steps: list[dict[str, Any]] = []
    for step in plan.procedure:
        if step.kind == "charge":
            mass_kg = load_step(step, load).mass_kg
            steps.append(
                {"kind": "charged", "material": step.material, "mass_kg": mass_kg, "step": step.step}
            )
        elif step.kind == "mix":
            steps.append({"kind": "mixed", "step": step.step})
    steps.append({"kind": "water_added", "water_l": load.water.target_l})
    steps += [{"kind": "mixed"}, {"kind": "judged", "reading": "right"}]
    return [*steps, {"kind": "placed", "volume_l": load.yield_l}, {"kind": "cleaned"}]


def fill_log(engine: Engine, crew_id: UUID, account_id: UUID, loads: int) -> None:
    """Give a crew that many finished loads."""
    job = read_job(COPING_BED)
    plan: Plan = make_plan(job)
    values = {
        "crew": crew_id,
        "account": account_id,
        "title": f"Filled with {loads}",
        "job": json.dumps(job.model_dump(mode="json", exclude_none=True)),
        "result": json.dumps(plan.model_dump(mode="json")),
        "version": plan.rules_version,
        "plans": loads // _LOADS_OF_A_PLAN,
        "each": _LOADS_OF_A_PLAN,
        "steps": json.dumps(_steps(plan)),
    }
    with engine.begin() as connection:
        connection.execute(text("set local statement_timeout = 0"))
        for statement in (_PLANS, _LOADS, _EVENTS):
            used = {name: value for name, value in values.items() if f":{name}" in statement}
            connection.execute(text(statement), used)
        connection.execute(text("analyze"))
