"""Mixes and Rules: every page stands, every control leads somewhere, what is typed comes back."""

import re
from typing import Any, get_args

import pytest
from sqlalchemy import Engine

from keeve.core.mixes import get_mix, library, mix_text
from keeve.core.rules.calc import all_rules
from keeve.core.units import System
from keeve.figures.labels import RULE_TITLES
from keeve.screens.calculators.form import RuleField, RuleGroup, fields_of, grown, shrunk, typed_values
from keeve.screens.calculators.view import CARD_FIGURES
from keeve.screens.mixes.view import mix_figures
from web.conftest import Client, Clock


@pytest.fixture(scope="module")
def client(engine: Engine) -> Client:
    """One signed-in visitor for all of these pages, which change nothing that another test looks at."""
    return Client(engine, Clock())


def leaves(fields: list[RuleField | RuleGroup]) -> dict[str, str]:
    found: dict[str, str] = {}
    for item in fields:
        found |= leaves(item.members) if isinstance(item, RuleGroup) else {item.path: item.value}
    return found


@pytest.mark.parametrize("rule_id", all_rules())
def test_each_rule_has_a_page_and_its_example_comes_back_from_the_form(client: Client, rule_id: str) -> None:
    rule = all_rules()[rule_id]
    page = client.get(f"/rules/{rule_id}")
    assert page.status_code == 200
    for words in ("<math", "Worked example", "Source", "Used by", "./keeve calc"):
        assert words in page.text
    for units in get_args(System):
        typed = leaves(fields_of(rule, rule.example.given, units))
        assert leaves_of(typed_values(rule, typed, units)) == pytest.approx(leaves_of(rule.example.given))
        client.post("/units", data={"units": units, "next": "/rules"})
        tried = client.post(f"/rules/{rule_id}/try", data=typed).json()
        assert tried["errors"] == {}
    for left_out in typed:
        # Worked out with what is usual, or asked for; either way it is drawn or said.
        tried = client.post(f"/rules/{rule_id}/try", data={**typed, left_out: ""})
        assert tried.status_code == 200, left_out
    client.post("/units", data={"units": "metric", "next": "/rules"})


def leaves_of(value: Any, path: str = "") -> dict[str, Any]:
    """Every figure of plain values by its path."""
    members = (
        value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    )
    found: dict[str, Any] = {} if isinstance(value, dict | list) else {path: value}
    for name, inner in members:
        found |= leaves_of(inner, f"{path}.{name}")
    return found


def test_everything_a_mix_says_of_warmth_is_in_the_readers_units(client: Client) -> None:
    client.post("/units", data={"units": "us", "next": "/mixes"})
    pages = {mix_id: client.get(f"/mixes/{mix_id}").text for mix_id in library()}
    client.post("/units", data={"units": "metric", "next": "/mixes"})
    # What a source says is left as it says it.
    said = {
        mix_id: re.sub(r"<table class=\"lines\">.*?</table>", "", page, flags=re.DOTALL)
        for mix_id, page in pages.items()
    }
    assert [mix_id for mix_id, page in said.items() if "°C" in page] == []
    assert all("°F" in page for page in said.values())


def test_a_rule_is_asked_and_answers_in_the_readers_units(client: Client) -> None:
    client.post("/units", data={"units": "us", "next": "/rules"})
    page = client.get("/rules/slab-volume").text
    assert re.search(r'name="length_m"[^>]*>\s*<span class="unit">ft<', page)
    assert re.search(r'name="thickness_m"[^>]*>\s*<span class="unit">in<', page)
    typed = {"length_m": "27", "width_m": "10", "thickness_m": "12 in"}
    answer = client.post("/rules/slab-volume/try", data=typed).json()["html"]
    assert "10 yd³" in answer
    waste = client.post("/rules/order-volume/try", data={"net_m3": "10", "waste_fraction": "10 %"}).json()[
        "html"
    ]
    assert "11 yd³" in waste
    client.post("/units", data={"units": "metric", "next": "/rules"})


def test_every_rule_has_a_plain_name(client: Client) -> None:
    assert set(RULE_TITLES) == set(all_rules())
    page = client.get("/rules").text
    assert all(f"<b>{title}</b>" in page for title in RULE_TITLES.values())


