"""The invented crews: the coping bed with two loads done, one half-way, one planned; other jobs to mix."""

from datetime import datetime, timedelta
from itertools import count
from uuid import UUID, uuid4

from sqlalchemy import Engine

from keeve.core.bench import Situation
from keeve.demo import jobs
from keeve.formats.job_file import read_job
from keeve.services import accounts, batches, crews, plans
from keeve.services.accounts import Visitor
from keeve.services.batches import RunningLoad

SIGN_IN_NAME = "wren"
PASSWORD = "boathouse-keel"


def load_demo(engine: Engine, now: datetime) -> None:
    """Make the two crews and their morning, unless they are there already."""
    if accounts.has_account(engine, SIGN_IN_NAME):
        return
    boathouse = accounts.add_crew(engine, "Boathouse crew")
    accounts.add_account(engine, boathouse, sign_in_name=SIGN_IN_NAME, name="Wren", password=PASSWORD)
    wren = _visitor(engine, SIGN_IN_NAME, now)
    _newcomer(engine, wren, "fen", "Fen", "mixer", now)
    _newcomer(engine, wren, "moss", "Moss", "reader", now)
    coping = plans.save_plan(engine, wren, read_job(jobs.COPING_BED))
    for job in (jobs.MOORING_BLOCKS, jobs.BOATHOUSE_SCREED, jobs.RAIL_POSTS):
        plans.save_plan(engine, wren, read_job(job))

    first = _Mixing(engine, wren, coping, 1, now - _ago(124))
    first.charge_and_mix()
    first.too_dry_then_add(1.6, 0.8)
    first.right_and_placed(after_min=38)
    second = _Mixing(engine, wren, coping, 2, now - _ago(70))
    second.charge_and_mix(start_l=10.4)
    second.too_dry_then_add(0.8)
    second.right_and_placed(after_min=34)
    third = _Mixing(engine, _visitor(engine, "fen", now), coping, 3, now - _ago(15))
    third.charge_and_mix(start_l=11.2)
    third.judge("too-dry")

    cottage = accounts.add_crew(engine, "Lock cottage crew")
    accounts.add_account(engine, cottage, sign_in_name="alder", name="Alder", password=PASSWORD)
    alder = _visitor(engine, "alder", now)
    crews.join(engine, wren, crews.invite(engine, alder, "reader", now), now)
    plans.save_plan(engine, alder, read_job(jobs.QUAY_PATCH))


def _newcomer(engine: Engine, lead: Visitor, sign_in_name: str, name: str, role: str, now: datetime) -> None:
    token = crews.invite(engine, lead, role, now)
    crews.join_as_new(engine, token, sign_in_name=sign_in_name, name=name, password=PASSWORD, now=now)


def _visitor(engine: Engine, sign_in_name: str, now: datetime) -> Visitor:
    """A person of the demo, signed in for as long as it takes to look them up."""
    token = accounts.sign_in(engine, sign_in_name=sign_in_name, password=PASSWORD, address="", now=now)
    found = accounts.visitor(engine, token, now)
    accounts.sign_out(engine, token, now)
    if found is None:
        raise RuntimeError(f"{sign_in_name} of the demo cannot sign in")
    return found


def _ago(minutes: float) -> timedelta:
    return timedelta(minutes=minutes)


class _Mixing:
    """One load worked through at a believable pace, by the same steps the bench takes."""

    def __init__(self, engine: Engine, visitor: Visitor, plan_id: UUID, number: int, at: datetime) -> None:
        load_id = batches.begin_load(engine, visitor, plan_id, number, at)
        found = batches.running_load(engine, visitor, load_id) if load_id else None
        if found is None:
            raise RuntimeError("the demo's load was not begun")
        self.engine, self.visitor, self.at = engine, visitor, at
        self.running: RunningLoad = found
        self._sequence = count(1)

    @property
    def now(self) -> Situation:
        return self.running.situation(self.at)

    def charge_and_mix(self, start_l: float | None = None) -> None:
        """Every step up to the first judgement; the water of the last load is the start of this one."""
        planned_l = self.running.load.water.start_l
        while self.now.act in ("charge", "water", "mix"):
            situation, step = self.now, self.now.step
            if step is None:
                raise RuntimeError("a charge without a step")
            if situation.act == "charge":
                self._do(
                    "charged", 1.2, step=step.plan.step, material=step.plan.material, mass_kg=step.mass_kg
                )
            elif situation.act == "water":
                share = (start_l or planned_l) / planned_l
                water_l = round((step.water_l or 0.0) * share, 1)
                self._do("water_added", 0.6, step=step.plan.step, water_l=water_l)
            else:
                self._do("mixed", step.plan.minutes[0] + 0.3, step=step.plan.step)

    def judge(self, reading: str) -> None:
        self._do("judged", 0.5, reading=reading)

    def too_dry_then_add(self, *steps_l: float) -> None:
        for water_l in steps_l:
            self.judge("too-dry")
            self._do("water_added", 0.4, water_l=water_l)
            self._do("mixed", 1.2)

    def right_and_placed(self, after_min: float) -> None:
        self.judge("right")
        self._do("placed", after_min, volume_l=self.now.remaining_l)

    def _do(self, kind: str, minutes: float, **what: object) -> None:
        self.at += _ago(minutes)
        event = {
            "kind": kind,
            "id": str(uuid4()),
            "device_id": "demo",
            "device_seq": next(self._sequence),
            "occurred_at": self.at.isoformat(),
            "schema": 1,
            **what,
        }
        found = batches.record_event(self.engine, self.visitor, self.running.id, event, self.at)
        if found is None:
            raise RuntimeError("the demo's load is gone")
        self.running = found
