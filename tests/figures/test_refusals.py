"""Refusals as a reader is told them."""

import re
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc
from keeve.figures.refusals import fields_of, in_readers_words
from keeve.screens.calculators.form import in_words

INNER = re.compile(r"\w_\w")
WRONG: list[Any] = [None, -1.0, 1e12, "x", [], {}, 0.0]


@settings(max_examples=30)
@given(st.data())
@pytest.mark.parametrize("rule_id", all_rules())
def test_no_refusal_of_a_rule_shows_an_inner_name(rule_id: str, data: st.DataObject) -> None:
    rule = all_rules()[rule_id]
    typed = dict(rule.example.given)
    name = data.draw(st.sampled_from([*typed, "no_such_field"]))
    typed[name] = data.draw(st.sampled_from(WRONG))
    try:
        calc(rule_id, typed)
    except InputError as fault:
        words = in_words(rule, rule.example.given, fault, "metric")
        assert not INNER.search(words), words


def test_each_field_goes_by_its_label_wherever_it_stands() -> None:
    labels = {"mix": "Mix", "need.0.depth_m": "Depth", "mixer.working_l": "Mixer holds"}
    fault = InputError(
        "bad", "need.0.depth_m is more than mixer.working_l. mix is missing.", ["need.0.depth_m", "mix"]
    )
    assert in_readers_words(fault, labels, "metric") == "Depth is more than Mixer holds. Mix is missing."
    assert fields_of(fault, labels) == ["need.0.depth_m", "mix"]


def test_what_no_form_asks_for_has_its_plain_name() -> None:
    fault = InputError("bad", "Enter ml_per_100kg, or particle_density_kg_m3.", ["ml_per_100kg"])
    words = in_readers_words(fault, {}, "metric")
    assert not INNER.search(words)
    assert "grain density" in words


def test_words_of_the_reader_are_left_alone() -> None:
    fault = InputError("bad", "Use 4.5 L of 'river sand', e.g. two buckets.", [])
    assert in_readers_words(fault, {"sand": "Sand"}, "metric") == fault.message
