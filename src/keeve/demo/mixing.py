"""Loads of the demo, worked through at a believable pace by the same steps the bench takes."""

from datetime import datetime, timedelta
from itertools import count
from uuid import UUID, uuid4

from sqlalchemy import Engine

from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.begin import Begun
from keeve.core.loads.fold import fold
from keeve.core.loads.next_step import Situation
from keeve.core.loads.recording import own_event, received
from keeve.core.loads.running_load import RunningLoad
from keeve.core.planning.plan import Plan
from keeve.data import loads
from keeve.data.accounts import Visitor


def ago(minutes: float) -> timedelta:
    """A span of so many minutes."""
    return timedelta(minutes=minutes)


# As near to what a load needs as an eye sees, L.
_NEAR_L = 0.25


class Mixing:
    """One load worked through at a believable pace, by the same steps the bench takes."""

    _now: tuple[tuple[datetime, int], Situation] | None = None

    def __init__(self, engine: Engine, visitor: Visitor, plan_id: UUID, number: int, at: datetime) -> None:
        load_id = loads.begin_load(engine, visitor, plan_id, number, at)
        found = loads.running_load(engine, visitor, load_id) if load_id else None
        if found is None:
            raise RuntimeError("the demo's load was not begun")
        self.engine, self.visitor, self.at = engine, visitor, at
        self.running: RunningLoad = found
        self._sequence = count(1)

    @property
    def now(self) -> Situation:
        """Its place in its procedure; worked out once a moment."""
        moment = self.at, len(self.running.events)
        if self._now is None or self._now[0] != moment:
            self._now = moment, self.running.situation(self.at)
        return self._now[1]

    def charge_and_mix(self, short_of_l: float = 0.0) -> None:
        """Every step up to the first judgement, with the water that is offered, or a little less."""
        share = 1 - short_of_l / self.now.load.water.start_l
        if self.now.act == "accept":
            self._do("accepted", 2.0)
        while self.now.act in ("charge", "water", "rest", "mix"):
            situation, step = self.now, self.now.step
            if step is None:
                raise RuntimeError("a charge without a step")
            if situation.act == "charge":
                self._do(
                    "charged", 1.2, step=step.plan.step, material=step.plan.material, mass_kg=step.mass_kg
                )
            elif situation.act == "water":
                water_l = round((step.water_l or 0.0) * share, 1)
                self._do("water_added", 0.6, step=step.plan.step, water_l=water_l)
            elif situation.act == "rest":
                self._do("rested", step.plan.minutes[0] + 0.1, step=step.plan.step)
            else:
                self._do("mixed", step.plan.minutes[0] + 0.3, step=step.plan.step)

    def judge(self, reading: str) -> None:
        self._do("judged", 0.5, reading=reading)

    def to_right(self, needs_l: float) -> None:
        """Water in the steps offered until it has about what it needs."""
        while self.now.held.added_l < needs_l - _NEAR_L:
            self.judge("too-dry")
            short_l = needs_l - self.now.held.added_l
            self._do("water_added", 0.4, water_l=round(min(self.now.water.next_step_l, short_l), 1))
            self._do("mixed", 1.2)
        self.judge("right")

    def miscounted(self, material: str, *, of: int, counted: int) -> None:
        """A vessel too few was noticed before it was judged, and made up for."""
        planned_kg = self.running.load.charge(material).mass_kg
        self._do("recounted", 0.5, charged_kg={material: planned_kg * counted / of})
        correction = self.now.correction
        if correction is None:
            raise RuntimeError("a wrong count that asks for nothing")
        self._do(
            "correcting", 0.3, cause=correction.cause, add_kg=correction.add_kg, water_l=correction.water_l
        )
        self._do("corrected", 1.0, add_kg=correction.add_kg)
        self._do("mixed", 1.5)

    def outlive(self, left_l: float) -> None:
        """Placed but for some of it, which stood until it was past its life."""
        self._do("placed", 24.0, volume_l=self.now.remaining_l - left_l)
        self._do("discarded", 100.0, reason="Working time over")
        self._do("cleaned", 2.0)

    def place(self, after_min: float) -> None:
        self._do("placed", after_min, volume_l=self.now.remaining_l)
        self._do("cleaned", 2.0)

    def test_fresh(self, **measured: float) -> None:
        """A test of the fresh mix."""
        self._do("fresh_tested", 1.0, **measured)

    def flood(self, times: int) -> None:
        """Water to the most it may have and past it, so that it flows; called right by somebody new."""
        while self.now.act != "ceiling":
            self.judge("too-dry")
            if self.now.act == "add_water":
                self._do("water_added", 0.4, water_l=round(self.now.water.next_step_l, 2))
                self._do("mixed", 1.2)
        for left in reversed(range(times)):
            past_l = round(self.now.window.ceiling_l * 0.045, 2)
            self._do("water_added", 0.4, water_l=past_l, past_ceiling="To flow under the bars")
            self._do("mixed", 1.0)
            self.judge("too-dry" if left else "right")

    def note(self, text: str) -> None:
        """A note."""
        self._do("note", 0.5, text=text)

    def came_out(self, result: str) -> None:
        """How it came out, told the same day."""
        self._do("came_out", 90.0, result=result)

    def make_cubes(self, mark: str, size_mm: float, ages: tuple[int, ...]) -> str:
        """Cubes of the load; the id of their set."""
        self._do("specimens_made", 2.0, shape="cube", size_mm=size_mm, due_days=list(ages), mark=mark)
        return str(self.running.events[-1].id)

    def break_cube(self, made: str, number: int, load_kn: float, at: datetime) -> None:
        """One of them tested."""
        self.at = at
        self._do("specimen_tested", 0.0, made=made, number=number, load_kn=load_kn)

    def pour(self, slower: float) -> None:
        """Poured as the gloss goes, which is so much later than the clock says."""
        clock = self.now.clock
        opens_at = clock.at(clock.window_min[0] * slower) if clock else None
        if opens_at is None:
            raise RuntimeError("a pour without a clock")
        self._do("seen", max((opens_at - self.at) / ago(1), 0.1), sight="gloss-going")
        self._do("placed", 1.0, volume_l=self.now.remaining_l)
        self._do("cleaned", 20.0)

    def strip(self, after_min: float) -> None:
        self._do("stripped", after_min)

    def weigh(self, at: datetime, wet_share: float) -> None:
        """Weighed with so much of its water still to lose."""
        drying = self.now.drying
        if drying is None:
            raise RuntimeError("nothing dries")
        kg = drying.dry_kg + (drying.wet_kg - drying.dry_kg) * wet_share
        self._do("weighed", (at - self.at) / ago(1), mass_kg=round(kg, 2))

    def _do(self, kind: str, minutes: float, **what: object) -> None:
        self.at += ago(minutes)
        event = {
            "kind": kind,
            "id": str(uuid4()),
            "device_id": "demo",
            "device_seq": next(self._sequence),
            "occurred_at": self.at.isoformat(),
            "schema": 1,
            **what,
        }
        self._tell(event)

    def _tell(self, event: dict[str, object]) -> None:
        found = loads.record_event(self.engine, self.visitor, self.running.id, event, self.at)
        if found is None:
            raise RuntimeError("the demo's load is gone")
        self.running = found


class Remembered(Mixing):
    """One load as it was mixed some time ago: put together here, kept with the others of its season at once."""

    def __init__(self, visitor: Visitor, plan_id: UUID, plan: Plan, number: int, at: datetime) -> None:
        load = plan.load(number)
        if load is None:
            raise RuntimeError("the season has more loads than its plan")
        self.visitor, self.at, self._sequence = visitor, at, count(1)
        begun = Begun(kind="begun", checks=[], **own_event(visitor.name, 0, at))
        self.running = RunningLoad(uuid4(), plan_id, plan, load, at, [begun], fold(load, [begun]))

    def _tell(self, event: dict[str, object]) -> None:
        self.running = self.running.with_event(parse_event(received(event, self.visitor.name, self.at)))
