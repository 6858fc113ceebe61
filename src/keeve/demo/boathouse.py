"""The invented crews: a wall bed mixed yesterday, the coping bed half done, other jobs to mix."""

import secrets
from collections.abc import Mapping
from datetime import datetime, timedelta
from pathlib import Path
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from sqlalchemy import Engine

from keeve.core.day_plan.day import DayJob, DayPlan
from keeve.data import accounts, days, demo_crews, job_summaries, photos, plans, stockpiles, yard
from keeve.data.accounts import Role, Visitor
from keeve.demo import jobs
from keeve.demo.mixing import Mixing, ago
from keeve.demo.rose import rose_stl
from keeve.demo.season import mix_season
from keeve.formats.job_file import read_job
from keeve.formats.mesh_figures import mesh_figures
from keeve.formats.photo import photo_of

SIGN_IN_NAME = "wren"
PASSWORD = "boathouse-keel"

_NAMES = (SIGN_IN_NAME, "fen", "moss", "alder")
# Where the canal is.
_ZONE = "Europe/London"


def load_demo(engine: Engine, now: datetime, password: str = PASSWORD) -> str:
    """Make the people, the two crews and their morning, unless they are there already; they sign in with a password.

    Returns:
        the name that the lead of the demo signs in with: another one where a real person has theirs.
    """
    with demo_crews.alone(engine):
        if demo_crews.crew_of(engine, _person(engine, SIGN_IN_NAME)) is None:
            _make(engine, now)
        demo_crews.set_passwords(engine, password, now)
    return demo_crews.sign_in_name(engine, SIGN_IN_NAME)


def close_demo(engine: Engine, now: datetime) -> None:
    """Let nobody sign in as one of the demo's people, where there are any."""
    demo_crews.set_passwords(engine, secrets.token_urlsafe(32), now)


def enter(engine: Engine, now: datetime) -> str:
    """The token of a session in the demo; where nobody has touched it, its morning is made as of now."""
    with demo_crews.alone(engine):
        wren = _person(engine, SIGN_IN_NAME)
        if demo_crews.is_stale(engine, wren, now):
            _make(engine, now)
    return demo_crews.session_of(engine, wren, now)


def _person(engine: Engine, name: str) -> UUID:
    """The account of one of the demo's people, made where there is none."""
    return demo_crews.person(engine, name, PASSWORD)


def begin_afresh(engine: Engine, now: datetime) -> None:
    """The demo's morning once more, in new crews; its people go over to them, signed in as they are.

    They are let in when all of it is there: nobody sees half of it.
    """
    with demo_crews.alone(engine):
        _make(engine, now)


def begin_afresh_once(engine: Engine, now: datetime) -> None:
    """The demo's morning once more, unless that was done just now."""
    with demo_crews.alone(engine):
        if not demo_crews.was_made_lately(engine, now):
            _make(engine, now)


def _make(engine: Engine, now: datetime) -> None:
    wren, fen, moss, alder = (_person(engine, name) for name in _NAMES)
    boathouse = accounts.add_crew(engine, "Boathouse crew", _ZONE, is_demo=True)
    cottage = accounts.add_crew(engine, "Lock cottage crew", _ZONE, is_demo=True)
    _morning(
        engine,
        _at_work(wren, "Wren", boathouse, "Boathouse crew"),
        _at_work(fen, "Fen", boathouse, "Boathouse crew"),
        now,
    )
    plans.save_plan(engine, _at_work(alder, "Alder", cottage, "Lock cottage crew"), read_job(jobs.QUAY_PATCH))
    members: dict[UUID, dict[UUID, Role]] = {
        boathouse: {wren: "lead", fen: "mixer", moss: "reader"},
        cottage: {alder: "lead", wren: "reader"},
    }
    demo_crews.let_in(engine, members, now)


def _at_work(account_id: UUID, name: str, crew_id: UUID, crew_name: str) -> Visitor:
    """A person of the demo at work in a crew before anybody is let in."""
    return Visitor(account_id, name, crew_id, crew_name, "metric", "", "lead", ZoneInfo(_ZONE))


