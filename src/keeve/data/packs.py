"""The pack of a device: what a crew's work looks like now, for going on without signal."""

from collections.abc import Iterable
from datetime import datetime
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.loads.event import event_json
from keeve.core.loads.running_load import RunningLoad
from keeve.core.planning.plan import Plan
from keeve.data import days, jobs, loads, mixes, pours, specimens, stockpiles, yard
from keeve.data.accounts import Visitor
from keeve.data.plans import jobs_of_plans, plans_by_id
from keeve.devices.weather import Weather
from keeve.formats.pack import Pack, PackedLoad, PackedPlan, Person, zone_file
from keeve.store.database import crew_reading

# The plans of so many of the newest jobs go with it, those with loads left first.
_MOST_PLANS = 12
_LOOKED_AT = 24


def pack_of(engine: Engine, visitor: Visitor, holder: str, now: datetime, weather: Weather) -> Pack:
    """The pack of a person at work in a crew, as of now.

    Args:
        engine: the database.
        visitor: who that is.
        holder: the name their browser has for them.
        now: the moment.
        weather: who knows it.
    """
    # In one reading: all of it is of one moment.
    with crew_reading(engine, visitor.crew_id) as session:
        active = jobs.newest_jobs(session, "active", _LOOKED_AT)
        open_now = loads.open_loads(session, now)
        starts = days.starts_of(session, visitor, now.astimezone(visitor.zone).date())
        wanted = dict.fromkeys(
            [
                *(item.running.plan_id for item in (*open_now.in_work, *open_now.casts)),
                *(start.plan_id for start in starts),
                *[line.plan_id for line in active[:_MOST_PLANS]],
            ]
        )
        plans, jobs_by_plan = plans_by_id(session, wanted.keys()), jobs_of_plans(session, wanted.keys())
        followed = pours.pours_of(session, visitor, weather, now)
        due = specimens.due_specimens(session, now)
        flow = loads.flow_measured(session, now)
        liked = mixes.preferred(engine, visitor)
        return Pack(
            pack=1,
            made_at=now,
            holder=holder,
            person=Person(
                name=visitor.name,
                crew_name=visitor.crew_name,
                may_mix=visitor.may_mix,
                may_lead=visitor.may_lead,
                in_demo=visitor.in_demo,
            ),
            units=visitor.units,
            zone=visitor.zone.key,
            zone_file=zone_file(visitor.zone.key),
            flow_l_min=flow,
            plans=[
                _packed(engine, visitor, plan_id, jobs_by_plan[plan_id], plans[plan_id], now, weather)
                for plan_id in wanted
                if plan_id in plans and plan_id in jobs_by_plan
            ],
            active=active,
            pours=followed,
            specimens=due,
            starts=starts,
            mixes=list(mixes.own_mixes(engine, visitor).values()),
            owned=[kept.item for kept in yard.yard_of(engine, visitor)],
            favourites=list(liked.favourites),
            used_last=list(liked.used_last),
            measured=stockpiles.last_measured_of(engine, visitor, now),
        )


def _packed(
    engine: Engine,
    visitor: Visitor,
    plan_id: UUID,
    job_id: UUID,
    plan: Plan,
    now: datetime,
    weather: Weather,
) -> PackedPlan:
    begun = loads.loads_of_plan(engine, visitor, plan_id)
    waiting = [load for load in plan.loads if load.number not in begun]
    return PackedPlan(
        id=plan_id,
        job_id=job_id,
        plan=plan,
        loads=_begun(begun.values()),
        expected=stockpiles.expected_of_loads(engine, visitor, plan_id, plan, waiting, begun, now, weather),
        setting=loads.setting_of(engine, visitor, plan),
    )


def _begun(running: Iterable[RunningLoad]) -> list[PackedLoad]:
    return [
        PackedLoad(
            id=item.id,
            number=item.load.number,
            begun_at=item.begun_at,
            events=[event_json(event) for event in item.events],
        )
        for item in running
    ]
