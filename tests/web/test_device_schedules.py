"""Two or three devices on one job, cut off, killed and told late in any order: nothing lost or doubled, one state.

The devices' own code, against the server. ``KEEVE_SCHEDULES=1000`` tries that many.
"""

import os
from datetime import datetime, timedelta
from random import Random
from typing import Any
from uuid import UUID, uuid4

import pytest
from helpers import job, raw_event
from sqlalchemy import Engine, select

from keeve.core.errors import InputError
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.offers import open_offers
from keeve.data import loads, plans
from keeve.formats.pack import Pack, ToldHere
from keeve.on_device.device import Device
from keeve.store import models
from keeve.store.database import crew_session
from web.conftest import Client, Clock
from web.test_device import without_tokens

SCHEDULES = int(os.environ.get("KEEVE_SCHEDULES", "6"))


class Phone:
    """A phone as its scripts have it: a pack and what was told, kept; what is drawn from them; a clock of its own."""

    def __init__(self, client: Client, name: str, skew: timedelta) -> None:
        self.client, self.name, self.skew = client, name, skew
        self.queue: list[ToldHere] = []
        self.sent: list[ToldHere] = []
        self.aside: list[ToldHere] = []
        self.count = 0
        self.is_cut = False
        self.fetch_pack()

    @property
    def now(self) -> datetime:
        return self.client.clock.now + self.skew

    def fetch_pack(self) -> None:
        # What the server took before it made the pack is in it.
        self.pack, self.sent = self.client.get("/pack.json").text, []
        self.start()

    def start(self) -> None:
        """As after a reload, or once a killed tab is opened again."""
        self.device = Device(Pack.model_validate_json(self.pack), [*self.sent, *self.queue], self.now)

    def begin(self, plan_id: UUID, number: int) -> UUID | None:
        load_id = uuid4()
        found = self.device.begin(plan_id, number, load_id, self.now)
        if found == load_id:
            event = {
                "id": str(uuid4()), "plan_id": str(plan_id), "number": number, "occurred_at": self.now.isoformat(),
            }  # fmt: skip
            self.queue.append(ToldHere(load_id, "begin", event))
        return found

    def tap(self, load_id: UUID, chance: Random) -> None:
        """Something that this phone offers now, as it is offered."""
        running = self.device.loads[load_id]
        now = running.situation(self.now)
        offers = [
            one
            for one in open_offers(running.plan, running.state, now)
            if one.action not in ("amend", "undo")
        ]
        if not offers:
            return
        asked = [one for one in offers if one.target.split(" ")[0] == str(now.position)] or offers
        offer = chance.choice(asked if chance.random() < 0.8 else offers)
        self.count += 1
        event = raw_event("", self.now, device_id=self.name, device_seq=self.count) | offer.filled
        event |= dict.fromkeys(offer.words, "A trial")
        try:
            self.device.record(load_id, event, self.now)
        except InputError:
            return  # it is refused where it is tapped, and never told
        self.queue.append(ToldHere(load_id, "events", event))

    def send(self, *, late: bool = False) -> None:
        """What waits, in order; an answer may be lost on its way back, and the step is told again."""
        while self.queue and not self.is_cut:
            one = self.queue[0]
            address = f"/bench/{one.load_id}/{one.to}" + ("?late=true" if late else "")
            answer = self.client.post(address, json=dict(one.event))
            assert answer.status_code in (200, 422), answer.text
            self.queue.pop(0)
            if answer.status_code == 422:
                self.aside.append(one)
                continue
            self.sent.append(one)
            if one.to == "begin" and (known := UUID(answer.json()["load"])) != one.load_id:
                moved = [
                    item._replace(load_id=known) if item.load_id == one.load_id else item
                    for item in self.queue
                ]
                self.queue = moved
                self.fetch_pack()

    @property
    def told(self) -> list[Any]:
        return [one.event["id"] for one in (*self.queue, *self.sent, *self.aside) if one.to == "events"]


@pytest.mark.parametrize("seed", range(SCHEDULES))
def test_any_schedule_comes_to_one_state(engine: Engine, seed: int) -> None:
    chance, clock = Random(seed), Clock()
    client = Client(engine, clock)
    plan_id = plans.save_plan(engine, client.visitor, job())
    phones = [
        Phone(client, f"phone {number}", timedelta(seconds=chance.uniform(-100, 100)))
        for number in range(chance.choice((2, 3)))
    ]
    made: set[str] = set()
    for _ in range(chance.randint(15, 40)):
        clock.turn(chance.choice((0.1, 0.5, 2, 5)))
        phone = chance.choice(phones)
        match chance.choice(("tap", "tap", "tap", "cut", "back", "killed", "lost answer")):
            case "tap":
                number = chance.choice((1, 1, 2))
                load_id = phone.begin(plan_id, number)
                assert load_id is not None
                phone.tap(load_id, chance)
                made |= set(phone.told)
                phone.send()
            case "cut":
                phone.is_cut = True
            case "back":
                phone.is_cut = False
                phone.send(late=True)
                phone.fetch_pack()
            case "killed":
                phone.start()
            case "lost answer" if phone.queue and not phone.is_cut:
                one = phone.queue[0]
                client.post(f"/bench/{one.load_id}/{one.to}", json=dict(one.event))
    for phone in phones:
        phone.is_cut = False
        phone.send(late=True)
        made |= set(phone.told)
    aside = {one.event["id"] for phone in phones for one in phone.aside}
    kept = [str(event.id) for event in every_event(engine, client, plan_id)]
    assert len(kept) == len(set(kept))
    assert set(kept) | aside == made
    assert not set(kept) & aside
    for phone in phones:
        phone.fetch_pack()
    drawn = [
        {
            load_id: without_tokens(phone.device.part(f"/bench/{load_id}/act", clock.now) or "")
            for load_id in phone.device.loads
        }
        for phone in phones
    ]
    assert all(one == drawn[0] for one in drawn)
    for load_id, act in drawn[0].items():
        assert act == without_tokens(client.get(f"/bench/{load_id}/act").text)


def every_event(engine: Engine, client: Client, plan_id: UUID) -> list[LoadEvent]:
    """What was told of every load of a plan, also of one that was taken back."""
    with crew_session(engine, client.visitor.crew_id) as session:
        ids = session.scalars(select(models.StoredLoad.id).where(models.StoredLoad.plan_id == plan_id)).all()
    found = [loads.running_load(engine, client.visitor, load_id) for load_id in ids]
    return [event for running in found if running for event in running.events if not event.is_own]