def _morning(engine: Engine, wren: Visitor, fen: Visitor, now: datetime) -> None:
    """The boathouse crew's work up to now."""
    for thing in jobs.YARD:
        yard.keep_item(engine, wren, uuid4(), thing, now)
    mix_season(engine, wren, fen, now)
    coping = plans.save_plan(engine, wren, read_job(jobs.COPING_BED))
    to_mix = {job["title"]: plans.save_plan(engine, wren, read_job(job)) for job in jobs.TO_MIX}

    # Yesterday the stockpile dried from load to load; at dawn it rained on it, and this morning it dries again.
    yesterday = plans.save_plan(engine, wren, read_job(jobs.LOCK_WALL_BED))
    for number, needs_l in enumerate((11.6, 11.8, 12.1, 12.2, 12.5, 12.7), start=1):
        load = Mixing(engine, wren, yesterday, number, now - ago(26 * 60 - 46 * number))
        load.charge_and_mix(max(load.now.load.water.start_l - needs_l, 0.0))
        if number == 3:
            load.miscounted("sand", of=7, counted=6)
        load.to_right(needs_l)
        if number == 5:
            load.outlive(left_l=9.0)
        else:
            load.place(after_min=24)
    job_summaries.close_job(engine, wren, yesterday, {"cement": 6}, now - ago(20 * 60))
    _rain(engine, wren, jobs.BEDDING_SAND, now - ago(4 * 60))
    for number, needs_l in enumerate((10.8, 11.1), start=1):
        load = Mixing(engine, wren, coping, number, now - ago(180 - 56 * number))
        load.charge_and_mix(max(load.now.load.water.start_l - needs_l, 0.0))
        load.to_right(needs_l)
        _picture(engine, wren, load)
        load.place(after_min=34)
    third = Mixing(engine, fen, coping, 3, now - ago(15))
    third.charge_and_mix(short_of_l=0.9)
    third.judge("too-dry")
    _casts(engine, wren, now)
    _today(engine, wren, coping, now)
    _days(engine, wren, to_mix, now)


def _picture(engine: Engine, visitor: Visitor, load: Mixing) -> None:
    """Its look as it was judged right: a drawing that says so, where a crew would have a photo."""
    drawn = photo_of((Path(__file__).parent / "right_look.jpg").read_bytes())
    photos.keep(engine, visitor, load.running.id, load.running.events[-1].id, drawn, load.at)


def _today(engine: Engine, visitor: Visitor, coping: UUID, now: datetime) -> None:
    """Today as it was planned: the coping bed, which is half done."""
    begun = (now - ago(124)).astimezone(visitor.zone)
    job = DayJob(
        plan_id=str(coping),
        first_load=1,
        loads=4,
        begins_min=60 * begun.hour + begun.minute,
        mixers=[1],
        placing_m3_h=0.12,
        held_back=True,
    )
    days.save_day(engine, visitor, begun.date(), DayPlan(jobs=[job], hands=2), now)


def _days(engine: Engine, visitor: Visitor, to_mix: Mapping[str, UUID], now: datetime) -> None:
    """Tomorrow as the crew planned it; the day after as somebody hoped, which does not hold."""
    today = now.astimezone(visitor.zone).date()
    for ahead, hoped in ((1, False), (2, True)):
        planned = [
            DayJob(
                plan_id=str(to_mix[title]),
                first_load=1,
                loads=loads_today,
                begins_min=begins_min,
                mixers=[1, 2] if hoped and title == jobs.BOATHOUSE_SCREED["title"] else [mixer],
                placing_m3_h=placing_m3_h,
                held_back=not hoped,
                indoors=indoors,
            )
            for title, loads_today, begins_min, mixer, placing_m3_h, indoors in (
                (jobs.BOATHOUSE_SCREED["title"], 9, 450, 1, 0.12 if hoped else 0.4, True),
                (jobs.MOORING_BLOCKS["title"], 4, 540, 2, 0.3, False),
                (jobs.LOCK_SIDE_POINTING["title"], 2, 780, 2, 0.02 if hoped else 0.06, False),
            )
        ]
        days.save_day(engine, visitor, today + timedelta(days=ahead), DayPlan(jobs=planned, hands=4), now)


def _casts(engine: Engine, visitor: Visitor, now: datetime) -> None:
    """The rose's mould: one piece dries since last week; a copy of it thickened in its bucket this morning."""
    mesh = mesh_figures(rose_stl(), "stl", "mm")["figures"]
    mould = plans.save_plan(engine, visitor, read_job(jobs.ceiling_rose_mould(mesh)))
    first = Mixing(engine, visitor, mould, 1, now - timedelta(days=6, hours=3))
    first.charge_and_mix()
    first.pour(slower=1.12)
    first.strip(after_min=40)
    for day, share in enumerate((0.98, 0.74, 0.55, 0.42, 0.31)):
        first.weigh(first.at + timedelta(days=1 if day else 0.1), share)
    copies = plans.save_plan(engine, visitor, read_job(jobs.ROSE_COPIES))
    late = Mixing(engine, visitor, copies, 1, now - ago(44))
    late.charge_and_mix()


def _rain(engine: Engine, visitor: Visitor, stockpile: str, at: datetime) -> None:
    event = {"kind": "rain", "id": str(uuid4()), "device_id": "demo", "device_seq": 0, "schema": 1}
    stockpiles.record_stockpile_event(
        engine, visitor, stockpile, {**event, "occurred_at": at.isoformat()}, at
    )
