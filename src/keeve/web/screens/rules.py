"""Rules: each formula, its source, its worked check, a live form, and what uses it."""

from collections.abc import Mapping
from functools import cache
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import JSONResponse, Response

from keeve.core.errors import InputError
from keeve.core.planning.job import SHAPES
from keeve.core.rules.calc import all_rules, calc
from keeve.core.rules.registry import VERSION, Rule
from keeve.services.sample_plans import rules_of_each_mix
from keeve.web import rule_form
from keeve.web.pages import page
from keeve.web.security import SignedIn

router = APIRouter()

# The rooms of the core, in the order of the day, in words.
_ROOMS: Mapping[str, str] = {
    "geometry": "Shapes and volumes",
    "walls_and_stairs": "Shapes and volumes",
    "proportioning": "Proportions, masses, yield",
    "bagged": "Proportions, masses, yield",
    "concrete_design": "Proportions, masses, yield",
    "mortar_proportion": "Proportions, masses, yield",
    "load_sizes": "Loads",
    "vessels_and_scales": "Buckets and scales",
    "aggregate_moisture": "Sand and stone",
    "water": "Water and admixtures",
    "next_water": "Water and admixtures",
    "admixtures": "Water and admixtures",
    "corrections": "Corrections",
    "strength": "Strength",
    "temperature": "Temperature and working time",
    "shopping": "Shopping",
}

# Every figure of a load card and of the bench, and the rules it comes from.
CARD_FIGURES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Volume to fill", tuple(SHAPES)),
    ("Volume to make, waste and all", ("order-volume",)),
    ("Number of loads, litres of a load", ("split-loads",)),
    ("Kilograms and litres of a material, mix by volume", ("volume-parts",)),
    ("The same, mix by mass", ("mass-parts",)),
    ("The same, mix by the bag or pail", ("bagged",)),
    ("Parts of a designed concrete", ("concrete-design-aci",)),
    ("Swelling of damp sand", ("sand-bulking",)),
    ("Litres of water to add, water ratio", ("water-account",)),
    ("Working life at a temperature", ("working-life", "mix-temperature")),
    ("Cooler water and ice for the next load", ("cooling-plan",)),
    ("Litres that come with the pile", ("aggregate-moisture",)),
    ("Amount of an admixture, its own water", ("admixture-dose",)),
    ("Water that the pile is expected to leave for the tap", ("next-water",)),
    ("Next step of water, what is left to the ceiling", ("water-window",)),
    ("What brings a wet batch back", ("correct-wet",)),
    ("What tops up a miscounted, overdosed, sandy or rich one", ("correct-miscount",)),
    ("Steps of water up to the ceiling", ("correct-dry",)),
    ("Strength to expect, and what a litre more takes", ("strength-band", "water-penalty")),
    ("Bags and tonnes to buy", ("shopping",)),
)
_ON_THE_BENCH = {"next-water": "Bench: the water of the next load",
                 "water-window": "Bench: the next step of water", "water-account": "Bench: the ratio now",
                 "correct-wet": "Bench: too wet", "correct-dry": "Bench: too dry",
                 "correct-miscount": "Bench: miscounted, overdosed, sandy or rich",
                 "working-life": "Bench: the clock of life", "cooling-plan": "Bench: a mix too warm"}  # fmt: skip


@router.get("/rules")
def show_all(request: Request, visitor: SignedIn) -> Response:
    """Every rule with the question it answers."""
    rooms: dict[str, list[Rule]] = {title: [] for title in _ROOMS.values()}
    for rule in all_rules().values():
        rooms[_ROOMS[rule.function.__module__.rpartition(".")[2]]].append(rule)
    return page(request, "rules/rules.html", rooms=rooms, explained=rule_form.explained, figures=CARD_FIGURES)


@router.get("/rules/{rule_id}")
def show(request: Request, visitor: SignedIn, rule_id: str) -> Response:
    """One rule, its worked example on the form."""
    rule = _rule(rule_id)
    given = rule.example.given
    return page(
        request,
        "rules/rule.html",
        rule=rule,
        mathml=_mathml(rule_id),
        about=rule_form.explained(rule),
        fields=rule_form.fields_of(rule, given),
        used_by=_used_by(rule_id),
        version=VERSION,
        **_answer(rule, given),
    )


@router.post("/rules/{rule_id}/try")
def try_it(request: Request, visitor: SignedIn, rule_id: str) -> Response:
    """What the rule gives for the figures on the form; the form again where a member is to come or go."""
    rule = _rule(rule_id)
    typed: dict[str, str] = dict(request.state.form)
    add, drop, name = (typed.pop(key, "") for key in ("_add", "_drop", "_name"))
    given = rule_form.typed_values(rule, typed)
    if add:
        given = rule_form.grown(given, add, name)
    if drop:
        given = rule_form.shrunk(given, drop)
    about = rule_form.explained(rule)
    answer = _answer(rule, given)
    asked = page(request, "rules/fields.html", fields=rule_form.fields_of(rule, given), about=about).body
    html = page(request, "rules/answer.html", rule=rule, about=about, **answer).body
    return JSONResponse(
        {"html": bytes(html).decode(), "asked": bytes(asked).decode(), "errors": answer["errors"]}
    )


def _rule(rule_id: str) -> Rule:
    found = all_rules().get(rule_id)
    if found is None:
        raise HTTPException(404)
    return found


def _answer(rule: Rule, given: dict[str, Any]) -> dict[str, Any]:
    """The outputs, or the refusal by field."""
    try:
        return {"outputs": calc(rule.id, given), "errors": {}}
    except InputError as fault:
        return {"outputs": None, "errors": dict.fromkeys(fault.fields or [""], fault.message)}


@cache
def _mathml(rule_id: str) -> list[str]:
    """Each of the rule's formulas as MathML, so that they can stand below each other where it is narrow."""
    from latex2mathml.converter import convert  # a tenth of a second that only these pages need

    return [convert(part, display="block") for part in all_rules()[rule_id].math.split(r"\qquad")]


def _used_by(rule_id: str) -> list[tuple[str, str]]:
    """Where the rule works: words and a link."""
    used = [(f"{mix.name}", f"/mixes/{mix.id}") for mix, rules in rules_of_each_mix() if rule_id in rules]
    if rule_id in SHAPES or rule_id == "order-volume":
        used.insert(0, ("Plan: what is built", "/plan"))
    if rule_id in _ON_THE_BENCH:
        used.insert(0, (_ON_THE_BENCH[rule_id], "/bench"))
    return used
