"""A crew with many loads in its log, written straight into the tables: what years of work leave behind."""

import json
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import Engine, text

from keeve.core.loads.actions import parse_event
from keeve.core.loads.fold import fold
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.load_row import row_of
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan, load_step
from keeve.data.log_entries import stored
from keeve.demo.jobs import COPING_BED
from keeve.formats.job_file import read_job

_LOADS_OF_A_PLAN = 4
# As a log of a million loads has them: they are listed there, and their events are not read.
_LISTED_OF_A_PLAN = 1000

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
# One load in fifty was thrown away, one in ten is of another mix, an old hand had to do with the oldest in twenty.
_ENTRIES = """
with load as (select *, row_number() over (order by begun_at desc) as nth from load where crew_id = :crew),
said as (
  select leaked, rained, words,
         array_to_tsvector(array(select left(cast(:crew as text), 8) || lower(word)
                                 from unnest(string_to_array(cast(:title as text) || ' ' || words, ' ')) as word
                                 group by 1)) as search
  from (select leaked, rained, 'Bricklaying mortar Fill' || case when leaked then ' the sluice leaked' else '' end
                                                         || case when rained then ' rained' else '' end as words
        from (values (false, false), (false, true), (true, false), (true, true)) as kinds (leaked, rained)) as one
)
insert into log_entry (crew_id, id, plan_id, job_id, mix_id, title, begun_at, state, is_open, words, content, search)
select :crew, id, plan_id, plan_id, case when nth % 10 = 3 then 'mortar-general' else 'mortar-bricklaying' end,
       cast(:title as text), begun_at, case when nth % 50 = 7 then 'thrown-away' else 'done' end, false, words,
       cast(format('{"number": %s, "begun_at": "%s", ', number, to_char(begun_at, 'YYYY-MM-DD"T"HH24:MI:SSOF:00'))
            || substr(:entry, 2) as json), search
from load join said on leaked = (nth % 1000 = 11) and rained = (nth % 3 = 1)
"""
_PEOPLE = """
insert into log_person (crew_id, person, begun_at, id)
select crew_id, unnest(case when nth > 0.95 * count then array['fill', 'old hand'] else array['fill'] end), begun_at, id
from (select *, row_number() over (order by begun_at desc) as nth, count(*) over () as count
      from load where crew_id = :crew) as load
"""

# Those of the log that no key needs.
_INDEXES = """
select indexname, indexdef from pg_indexes
where tablename in ('log_entry', 'log_person') and indexname not like '%_pkey'
"""


def _steps(plan: Plan) -> list[dict[str, Any]]:
    """The events of a load that went as planned, all of it placed."""
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


def _entry(plan: Plan) -> dict[str, Any]:
    """The row of such a load."""
    begun_at = datetime(2026, 1, 5, 9, tzinfo=UTC)
    events = [
        parse_event(
            {
                "id": str(uuid4()),
                "device_id": "fill",
                "device_seq": number,
                "occurred_at": begun_at + timedelta(seconds=number),
                "schema": 1,
                "recorded_by": "Fill",
                **step,
            }
        )
        for number, step in enumerate(_steps(plan))
    ]
    load = plan.loads[0]
    running = RunningLoad(uuid4(), uuid4(), plan, load, begun_at, events, fold(load, events))
    return stored(row_of(running))


def fill_log(
    engine: Engine, crew_id: UUID, account_id: UUID, loads: int, *, only_listed: bool = False
) -> None:
    """Give a crew that many finished loads; ``only_listed``: without their events.

    The engine is that of the owner of the cluster: what was worked out here is not checked row by row, and the indexes
    of the log are made once at the end. A million loads so take a minute instead of five.
    """
    each = _LISTED_OF_A_PLAN if only_listed else _LOADS_OF_A_PLAN
    job = read_job(COPING_BED)
    plan: Plan = make_plan(job)
    values = {
        "crew": crew_id,
        "account": account_id,
        "title": f"Filled with {loads}",
        "job": json.dumps(job.model_dump(mode="json", exclude_none=True)),
        "result": json.dumps(plan.model_dump(mode="json")),
        "version": plan.rules_version,
        "plans": loads // each,
        "each": each,
        "steps": json.dumps(_steps(plan)),
        "entry": json.dumps({k: v for k, v in _entry(plan).items() if k not in ("number", "begun_at")}),
    }
    with engine.begin() as connection:
        connection.execute(text("set local statement_timeout = 0"))
        connection.execute(text("select set_config('keeve.crew', :crew, true)"), {"crew": str(crew_id)})
        connection.execute(text("set local session_replication_role = replica"))
        indexes = connection.execute(text(_INDEXES)).all()
        for name, _ in indexes:
            connection.execute(text(f"drop index {name}"))
        told = () if only_listed else (_EVENTS,)
        for statement in (_PLANS, _LOADS, *told, _ENTRIES, _PEOPLE):
            used = {name: value for name, value in values.items() if f":{name}" in statement}
            connection.execute(text(statement), used)
        for _, made in indexes:
            connection.exec_driver_sql(made)
        connection.execute(text("analyze"))
    with engine.execution_options(isolation_level="AUTOCOMMIT").connect() as connection:
        connection.execute(text("set statement_timeout = 0"))
        connection.execute(text("vacuum log_entry, log_person"))
