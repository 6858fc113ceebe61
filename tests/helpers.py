"""What tests of several rooms share: the job of the issue, and a load driven by events."""

from copy import deepcopy
from datetime import UTC, datetime, timedelta
from itertools import count
from pathlib import Path
from typing import Any
from uuid import uuid4

from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.fold import fold
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation, situation
from keeve.core.loads.offers import check_allowed, offers
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.load_row import LoadRow, row_of
from keeve.core.mixes import get_mix, library
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Load, Plan
from keeve.formats.job_file import read_job

NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)

# The example of the job file format: 0.25 m3 and a tenth of waste in a 90 L drum.
RAW_JOB: dict[str, Any] = {
    "format": "keeve-job",
    "version": 1,
    "title": "Coping bed",
    "mix": "mortar-bricklaying",
    "need": {"volume_m3": 0.25},
    "waste_fraction": 0.10,
    "mixer": {"kind": "tilting-drum", "working_l": 90},
    "materials": {
        "sand": {"moisture_fraction": 0.04, "bulking_fraction": 0.2, "bulk_density_kg_m3": 1550},
        "cement": {"bag_kg": 25},
    },
    "vessels": [{"name": "bucket", "volume_l": 12, "tare_kg": 0.7}],
    "conditions": {"air_c": 18, "water_c": 12},
}


def raw_job(**changes: Any) -> dict[str, Any]:
    return {**deepcopy(RAW_JOB), **changes}


def job(**changes: Any) -> Job:
    return read_job(raw_job(**changes))


def plan(**changes: Any) -> Plan:
    return make_plan(job(**changes))


REFERENCE = Path(__file__).parent / "reference"

# Every mix of the library with each mixer it allows.
EVERY_PROCEDURE = sorted({(mix.id, item.mixer) for mix in library().values() for item in mix.procedures})


def a_job_of(mix: str, mixer: str) -> dict[str, Any]:
    """The changes that make the example a job of that mix in that mixer."""
    label = {"bag_kg": 25, "yield_l": 12, "water_start_l": 1.5, "water_min_l": 1.75, "water_max_l": 2.5}
    basis, first = get_mix(mix).basis, get_mix(mix).parts[0].name
    changes = {
        "mix": mix,
        "mixer": {"kind": mixer, "working_l": 40},
        "materials": {first: label} if basis == "bag" else {},
    }
    return changes | ({"design": {"strength_mpa": 25}} if basis == "design" else {})


def raw_event(kind: str, at: datetime = NOON, **what: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": str(uuid4()),
        "device_id": "phone",
        "device_seq": 1,
        "occurred_at": at.isoformat(),
        "schema": 1,
        **what,
    }


# Four litres of casting plaster at 21 °C: the changes that make the example a job of it.
CAST: dict[str, Any] = {
    "mix": "plaster-casting",
    "need": {"volume_m3": 0.004},
    "waste_fraction": 0,
    "mixer": {"kind": "bucket", "working_l": 5},
    "materials": {},
    "vessels": [],
    "conditions": {"water_c": 21.0},
}


class Run:
    """A load run through events as the bench would: each is refused or kept."""

    def __init__(self, plan: Plan, number: int = 1, at: datetime = NOON) -> None:
        found = plan.load(number)
        assert found is not None
        self.plan, self.load, self.at, self.begun_at = plan, found, at, at
        self.events: list[LoadEvent] = []
        self._sequence = count(1)

    load: Load

    @property
    def state(self) -> LoadState:
        return fold(self.load, self.events)

    @property
    def now(self) -> Situation:
        return situation(self.plan, self.load, self.state, self.at)

    def row(self, **changes: Any) -> LoadRow:
        """Its row in the log."""
        running = RunningLoad(uuid4(), uuid4(), self.plan, self.load, self.begun_at, self.events, self.state)
        return row_of(running).model_copy(update=changes)

    @property
    def offers(self) -> list[Offer]:
        return offers(self.plan, self.state, self.now)

    def do(self, kind: str, minutes: float = 1.0, **what: Any) -> LoadEvent:
        self.at += timedelta(minutes=minutes)
        return self.record({"kind": kind, **what})

    def record(self, what: dict[str, Any]) -> LoadEvent:
        """An event at this moment."""
        event = parse_event({**raw_event("", self.at, device_seq=next(self._sequence)), **what})
        state = self.state
        check_allowed(self.plan, state, situation(self.plan, self.load, state, self.at), event)
        self.events.append(event)
        return event

    def step(self) -> None:
        """The one act the bench asks for, as planned."""
        now, step = self.now, self.now.step
        assert step is not None
        number = step.plan.step
        if now.act == "charge":
            assert step.mass_kg is not None
            self.do("charged", step=number, material=step.plan.material, mass_kg=step.mass_kg)
        elif now.act == "water":
            self.do("water_added", step=number, water_l=step.water_l)
        elif now.act == "admix":
            self.do("admixed", step=number)
        elif now.act == "rest":
            self.do("rested", minutes=step.plan.minutes[0], step=number)
        else:
            self.do("mixed", minutes=step.plan.minutes[0], step=number)

    def to_judgement(self) -> "Run":
        """To the first judgement that is asked."""
        while self.now.act in ("charge", "water", "admix", "mix", "rest"):
            self.step()
        return self

    def judge(self, reading: str) -> None:
        """A reading of the step in hand."""
        self.do("judged", reading=reading, step=self.now.position)

    def to_right(self) -> "Run":
        """To where it may be placed, every judgement on the way read right."""
        while self.to_judgement().now.act == "judge":
            self.judge("right")
        return self


# Of the sand of the example, over its oven-dry mass.
MOISTURE = 0.04


def account_of_mortar(run: Run) -> tuple[float, float, float]:
    """Cement, dry sand and all free water of a mortar of cement and sand, kg: every event added up by hand."""
    cement = sand = water = 0.0
    for event in run.events:
        if event.kind == "charged":
            cement += event.mass_kg if event.material == "cement" else 0.0
            sand += event.mass_kg if event.material == "sand" else 0.0
        elif event.kind == "corrected":
            cement += event.add_kg.get("cement", 0.0)
            sand += event.add_kg.get("sand", 0.0)
        elif event.kind == "water_added":
            water += event.water_l
        elif event.kind == "water_lost":
            water -= event.water_l
    dry_sand = sand / (1 + MOISTURE)
    return cement, dry_sand, water + dry_sand * MOISTURE
