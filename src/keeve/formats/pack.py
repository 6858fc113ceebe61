"""The pack of a device: what it needs of a crew to go on without signal, as JSON. See docs/pack.md."""

from base64 import b64decode, b64encode
from collections.abc import Mapping
from datetime import datetime
from hashlib import sha256
from importlib.resources import files
from io import BytesIO
from typing import Annotated, Any, Literal, NamedTuple
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict, Field

from keeve.core.curing.pours import PourLine
from keeve.core.day_plan.day import Start
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.log.specimens import DueSpecimens
from keeve.core.mixes.model import Mix
from keeve.core.planning.job_versions import JobLine
from keeve.core.planning.plan import Plan
from keeve.core.planning.yard import YardItem
from keeve.core.units import System


class _Packed(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Person(_Packed):
    """The person who holds the device, as pages ask."""

    name: str
    crew_name: str
    may_mix: bool
    may_lead: bool
    in_demo: bool


class PackedLoad(_Packed):
    """A load that was begun, with its events as they are kept."""

    id: UUID
    number: int
    begun_at: datetime
    events: list[dict[str, Any]]


class PackedPlan(_Packed):
    """A plan with its loads.

    Args:
        id: its id.
        job_id: its job's.
        plan: the plan, under its job's name.
        loads: those that were begun, the newest attempt of each.
        expected: the water that the others are expected to need, by number.
        setting: what past loads of its plaster say.
    """

    id: UUID
    job_id: UUID
    plan: Plan
    loads: list[PackedLoad]
    expected: dict[int, ExpectedWater]
    setting: SettingHistory | None


class Pack(_Packed):
    """The work of a crew as a device is given it.

    Args:
        pack: the version of this format.
        made_at: when it was made.
        holder: whose it is, by the name the browser has for them.
        person: who that is; None for whoever is not signed in, who is given no plans.
        open_to_all: whether somebody who is not signed in may make an account.
        units: theirs.
        zone: the crew's time zone.
        zone_file: its rules, as the time zone database has them, base64.
        flow_l_min: flow of the hose as last measured that day, L/min.
        plans: those with loads left or under way.
        active: the newest jobs.
        pours: what is followed of pours.
        specimens: those that are due.
        starts: the jobs planned for today.
        mixes: the crew's own.
        owned: what the crew owns.
        favourites: the ids of the mixes that are wanted on top.
        used_last: those of the mixes that were planned with last.
        measured: what was last measured or reported of each stockpile, by its material.
    """

    pack: Literal[1]
    made_at: datetime
    holder: str
    person: Person | None
    open_to_all: bool = False
    units: System
    zone: str
    zone_file: str
    flow_l_min: float | None = None
    plans: list[PackedPlan] = []
    active: list[JobLine] = []
    pours: list[PourLine] = []
    specimens: list[DueSpecimens] = []
    starts: list[Start] = []
    mixes: list[Mix] = []
    owned: list[Annotated[YardItem, Field(discriminator="kind")]] = []
    favourites: list[str] = []
    used_last: list[str] = []
    measured: dict[str, dict[str, float]] = {}

    @property
    def clock(self) -> ZoneInfo:
        """The zone that times are shown in: a device knows no other."""
        return ZoneInfo.from_file(BytesIO(b64decode(self.zone_file)), self.zone)


def zone_file(zone: str) -> str:
    """The rules of a time zone as a pack has them."""
    return b64encode(files("tzdata").joinpath("zoneinfo", *zone.split("/")).read_bytes()).decode()


def checksum(plan: Plan) -> str:
    """A text that two plans share only if every figure of them is the same."""
    return sha256(plan.model_dump_json().encode()).hexdigest()


class ToldHere(NamedTuple):
    """A step that was told on a device, which its pack may not know yet.

    Args:
        load_id: the load, or the plan.
        to: ``events``, ``begin``, ``plan`` or ``stockpile``.
        event: what was told, as it is sent.
    """

    load_id: UUID
    to: str
    event: Mapping[str, Any]
