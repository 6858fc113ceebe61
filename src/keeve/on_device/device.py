"""Keeve on a device without signal: the core, views and templates of the server, on what a pack holds.

Text in, text out: the page's scripts hand on what was tapped and show what comes back.
"""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any, get_args
from uuid import UUID

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import LoadEvent, in_order
from keeve.core.loads.expected_water import carried_over, followed
from keeve.core.loads.fold import fold_ordered
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.loads.recording import begun, expecting, is_first_of_the_day, is_known, read_sent, recorded
from keeve.core.loads.running_load import OpenLoads, RunningLoad, opened
from keeve.core.mixes import with_library
from keeve.core.mixes.model import Gauge, Mix
from keeve.core.planning.job import Job
from keeve.core.planning.job_versions import JobLine
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.yard import parse_item
from keeve.figures.dates import write_clock
from keeve.formats.job_file import read_job, write_job
from keeve.formats.pack import Pack, PackedLoad, PackedPlan, ToldHere, checksum
from keeve.formats.packed_job import quick_address, unpack_job
from keeve.screens.bench.drawn import drawn, drawn_between
from keeve.screens.bench.form import refusal, typed_event
from keeve.screens.bench.view import bench_view
from keeve.screens.card.drawn import drawn as drawn_card
from keeve.screens.card.view import BegunLoad, card_page, in_gauge, quick_card
from keeve.screens.mixes.a_load import a_load
from keeve.screens.plan import drawn as plan_drawn
from keeve.screens.plan import form as plan_form
from keeve.screens.plan import form_job as plan_job
from keeve.screens.plan.form import PlanForm
from keeve.screens.today.drawn import drawn as drawn_today
from keeve.screens.today.view import today
from keeve.web.environment import environment, words_of_event

_GAUGES: tuple[Gauge, ...] = get_args(Gauge)
_ADDRESSES = Path(__file__).parent / "addresses.json"


