"""Rules: each formula, its source, its worked check, a live form, and what uses it."""

from collections.abc import Mapping
from functools import cache
from typing import Any

from fastapi import HTTPException, Request
from fastapi.responses import JSONResponse, Response

from keeve.core.errors import InputError
from keeve.core.planning.job import SHAPES
from keeve.core.rules.calc import all_rules, calc
from keeve.core.rules.registry import VERSION, Rule
from keeve.core.units import System
from keeve.drawing.sketch import Sketch, sketch
from keeve.figures.labels import RULE_TITLES
from keeve.screens.calculators import form as rule_form
from keeve.screens.calculators.view import CARD_FIGURES, rules_by_subject, uses_of
from keeve.screens.plan.shapes import shape_of
from keeve.web.pages import page
from keeve.web.security import screen_router, units_of

router = screen_router()


@router.get("/rules")
def show_all(request: Request) -> Response:
    """Every rule with the question it answers."""
    return page(
        request,
        "calculators/rules.html",
        subjects=rules_by_subject(),
        explained=rule_form.explained,
        figures=CARD_FIGURES,
        titles=RULE_TITLES,
    )


@router.get("/rules/{rule_id}")
def show(request: Request, rule_id: str) -> Response:
    """One rule, its worked example on the form."""
    rule = _rule(rule_id)
    given = _begun_with(rule, request.query_params)
    return page(
        request,
        "calculators/rule.html",
        rule=rule,
        title=RULE_TITLES[rule_id],
        mathml=_mathml(rule_id),
        about=rule_form.explained(rule),
        fields=rule_form.fields_of(rule, given, units_of(request)),
        used_by=uses_of(rule_id),
        version=VERSION,
        **_answer(rule, given, units_of(request)),
    )


@router.post("/rules/{rule_id}/try")
def try_it(request: Request, rule_id: str) -> Response:
    """The rule's answer for the figures on the form; the form again where a member is to come or go."""
    rule = _rule(rule_id)
    typed: dict[str, str] = dict(request.state.form)
    add, drop, name = (typed.pop(key, "") for key in ("_add", "_drop", "_name"))
    given = rule_form.typed_values(rule, typed, units_of(request))
    if add:
        given = rule_form.grown(given, add, name)
    if drop:
        given = rule_form.shrunk(given, drop)
    about = rule_form.explained(rule)
    answer = _answer(rule, given, units_of(request))
    asked = page(
        request,
        "calculators/fields.html",
        fields=rule_form.fields_of(rule, given, units_of(request)),
        about=about,
    ).body
    html = page(request, "calculators/answer.html", rule=rule, about=about, **answer).body
    return JSONResponse(
        {"html": bytes(html).decode(), "asked": bytes(asked).decode(), "errors": answer["errors"]}
    )


def _begun_with(rule: Rule, query: Mapping[str, str]) -> dict[str, Any]:
    """The worked example, with the figures a link brings in the units they are kept in; what is no figure stays."""
    given = dict(rule.example.given)
    for name, before in given.items():
        if isinstance(before, int | float) and not isinstance(before, bool) and name in query:
            try:
                given[name] = float(query[name])
            except ValueError:
                continue
    return given


def _rule(rule_id: str) -> Rule:
    found = all_rules().get(rule_id)
    if found is None:
        raise HTTPException(404)
    return found


def _answer(rule: Rule, given: dict[str, Any], units: System) -> dict[str, Any]:
    """The outputs, or the refusal by field."""
    try:
        outputs = calc(rule.id, given)
        drawing = _drawn(rule, given, outputs)
        return {"outputs": outputs, "given": given, "drawing": drawing, "errors": {}}
    except InputError as fault:
        message = rule_form.in_words(rule, given, fault, units)
        return {
            "outputs": None,
            "given": given,
            "drawing": None,
            "errors": dict.fromkeys(fault.fields or [""], message),
        }


def _drawn(rule: Rule, given: Mapping[str, Any], outputs: Mapping[str, Any]) -> Sketch | None:
    """The sketch of what a rule works out, where it is a shape of the plan."""
    if rule.id not in SHAPES:
        return None
    # With what it assumed for what was left out: that is what was worked out with.
    return sketch(shape_of({"shape": rule.id, **given}), {**given, **outputs["assumed"], **outputs})


@cache
def _mathml(rule_id: str) -> list[str]:
    """Each of the rule's formulas as MathML, so that they go below each other where it is narrow."""
    from latex2mathml.converter import convert  # a tenth of a second that only these pages need

    return [convert(part, display="block") for part in all_rules()[rule_id].math.split(r"\qquad")]
