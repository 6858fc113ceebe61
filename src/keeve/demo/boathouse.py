"""The coping bed of the boathouse: two loads done, one half-way, one planned. All of it is invented."""

from datetime import datetime, timedelta
from itertools import count
from uuid import uuid4

from sqlalchemy import Engine

from keeve.core.bench import Situation
from keeve.formats.job_file import read_job
from keeve.services import accounts, batches, plans
from keeve.services.accounts import Visitor
from keeve.services.batches import RunningLoad

SIGN_IN_NAME = "wren"
PASSWORD = "boathouse-keel"

_COPING_BED = {
    "format": "keeve-job",
    "version": 1,
    "title": "Coping bed",
    "mix": "mortar-bricklaying",
    "need": [{"shape": "slab-volume", "length_m": 12.5, "width_m": 0.5, "thickness_m": 0.04}],
    "waste_fraction": 0.10,
    "mixer": {"kind": "tilting-drum", "working_l": 90},
    "materials": {"sand": {"moisture_fraction": 0.04, "bulking_fraction": 0.2}, "cement": {"bag_kg": 25}},
    "vessels": [{"name": "bucket", "volume_l": 12, "tare_kg": 0.7}],
    "admixtures": [
        {"name": "plasticiser", "dose": 150, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2}
    ],
    "conditions": {"air_c": 18, "water_c": 12},
}  # fmt: skip


def load_demo(engine: Engine, now: datetime) -> None:
    """Make the crew and its morning, unless it is there already."""
    if accounts.has_account(engine, SIGN_IN_NAME):
        return
    crew_id = accounts.add_crew(engine, "Boathouse crew")
    accounts.add_account(engine, crew_id, sign_in_name=SIGN_IN_NAME, name="Wren", password=PASSWORD)
    token = accounts.sign_in(engine, sign_in_name=SIGN_IN_NAME, password=PASSWORD, address="", now=now)
    wren = accounts.visitor(engine, token, now)
    if wren is None:
        raise RuntimeError("the demo crew cannot sign in")
    plan_id = plans.save_plan(engine, wren, read_job(_COPING_BED))
    accounts.sign_out(engine, token, now)

    first = _Mixing(
        engine, wren, batches.begin_load(engine, wren, plan_id, 1, now - _ago(124)), now - _ago(124)
    )
    first.charge_and_mix()
    first.too_dry_then_add(1.6, 0.8)
    first.right_and_placed(after_min=38)
    second = _Mixing(
        engine, wren, batches.begin_load(engine, wren, plan_id, 2, now - _ago(70)), now - _ago(70)
    )
    second.charge_and_mix(start_l=10.4)
    second.too_dry_then_add(0.8)
    second.right_and_placed(after_min=34)
    third = _Mixing(
        engine, wren, batches.begin_load(engine, wren, plan_id, 3, now - _ago(15)), now - _ago(15)
    )
    third.charge_and_mix(start_l=11.2)
    third.judge("too-dry")


def _ago(minutes: float) -> timedelta:
    return timedelta(minutes=minutes)


class _Mixing:
    """One load worked through at a believable pace, by the same steps the bench takes."""

    def __init__(self, engine: Engine, visitor: Visitor, load_id: object, at: datetime) -> None:
        found = batches.running_load(engine, visitor, load_id) if load_id else None  # type: ignore[arg-type]
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