class Device:
    """A device with what it was given and what was told on it since.

    Args:
        pack: what it was given.
        told: what was told on it that the pack may not know, in order.
        now: the moment.
    """

    def __init__(self, pack: Pack, told: Sequence[ToldHere], now: datetime) -> None:
        self.pack = pack
        self.zone = pack.clock
        self.owned = list(pack.owned)
        self.plans = {plan.id: plan for plan in pack.plans}
        self.loads = {load.id: _running(plan, load) for plan in pack.plans for load in plan.loads}
        for one in told:
            try:
                self._take(one, now)
            except InputError:
                # The pack knows better by now: what became of it is said when it is sent.
                continue

    def _take(self, one: ToldHere, now: datetime) -> None:
        if one.to == "plan":
            self.plan(one.load_id, read_job(one.event["job"]), one.event.get("bag"))
        elif one.to == "begin":
            at = datetime.fromisoformat(one.event["occurred_at"])
            self.begin(UUID(one.event["plan_id"]), int(one.event["number"]), one.load_id, at)
        elif one.to == "events" and one.load_id in self.loads:
            self.record(one.load_id, one.event, now)

    def plan(self, plan_id: UUID, job: Job, bag: Mapping[str, Any] | None = None) -> PackedPlan:
        """The plan of a job that is made here; a bag whose label is to be kept is the crew's from now on.

        Raises:
            InputError: it cannot be planned, or the bag is none.
        """
        item = parse_item(bag) if bag else None
        made = PackedPlan(
            id=plan_id, job_id=plan_id, plan=make_plan(job), loads=[], expected={}, setting=None
        )
        if item and item not in self.owned:
            self.owned.append(item)
        return self.plans.setdefault(plan_id, made)

    def begin(self, plan_id: UUID, number: int, load_id: UUID, now: datetime) -> UUID | None:
        """Begin a load of a plan, or find it begun; None where the pack has no such load."""
        packed = self.plans.get(plan_id)
        load = packed.plan.load(number) if packed else None
        if packed is None or load is None:
            return None
        of_plan = [one for one in self.loads.values() if one.plan_id == plan_id]
        standing = [one for one in of_plan if one.load.number == number and not one.may_be_mixed_again]
        if standing:
            return standing[-1].id
        start = begun(
            packed.plan,
            self._name,
            now,
            is_first=is_first_of_the_day((one.begun_at for one in of_plan), now),
            flow_l_min=self.pack.flow_l_min,
            setting=packed.setting,
        )
        events: list[LoadEvent] = [start]
        water = self._expected(packed, number)
        if water is not None:
            events.append(expecting(water, self._name, 1, now))
        state = fold_ordered(load, events)
        self.loads[load_id] = RunningLoad(load_id, plan_id, packed.plan, load, now, events, state)
        return load_id

    def _expected(self, packed: PackedPlan, number: int) -> ExpectedWater | None:
        """The water a load is expected to need: of what comes dry as the last load took it, else as it was packed."""
        load = packed.plan.load(number)
        if load is None or followed(packed.plan) is not None:
            return packed.expected.get(number)
        lately = sorted(
            (one for one in self.loads.values() if one.plan_id == packed.id), key=lambda one: one.begun_at
        )
        found = (carried_over(packed.plan, load, one.load, one.state) for one in reversed(lately))
        return next((water for water in found if water), packed.expected.get(number))

    def record(self, load_id: UUID, raw: Mapping[str, Any], now: datetime) -> RunningLoad:
        """Record one event of a load.

        Raises:
            InputError: it is malformed, or does not count at its moment.
        """
        running = self.loads[load_id]

        typed = typed_event(raw, lambda: bench_view(running, now), self.pack.units, self.zone)
        event = read_sent(typed, self._name, now)
        if not is_known(running, event):
            running = self.loads[load_id] = recorded(running, event)
        return running

    @property
    def _name(self) -> str:
        return self.pack.person.name if self.pack.person else ""

    def open_loads(self, now: datetime) -> OpenLoads:
        """The loads with which something is still to be done."""
        return opened(self.loads.values(), now)

    def news_since(self, before: "Device") -> list[str]:
        """The news of the loads that were known here before: what others did meanwhile, in sentences."""
        found = []
        context: Any = {"units": self.pack.units}
        for load in self.loads.values():
            known = before.loads.get(load.id)
            if known is None:
                continue
            ids = {event.id for event in known.events}
            for event in load.events:
                if event.id not in ids and not event.is_own:
                    words = words_of_event(context, event, load.plan)
                    at = write_clock(event.occurred_at, self.zone, self.pack.units)
                    found.append(
                        f"Load {load.load.number}, {load.plan.title}: {words} ({event.recorded_by}, {at})."
                    )
        return found

    # What is drawn, by the address of its page.

    def page(self, path: str, query: Mapping[str, str], now: datetime) -> str | None:
        """The page of an address; None where that needs signal."""
        match path.strip("/").split("/"):
            case [""] if self.pack.person is None:
                return self._text("account/welcome.html", "/", now, **plan_drawn.shape_choices())
            case [""]:
                return self._today(now)
            case ["bench"]:
                in_work = self.open_loads(now).in_work
                return self._text("bench/choose.html", path, now, in_work=in_work, section=a_load())
            case ["bench", load_id] if (running := self._load(load_id)) is not None:
                in_work = self.open_loads(now).in_work
                values = drawn(bench_view(running, now))
                return self._text("bench/bench.html", path, now, in_work=in_work, **values)
            case ["plan"]:
                return self._plan_page(query, now)
            case ["plan", "quick"]:
                return self._quick(query, now)
            case ["plan", plan_id, "load", number]:
                return self._card(path, plan_id, number, query.get("gauge"), now)
        return None

    def part(self, path: str, now: datetime) -> str | None:
        """A part of a bench that is asked for by itself; None where that needs signal."""
        match path.strip("/").split("/"):
            case ["bench", load_id, "act"] if (running := self._load(load_id)) is not None:
                return self._text("bench/act.html", path, now, **drawn(bench_view(running, now)))
            case ["bench", load_id, "between"] if (running := self._load(load_id)) is not None:
                return self._text("bench/between.html", path, now, **drawn_between(bench_view(running, now)))
            case ["bench", load_id, "others"] if (running := self._load(load_id)) is not None:
                in_work = self.open_loads(now).in_work
                return self._text("bench/others.html", path, now, load_id=running.id, in_work=in_work)
        return None

    def _load(self, text: str) -> RunningLoad | None:
        return next((load for load_id, load in self.loads.items() if str(load_id) == text), None)

    def _today(self, now: datetime) -> str:
        found = today(
            [
                *self._planned_here(now),
                *(line._replace(begun=self._begun(line.plan_id, line.begun)) for line in self.pack.active),
            ],
            self.open_loads(now),
            self.pack.pours,
            self.pack.specimens,
            self.pack.starts,
            now,
        )
        return self._text("today/today.html", "/", now, **drawn_today(found))

    def _planned_here(self, now: datetime) -> list[JobLine]:
        """The jobs that the pack does not know yet."""
        known = {line.plan_id for line in self.pack.active}
        return [
            JobLine(
                made.id, made.plan.title, "active", made.id, now, made.plan.mix.name, len(made.plan.loads),
                self._begun(made.id, 0),
            )
            for made in self.plans.values()
            if made.id not in known and made.job_id == made.id and not made.loads
        ]  # fmt: skip

    # Planning.

    @property
    def _mixes(self) -> dict[str, Mix]:
        return with_library({mix.id: mix for mix in self.pack.mixes})

    def form(self, typed: Mapping[str, str], *, is_preview: bool = False) -> PlanForm:
        """The form of a plan as it was typed."""
        return plan_form.form_from(typed, self.pack.units, self._mixes, typed if is_preview else {})

    def _plan_page(self, query: Mapping[str, str], now: datetime) -> str | None:
        if query.keys() - {"mix", "shape"}:
            return None  # of a job that was planned before: this device does not know how it was typed
        form = plan_form.empty_form(
            self.pack.units,
            self._mixes,
            query.get("mix", ""),
            self.owned,
            now.astimezone(self.zone).date(),
            None,
            self.pack.measured,
            query.get("shape", ""),
        )
        return self.form_page(form, now)

    def form_page(self, form: PlanForm, now: datetime) -> str:
        """The page of a form."""
        found = {**self._choices(form), **plan_drawn.result(form)}
        nothing = {"refusal": "", "waste": None, "learnt": None, "changed": None}
        return self._text("plan/plan.html", "/plan", now, form=form, **nothing, **found)

    def _choices(self, form: PlanForm) -> dict[str, Any]:
        liked = (self.pack.favourites, self.pack.used_last)
        return plan_drawn.choices(form, self.owned, *liked, is_kept=self.pack.person is not None)

    def preview(self, typed: Mapping[str, str], now: datetime) -> dict[str, Any]:
        """Answer a form that is typed on."""
        form = self.form(typed, is_preview=True)
        chosen = self._choices(form) if "_redraw" in typed else None

        def part(template: str, **values: Any) -> str:
            return self._text(template, "/plan/preview", now, **values)

        return plan_drawn.previewed(form, plan_drawn.result(form), chosen, part)

    def _begun(self, plan_id: UUID, as_packed: int) -> int:
        numbers = {one.load.number for one in self.loads.values() if one.plan_id == plan_id}
        return max(len(numbers), as_packed)

    def _card(self, path: str, plan_id: str, number: str, gauge: str | None, now: datetime) -> str | None:
        packed = next((plan for known, plan in self.plans.items() if str(known) == plan_id), None)
        if packed is None or not number.isdigit():
            return None
        gauged = in_gauge(packed.plan, int(number), _gauge(gauge))
        if gauged is None:
            return None
        mixed = {one.load.number: one for one in self.loads.values() if one.plan_id == packed.id}
        started = mixed.get(int(number))
        water = started.state.expected if started else self._expected(packed, int(number))
        shown = card_page(
            packed.id,
            packed.job_id,
            gauged,
            {int(number): water} if water else {},
            {each: BegunLoad(one.id, one.situation(now).is_over) for each, one in mixed.items()},
            started.state.setting if started else packed.setting,
        )
        values = drawn_card(shown.card)
        return self._text("card/card.html", path, now, shown=shown, plan=shown.plan, moment=now, **values)

    def _quick(self, query: Mapping[str, str], now: datetime) -> str | None:
        """The card of a job that its address carries."""
        packed, number = query.get("job", ""), query.get("load", "1")
        try:
            shown = quick_card(unpack_job(packed), int(number), _gauge(query.get("gauge")))
        except (InputError, ValueError):
            return None  # an address that is cut short
        if shown is None:
            return None
        values = {"shown": shown, "plan": shown.plan, "moment": now, "job": packed, **drawn_card(shown.card)}
        return self._text("card/card.html", "/plan/quick", now, **values)

    def _values(self, path: str, now: datetime) -> dict[str, Any]:
        person = self.pack.person
        return {
            "visitor": person,
            "holder": self.pack.holder,
            "units": self.pack.units,
            "zone": self.zone,
            "may_mix": person is None or person.may_mix,
            "open_to_all": self.pack.open_to_all,
            "is_refused": False,
            "refused_fields": [],
            "has_demo": False,
            "form_field": "form_token",
            "form_token": "",
            "page_path": path,
            "asked_at": now,
        }

    def _text(self, template: str, path: str, now: datetime, /, **values: Any) -> str:
        return environment.get_template(template).render({**self._values(path, now), **values})


