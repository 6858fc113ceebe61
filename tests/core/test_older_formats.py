"""What an earlier version wrote is read: every file in ``tests/golden``, as it is."""

import json
from copy import deepcopy
from pathlib import Path
from typing import Any

import pytest

from keeve.core.errors import validated
from keeve.core.mixes import get_mix
from keeve.core.mixes.model import Mix
from keeve.core.older_formats import MIX_STEPS, upgraded

GOLDEN = Path(__file__).parents[1] / "golden"
# A mix of version 1: it had its pouring window as a figure of its own.
MIX_1 = json.loads((GOLDEN / "mix-1.json").read_text(encoding="utf-8"))


def test_a_mix_of_the_version_before_is_the_mix_of_today() -> None:
    assert (MIX_1["version"], MIX_1["pour_from_min"]) == (1, 10)
    # Since then it goes by more names, and says who and where, what is done before and what goes wrong.
    since = {"known_as": MIX_1["known_as"], "surroundings": {}, "before": [], "troubles": []}
    today = get_mix("plaster-casting").model_copy(update=since)
    assert validated(Mix, MIX_1) == today


def test_a_step_changes_nothing_it_was_given_and_the_present_version_not_at_all() -> None:
    before = deepcopy(MIX_1)
    now = upgraded(MIX_1, "version", MIX_STEPS)
    assert before == MIX_1
    assert now["version"] == len(MIX_STEPS) + 1
    assert upgraded(now, "version", MIX_STEPS) == now


@pytest.mark.parametrize(
    "raw", [None, [], "keeve-mix", {"version": "1"}, {"version": True}, {"version": 99}, {"version": 0}]
)
def test_what_is_no_document_of_a_known_version_is_left_to_the_model(raw: Any) -> None:
    assert upgraded(raw, "version", MIX_STEPS) == raw
