"""Any load, worked in any way that is offered, against an account of every kilogram and litre that is kept here."""

import json
from datetime import timedelta
from random import Random
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, Run, a_job_of, plan
from hypothesis import HealthCheck, assume, note, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from keeve.core.errors import InputError
from keeve.core.loads.actions.amend import can_be_put_right, figure_of
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.fold import fold
from keeve.core.loads.next_step import OVER, situation
from keeve.core.log.load_row import LoadRow
from keeve.core.planning.plan import Plan

DOSE = {"dose": 150.0, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2}
# What is measured by eye, L.
DROP_L = 0.05


def a_plan(mix: str, mixer: str, gauge: str = "weight") -> Plan:
    kind = "shovel" if gauge == "shovels" else "level"
    vessels = [{"name": "measure", "volume_l": 4.5, "tare_kg": 0.7, "kind": kind}]
    changes = {**a_job_of(mix, mixer), "gauge": gauge, "vessels": vessels}
    if mix == "mortar-bricklaying":
        changes["admixtures"] = [{"name": "plasticiser", **DOSE}]
    return plan(**changes)


class Account:
    """What is in the mixer, kg and L, added up from the events alone.

    ``size``: the size of what is left, of the load as planned: what is told in doses counts on that.
    """

    def __init__(self, run: Run) -> None:
        self.kg: dict[str, float] = {}
        self.doses = {item.name: 1.0 for item in run.load.admixtures}
        self.added_l = self.out_l = self.stored_l = 0.0
        self.size = 1.0
        self.planned_kg = sum(charge.mass_kg for charge in run.load.charges)
        self.yield_l = run.load.yield_l
        undone = {str(event.cancels) for event in run.events if event.kind == "undone"}
        for event in run.events:
            if str(event.id) not in undone:
                self.enter(event)

    @property
    def volume_l(self) -> float:
        return self.yield_l * sum(self.kg.values()) / self.planned_kg

    def enter(self, event: Any) -> None:
        match event.kind:
            case "charged":
                self.kg[event.material] = self.kg.get(event.material, 0.0) + event.mass_kg
            case "corrected":
                for name, kg in event.add_kg.items():
                    self.kg[name] = self.kg.get(name, 0.0) + kg
            case "recounted":
                self.kg |= event.charged_kg
                self.doses |= event.doses
            case "admixed":
                for name, dose in event.doses.items():
                    self.doses[name] += dose * self.size
            case "water_added":
                self.added_l += event.water_l
            case "water_lost":
                self.added_l = max(self.added_l - event.water_l, 0.0)
            case "placed" if event.from_store:
                self.stored_l -= event.volume_l
            case "placed" | "stored" | "given":
                self.leave(event.volume_l)
                self.stored_l += event.volume_l if event.kind == "stored" else 0.0

    def leave(self, volume_l: float) -> None:
        # What it was made of may have been taken back since: then nothing left it.
        left = max(1 - volume_l / self.volume_l, 0.0) if self.volume_l else 1.0
        self.out_l += volume_l
        self.size *= left
        self.added_l *= left
        self.kg = {name: kg * left for name, kg in self.kg.items()}
        self.doses = {name: dose * left for name, dose in self.doses.items()}

    def binder_kg(self, run: Run) -> float:
        return sum(self.dry_kg(run, name) for name in run.plan.binders)

    def dry_kg(self, run: Run, name: str) -> float:
        return self.kg.get(name, 0.0) / (1 + run.plan.material(name).moisture_fraction)

    def water_kg(self, run: Run) -> float:
        aggregate = sum(
            self.dry_kg(run, item.name) * (item.moisture_fraction - item.absorption_fraction)
            for item in run.plan.materials
        )
        return (
            self.added_l
            + aggregate
            + sum(item.water_l * self.doses[item.name] for item in run.load.admixtures)
        )