def _gauge(wanted: str | None) -> Gauge | None:
    return next((one for one in _GAUGES if one == wanted), None)


def _running(packed: PackedPlan, load: PackedLoad) -> RunningLoad:
    planned = packed.plan.load(load.number)
    if planned is None:
        raise LookupError(f"load {load.id} has number {load.number}, which its plan has not")
    events = in_order(map(parse_event, load.events))
    state = fold_ordered(planned, events)
    return RunningLoad(load.id, packed.id, packed.plan, planned, load.begun_at, events, state)


_here: list[Device] = []


def take(pack: str, told: str, now: str) -> str:
    """Begin with a pack and what was told on the device since, as JSON; gives what others did meanwhile, as JSON."""
    if "file" not in environment.globals:
        environment.globals["file"] = json.loads(_ADDRESSES.read_text()).__getitem__
    items = [ToldHere(UUID(item["load"]), item["to"], item["event"]) for item in json.loads(told)]
    device = Device(Pack.model_validate_json(pack), items, datetime.fromisoformat(now))
    news = device.news_since(_here[0]) if _here else []
    _here[:] = [device]
    return json.dumps(news)


def page(path: str, query: str, now: str) -> str:
    """The page of an address, or nothing where that needs signal."""
    return _here[0].page(path, json.loads(query), datetime.fromisoformat(now)) or ""


