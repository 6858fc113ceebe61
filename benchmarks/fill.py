"""A crew with many loads in its log, written straight into the tables: what years of work leave behind."""

import json
from uuid import UUID

from sqlalchemy import Engine, text

from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan
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
# Water, judged, placed: enough to fold, the same for every load.
_EVENTS = """
insert into event (id, crew_id, load_id, account_id, received_at, content)
select made.id, :crew, load.id, :account, load.begun_at,
       json_build_object('kind', step.kind, 'id', made.id, 'device_id', 'fill', 'device_seq', step.seq,
                         'occurred_at', load.begun_at + make_interval(secs => step.seq), 'schema', 1,
                         'recorded_by', 'Fill') :: jsonb || cast(step.more as jsonb)
from load
cross join (values ('water_added', 1, '{"water_l": 11.5}'), ('mixed', 2, '{}'), ('judged', 3, '{"reading": "right"}'),
                   ('placed', 4, '{"volume_l": 68.75}')) as step (kind, seq, more)
cross join lateral (select gen_random_uuid() as id, load.id as of_load, step.seq as of_step) as made
where load.crew_id = :crew
"""


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
    }
    with engine.begin() as connection:
        for statement in (_PLANS, _LOADS, _EVENTS):
            used = {name: value for name, value in values.items() if f":{name}" in statement}
            connection.execute(text(statement), used)
        connection.execute(text("analyze"))