def an_event(run: Run, offer: Offer, chance: st.DataObject) -> dict[str, Any]:
    """The event of an offer with figures inside its bounds."""
    event: dict[str, Any] = {**offer.event}
    for amount in offer.amounts:
        if amount.is_needed or chance.draw(st.booleans()):
            # What is added or leaves is never nothing.
            is_some = offer.action == "admix" or amount.name.endswith(("_l", "seconds", "minutes"))
            least = max(amount.least, 0.01 * amount.most, 1e-3) if is_some else amount.least
            assume(least <= amount.most)
            put(event, amount.name, chance.draw(st.floats(least, amount.most)))
    if offer.action == "recount" and not {"charged_kg", "doses"} & set(event):
        put(event, offer.amounts[0].name, offer.amounts[0].most / 5)
    if offer.action == "top_up" and "add_kg" not in event:
        put(event, offer.amounts[0].name, offer.amounts[0].most)
    for word in offer.words:
        event[word] = "A trial"
    if offer.action == "undo":
        mine = [done for done in run.state.applied if done.kind not in ("begun", "expected")]
        event["cancels"] = str(chance.draw(st.sampled_from(mine)).id)
    if offer.action == "amend":
        amended = chance.draw(st.sampled_from([done for done in run.state.applied if can_be_put_right(done)]))
        name = figure_of(amended)
        said = {"value": getattr(amended, name)} if name else {"reading": getattr(amended, "reading", "")}
        event |= {"amends": str(amended.id), **said}
    if offer.part and offer.action in ("charge", "add_water"):
        event["part"] = chance.draw(st.booleans())
    return event


def put(event: dict[str, Any], path: str, value: float) -> None:
    group, _, name = path.partition(".")
    if name:
        event[group] = {**event.get(group, {}), name: value}
    else:
        event[path] = value