def part(path: str, now: str) -> str:
    """A part of a page, or nothing where that needs signal."""
    return _here[0].part(path, datetime.fromisoformat(now)) or ""


def preview(typed: str, now: str) -> str:
    """Answer the form of a plan while it is typed on, as JSON."""
    return json.dumps(_here[0].preview(json.loads(typed), datetime.fromisoformat(now)))


def plan(plan_id: str, typed: str, now: str) -> str:
    """Plan what was typed, as JSON: what the server is told of it, or the form again with what is wrong.

    A stranger's job is not kept: the address of its card carries it.
    """
    device, moment = _here[0], datetime.fromisoformat(now)
    form = device.form(json.loads(typed))
    job = plan_job.to_job(form)
    if job is None:
        form.errors = {**form.missing, **form.errors}
        return json.dumps({"html": device.form_page(form, moment)})
    try:
        if device.pack.person is None:
            make_plan(job)
            return json.dumps({"address": quick_address(job)})
        bag = plan_form.label_of(form, job, json.loads(typed).get("_bag", ""))
        made = device.plan(UUID(plan_id), job, bag)
    except InputError as fault:
        form.refuse(fault)
        return json.dumps({"html": device.form_page(form, moment)})
    told = {"job": write_job(job), "checksum": checksum(made.plan)}
    return json.dumps({**told, "bag": bag} if bag else told)


def begin(plan_id: str, number: str, load_id: str, now: str) -> str:
    """Begin a load, and give the id it has; nothing where that needs signal."""
    found = _here[0].begin(UUID(plan_id), int(number), UUID(load_id), datetime.fromisoformat(now))
    return str(found or "")


def record(load_id: str, event: str, now: str) -> str:
    """Record one event: what comes next (``html``), or why not (``error``) with what was meant (``offer``), as JSON."""
    device, moment, load = _here[0], datetime.fromisoformat(now), UUID(load_id)
    try:
        device.record(load, json.loads(event), moment)
    except InputError as fault:
        return json.dumps(refusal(fault, bench_view(device.loads[load], moment), device.pack.units))
    return json.dumps({"html": device.part(f"/bench/{load_id}/act", moment)})