def test_a_wrong_figure_is_named_and_a_row_comes_and_goes(client: Client) -> None:
    rule = all_rules()["absolute-volume"]
    typed = leaves(fields_of(rule, rule.example.given, "metric"))
    wrong = client.post("/rules/absolute-volume/try", data={**typed, "components.0.mass_kg": "much"}).json()
    assert list(wrong["errors"]) == ["components.0.mass_kg"]
    more = client.post("/rules/absolute-volume/try", data={**typed, "_add": "components"}).json()
    count = len(rule.example.given["components"])
    assert f"components.{count}.mass_kg" in more["asked"]
    begun = client.post("/rules/next-water/try", data={"target_water_kg": "12", "_add": "history"}).json()
    assert "history.0.added_l" in begun["asked"]
    given = {"masses_kg": {"cement": 1.0}, "list": [1.0, 2.0]}
    assert grown(given, "masses_kg", "lime.1")["masses_kg"] == {"cement": 1.0, "lime 1": 1.0}
    assert shrunk(given, "masses_kg.cement")["masses_kg"] == {"lime 1": 1.0}
    assert shrunk(given, "list.0")["list"] == [2.0]
    assert shrunk(grown(given, "nothing", ""), "list.0")["list"] == [2.0]


def test_every_figure_of_a_card_is_two_taps_from_the_rules_page(client: Client) -> None:
    page = client.get("/rules").text
    named = {rule_id for _, rules in CARD_FIGURES for rule_id in rules}
    for rule_id in all_rules():
        assert f'href="/rules/{rule_id}"' in page
    for mix in library():
        planned = client.get(f"/plan?mix={mix}").text
        used = set(re.findall(r'popovertarget="why-([a-z-]+)"', planned))
        assert used <= named, mix
    assert client.get("/rules/nothing").status_code == 404


@pytest.mark.parametrize("mix_id", library())
def test_each_mix_has_a_page_with_all_there_is_to_it(client: Client, mix_id: str) -> None:
    mix = get_mix(mix_id)
    for procedure in mix.as_usual.procedures:
        page = client.get(f"/mixes/{mix_id}?mixer={procedure.mixer}&order={procedure.order}").text
        assert all(f">{step.do.split(',')[0]}" in page.replace("&#39;", "'") for step in procedure.steps)
    for words in ("What to look for", "Where builders disagree", "Cautions", "Sources"):
        assert words in page
    for rule_id in re.findall(r'popovertarget="why-([a-z-]+)"', page):
        assert f'id="why-{rule_id}"' in page
    assert client.get(f"/mixes/{mix_id}/mix.yaml").text == mix_text(mix)


LABEL = {"bag_kg": "25", "yield_l": "12", "water_start_l": "1.5", "water_min_l": "1.75", "water_max_l": "2.5"}


def _poured(mix_id: str) -> bool:
    return any(part.material == "cement" for part in get_mix(mix_id).parts)


@pytest.mark.parametrize("mix_id", library())
def test_each_mix_is_planned_and_drawn_on_its_card_and_on_paper(client: Client, mix_id: str) -> None:
    typed = {
        "mix": mix_id,
        "mixer.kind": get_mix(mix_id).procedures[0].mixer,
        "mixer.working_l": "60",
        "title": "Wall",
    }
    saved = client.post(
        "/plan",
        data={
            **typed,
            **{f"materials.{get_mix(mix_id).parts[0].name}.{name}": figure for name, figure in LABEL.items()},
        },
    )
    assert saved.status_code == 303
    card = client.get(saved.headers["location"]).text
    paper = client.get(f"/plan/{saved.headers['location'].split('/')[2]}/print").text
    for step in get_mix(mix_id).as_usual.procedures[0].steps:
        assert step.do.split(",")[0].replace("'", "&#39;") in card
    assert "Shopping list, Wall" in paper
    assert ("1440 kg/m³ packed in the bag" in card) == ("volume" in get_mix(mix_id).ratio and _poured(mix_id))
    for rule_id in re.findall(r'popovertarget="why-([a-z-]+)"', card):
        assert f'id="why-{rule_id}"' in card


def test_finding_and_comparing(client: Client) -> None:
    found = client.get("/mixes?use=infill&thickness=300&yard=hemp&yard=lime&yard=sand").text
    assert ">1 mix fits<" in found
    assert found.index("Hemp and lime infill") < found.index("needs cement")
    assert "Layer thickness must be a number" in client.get("/mixes?thickness=thick").text
    assert "must be more than 0" in client.get("/mixes?thickness=-3").text
    page = client.get("/mixes/compare?mix=mortar-general&mix=hemp-lime").text
    assert "0.5 to 0.65, target 0.6" in page
    assert "Choose two mixes" in client.get("/mixes/compare?mix=mortar-general&mix=nothing").text
    assert client.get("/mixes/nothing").status_code == 404