class AnyLoad(RuleBasedStateMachine):
    """A load of any mix in any of its mixers."""

    @initialize(
        procedure=st.sampled_from(EVERY_PROCEDURE), gauge=st.sampled_from(["weight", "volume", "shovels"])
    )
    def begin(self, procedure: tuple[str, str], gauge: str) -> None:
        note(f"{procedure} {gauge}")
        self.run = Run(a_plan(*procedure, gauge))

    def open_offers(self) -> list[Offer]:
        return [offer for offer in self.run.offers if offer.is_open]

    @rule(chance=st.data(), minutes=st.sampled_from([0.2, 1.0, 4.0]))
    def what_is_offered_is_accepted(self, chance: st.DataObject, minutes: float) -> None:
        self.run.at += timedelta(minutes=minutes)
        offered = self.open_offers()
        assume(offered)
        offer = chance.draw(st.sampled_from(offered))
        event = an_event(self.run, offer, chance)
        if offer.ready_at and self.run.at < offer.ready_at:
            event["minutes"] = 1.0
        self.run.record(event)

    @rule()
    def what_is_asked_is_done(self) -> None:
        """As the bench asks for it, so that most loads get on."""
        self.run.at += timedelta(minutes=5)
        now = self.run.now
        asked = {
            "judge": ("judge", f"{now.position} right"),
            "add_water": ("add_water", "tap"),
            "top_up": ("top_up", ""),
        }
        wanted = asked.get(now.act, ("mix", ""))
        by_key = {(offer.action, offer.target): offer for offer in self.open_offers()}
        of_step = (offer for key, offer in by_key.items() if key[1] == str(now.position))
        offer = by_key.get(wanted) if now.act in asked else next(of_step, by_key.get(wanted))
        if offer and now.act not in ("correct", "accept", "dead", *OVER):
            event = {**offer.filled}
            if offer.action == "top_up":
                event["add_kg"] = {amount.name.partition(".")[2]: amount.most for amount in offer.amounts}
            if offer.ready_at and self.run.at < offer.ready_at:
                event["minutes"] = 5.0
            self.run.record(event)

    @precondition(lambda self: self.run.now.remaining_l > 0 and not self.run.now.is_before_reading)
    @rule(share=st.floats(0.05, 1.0), kind=st.sampled_from(["place", "give", "store"]))
    def some_of_it_leaves(self, share: float, kind: str) -> None:
        offer = next((item for item in self.open_offers() if (item.action, item.target) == (kind, "")), None)
        assume(offer)
        assert offer is not None
        told = {"volume_l": share * self.run.now.remaining_l, **dict.fromkeys(offer.words, "A trial")}
        self.run.record({**offer.event, **told})

    @rule(chance=st.data())
    def what_is_refused_stays_out(self, chance: st.DataObject) -> None:
        closed = [offer for offer in self.run.offers if not offer.is_open]
        assume(closed)
        offer = chance.draw(st.sampled_from(closed))
        event = {**offer.filled, **dict.fromkeys(offer.words, "A trial")}
        for amount in offer.amounts:
            if amount.is_needed and amount.default is None:
                put(event, amount.name, max(amount.most / 2, 1e-3))
        assume(event.get("cause") != "" and event.get("water_l", 1.0) > 0 and event.get("volume_l", 1.0) > 0)
        with pytest.raises(InputError):
            self.run.record(event)

    @rule(chance=st.data())
    def more_than_the_bounds_is_refused(self, chance: st.DataObject) -> None:
        bounded = [offer for offer in self.open_offers() if offer.amounts]
        assume(bounded)
        offer = chance.draw(st.sampled_from(bounded))
        amount = chance.draw(st.sampled_from(offer.amounts))
        event = {**offer.filled, **dict.fromkeys(offer.words, "A trial")}
        for other in offer.amounts:
            if other.is_needed and other.default is None:
                put(event, other.name, max(other.most / 2, 1e-3))
        put(event, amount.name, (amount.most + amount.slack) * 1.001 + 0.001)
        with pytest.raises(InputError):
            self.run.record(event)

    @precondition(lambda self: self.run.now.act == "correct" and self.run.now.correction.add_kg)
    @rule()
    def a_correction_reaches_its_ratio(self) -> None:
        run, now = self.run, self.run.now
        shown = now.correction
        assert shown is not None
        if run.plan.gauge in ("volume", "shovels") and not run.plan.mix.basis_traits.is_blended:
            # In the measure of the load, and in steps that a hand can do.
            step_l = 4.5 / (4 if run.plan.gauge == "volume" else 2)
            for name, kg in shown.add_kg.items():
                charge = now.load.charge(name)
                steps = kg / charge.mass_kg * charge.volume_l / step_l
                assert steps == pytest.approx(max(round(steps), 1), rel=1e-6)
        run.do("correcting", cause=shown.cause, add_kg=shown.add_kg, water_l=shown.water_l, minutes=0.0)
        owed = run.state.owed
        assert owed is not None
        if owed.add_kg:
            run.do("corrected", add_kg=owed.add_kg, minutes=0.0)
        left = run.state.owed
        if left and left.water_l <= run.now.water.remaining_l + DROP_L:
            run.do("water_added", water_l=left.water_l, minutes=0.0)
        account = Account(run)
        if shown.ratio and not run.state.owed and not self.to_come() and account.binder_kg(run) > 0.1:
            assert account.water_kg(run) / account.binder_kg(run) == pytest.approx(shown.ratio, rel=0.005)

    def to_come(self) -> bool:
        return any(item.mass_kg or item.water_l or item.admixtures for item in self.all_open())

    def all_open(self) -> list[Any]:
        now = self.run.now
        return [
            *now.open_steps,
            *([now.step] if now.step and now.step.plan.step not in self.run.state.steps_done else []),
        ]

    @invariant()
    def the_page_agrees_with_the_account(self) -> None:
        if not hasattr(self, "run"):
            return
        run, now, state = self.run, self.run.now, self.run.state
        account = Account(run)
        if now.act in OVER:
            return
        assert now.remaining_l == pytest.approx(account.volume_l, abs=1e-6)
        assert now.held.added_l == pytest.approx(account.added_l, abs=1e-6)
        assert sum(now.additions_l) == pytest.approx(account.added_l, abs=1e-6)
        assert state.gone_l == pytest.approx(account.out_l)
        assert now.made_l == pytest.approx(account.out_l + account.volume_l, abs=1e-6)
        assert state.in_store_l == pytest.approx(max(account.stored_l, 0.0), abs=1e-6)
        if self.to_come():
            return
        assert now.held.batch_kg == pytest.approx(
            {charge.material: account.kg.get(charge.material, 0.0) for charge in run.load.charges}, abs=1e-6
        )
        if now.ratio is not None and min(now.held.admixture_l, now.held.aggregate_water_l) >= 0:
            assert now.ratio == pytest.approx(account.water_kg(run) / account.binder_kg(run), rel=1e-6)

    @invariant()
    def no_water_past_the_ceiling_without_its_reason(self) -> None:
        if not hasattr(self, "run") or not self.run.events or self.to_come() or self.run.now.act in OVER:
            return
        last, run = self.run.events[-1], self.run
        if last.kind != "water_added" or last.past_ceiling:
            return
        account, water = Account(run), run.load.water
        ceiling = water.free_l(water.ceiling_l) / run.load.binder_kg
        binder_kg = account.binder_kg(run)
        # Where the aggregate alone brings more, the tap gave none of it.
        assert (
            account.water_kg(run)
            <= max(ceiling * binder_kg, account.water_kg(run) - account.added_l) + DROP_L + 1e-6
        )

    @invariant()
    def what_is_in_and_what_is_offered_come_to_the_start(self) -> None:
        """By whatever way water came in before: a rinse, a hose, a step poured a little more or less."""
        if not hasattr(self, "run") or self.run.now.act in OVER:
            return
        now = self.run.now
        offered_l = [step.water_l for step in self.all_open() if step.water_l is not None]
        if not offered_l:
            return
        assert now.held.added_l + sum(offered_l) == pytest.approx(max(now.held.added_l, now.window.start_l))
        assert sum(offered_l) <= max(now.window.ceiling_l - now.held.added_l, 0.0) + 1e-9
        planned_kg = {charge.material: charge.mass_kg for charge in now.load.charges}
        is_as_planned = now.held.batch_kg == pytest.approx(planned_kg)
        if is_as_planned and now.held.admixture_l == now.load.water.in_admixture_l:
            assert now.window.start_l == pytest.approx(now.load.water.start_l)

    @invariant()
    def figures_are_sane(self) -> None:
        if not hasattr(self, "run"):
            return
        now = self.run.now
        assert 0 < self.run.state.share <= 1
        assert (
            min(
                now.window.min_l,
                now.window.ceiling_l,
                now.water.next_step_l,
                self.run.state.dripped_l,
            )
            >= 0
        )
        assert now.water.next_step_l <= now.water.remaining_l + 1e-9 or not self.run.state.water
        if now.stage == "dead":
            assert now.act in {"dead", *OVER}

    @invariant()
    def its_row_says_what_its_events_come_to(self) -> None:
        if not hasattr(self, "run"):
            return
        run, state, row = self.run, self.run.state, self.run.row()
        stored = json.dumps(row.model_dump(mode="json", exclude_defaults=True))
        assert LoadRow.model_validate(json.loads(stored)) == row
        now = situation(run.plan, run.load, state, run.events[-1].occurred_at if run.events else run.at)
        assert (row.ratio, row.made_l, row.dead_at) == (now.ratio, now.made_l, now.dead_at)
        assert (row.used_kg, row.water_l) == (state.went_in_kg, state.went_in_l)
        assert row.binder_kg == pytest.approx(sum(row.used_kg.get(name, 0.0) for name in run.plan.binders))
        assert row.planned_kg == {charge.material: charge.mass_kg for charge in run.load.charges}
        judged = state.last_judgement
        assert (row.reading, row.judged_at) == ((judged.reading, judged.at) if judged else (None, None))
        assert row.is_out == (state.placed_l > 0 or state.discarded is not None)
        assert row.was_mixed == (state.first_water_at is not None or state.gone_l > 0)
        assert row.in_store_l <= row.stored_l

    def teardown(self) -> None:
        if not hasattr(self, "run"):
            return
        run, chance = self.run, Random(len(self.run.events))
        arrived = [*run.events, *chance.sample(run.events, len(run.events) // 3)]
        chance.shuffle(arrived)
        assert fold(run.load, arrived) == fold(run.load, run.events)
        for length in range(len(run.events)):
            part = Run(run.plan, at=run.at)
            part.events = run.events[:length]
            assert part.offers


TestAnyLoad = AnyLoad.TestCase
TestAnyLoad.settings = settings(
    max_examples=40,
    stateful_step_count=25,
    deadline=None,
    suppress_health_check=list(HealthCheck),
)