def test_a_variant_is_kept_changed_exported_opened_and_planned_with(client: Client) -> None:
    form = {"name": "Quay wall mortar", "parts.1.parts": "2,5", "water.ratio_high": "0.62", "life_min": "90"}
    assert (
        client.post("/mixes/mortar-general/own", data=form).headers["location"] == "/mixes/quay-wall-mortar"
    )
    page = client.get("/mixes/quay-wall-mortar").text
    assert "our own, version 1" in page
    assert "1 : 2½ by volume" in page
    wrong = client.post("/mixes/quay-wall-mortar/own", data={"water.ratio_low": "0.9", "life_min": "soon"})
    assert wrong.status_code == 422
    assert "Working time, min must be a number" in wrong.text
    assert 'value="soon"' in wrong.text
    upside_down = client.post("/mixes/quay-wall-mortar/own", data={"water.ratio_low": "0.9"})
    assert "must rise from" in upside_down.text
    client.post(
        "/mixes/quay-wall-mortar/own", data={"life_min": "80", "remark": "It went off at 80 min in June"}
    )
    page = client.get("/mixes/quay-wall-mortar").text
    assert "our own, version 2" in page
    assert "It went off at 80 min in June" in page
    assert "<b>90 min</b>" in client.get("/mixes/quay-wall-mortar?version=1").text
    text = client.get("/mixes/quay-wall-mortar/mix.yaml").text
    opened = client.post(
        "/mixes/open", files={"file": ("a.yaml", text.replace("quay-wall-mortar", "inner-wall"))}
    )
    assert opened.headers["location"] == "/mixes/inner-wall"
    for broken, said in (
        ("- 3", "must be an object"), ("id: [", "not valid YAML"), (text + "\nodd: 1", "odd is not"),
        ("a: &a [1, 1]\nb: [*a, *a]", "Write each value out"),
        (mix_text(get_mix("mortar-general")), "Give your mix another name"),
        (text.replace("id: quay-wall-mortar", "id: compare"), "Give your mix another name"),
    ):  # fmt: skip
        assert said in client.post("/mixes/open", files={"file": ("a.yaml", broken)}).text
    saved = client.post("/plan", data={"mix": "inner-wall", "mixer.working_l": "60", "title": "Inner wall"})
    card = client.get(saved.headers["location"]).text
    assert "1 : 2½ by volume" in card
    plan_id = saved.headers["location"].split("/")[2]
    assert 'value="inner-wall" data-redraws checked' in client.get(f"/plan?again={plan_id}").text
    gone = client.post("/plan/preview", data={"mix": "no-such-mix"}).json()
    assert "That mix is gone" in gone["errors"]["mix"]


def test_what_is_too_large_or_of_no_length_is_refused(client: Client) -> None:
    assert "Too large" in client.post("/mixes/open", files={"file": ("a.yaml", "a" * 1_100_000)}).text


@pytest.mark.parametrize("version", ["0", "2147483648", "9" * 30, "first"])
def test_a_version_that_cannot_be_is_not_there(client: Client, version: str) -> None:
    for path in ("/mixes/mortar-general", "/mixes/none", "/mixes/none/mix.yaml"):
        assert client.get(f"{path}?version={version}").status_code == 404


@pytest.mark.parametrize(
    ("words", "found"),
    [
        ("plaster of paris", "plaster-casting"), ("high performance", "concrete-fine-high-strength"),
        ("self-compacting", "concrete-fine-high-strength"), ("self-consolidating", "concrete-fine-high-strength"),
        ("pool", "concrete-fine-bedding"), ("pointing", "mortar-bricklaying"), ("repointing", "mortar-type-n"),
        ("tuckpointing", "mortar-type-o"), ("parge", "stucco-site-blend"), ("parging", "mortar-general"),
        ("mud", "mortar-type-n"), ("muck", "mortar-bricklaying"), ("compo", "mortar-bricklaying"),
        ("dry pack", "concrete-dry-pack"), ("drypack", "concrete-dry-pack"), ("deck mud", "screed-1-4"),
        ("topping", "screed-1-4"), ("stucco", "stucco-base"), ("scratch coat", "stucco-base"),
        ("skim", "lime-hydraulic-3.5"), ("hempcrete", "hemp-lime"), ("no-fines", "concrete-pervious"),
        ("curb", "concrete-fine-bedding"), ("sidewalk", "concrete-nominal"), ("post hole", "concrete-bagged"),
        ("gypsum", "plaster-island"), ("mold", "plaster-casting"), ("monocouche", "stucco-one-coat-bagged"),
        ("nhl", "lime-hydraulic-3.5"), ("ballast", "concrete-ballast"), ("resurfacing", "overlay-stampable"),
    ],
)  # fmt: skip
def test_a_mix_is_found_by_any_name_of_the_trade(words: str, found: str) -> None:
    """As the page does it: every word typed is in one of its names. The names: ``trade.md`` and the glossary."""
    names = mix_figures(library()[found]).found_by
    assert all(word in names for word in words.split())


@pytest.mark.parametrize("figure", ["nan", "inf", "1e400", "-3", "much", ""])
def test_a_link_brings_figures_and_no_figure_breaks_the_page(client: Client, figure: str) -> None:
    page = client.get("/rules/ready-mixed?order_m3=0.66&own_hours=2.3").text
    assert 'value="0.66"' in page
    assert client.get("/rules/ready-mixed", params={"order_m3": figure}).status_code == 200
