"""Checks of decorative casts and worked surfaces: out of the mould, once dry, before staining."""

from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Literal

from keeve.core.mixes.model import Drawing
from keeve.core.planning.plan import Plan
from keeve.core.rules.registry import Strict
from keeve.core.rules.yaml_tables import read_table
from keeve.core.texts import Name, Sentence

_TABLE = Path(__file__).parent / "cast_checks.yaml"


class CastCheck(Strict):
    """A check: when it is made, what holds where all is well, and what of."""

    id: Name
    when: Sentence
    words: Sentence
    of: list[Drawing | Literal["casts"]]


@cache
def _checks() -> Mapping[str, CastCheck]:
    raw = read_table(_TABLE)
    return {check.id: check for check in map(CastCheck.model_validate, raw)}


def checks_of(plan: Plan) -> Sequence[CastCheck]:
    """The checks of what a plan's loads make; none of a mix that is hidden or structural."""
    kinds: set[str] = {test.drawing for test in plan.tests.values()}
    if plan.mix.regime_traits.makes_casts:
        kinds.add("casts")
    return [check for check in _checks().values() if kinds & set(check.of)]


def check_words(check_id: str) -> str:
    """The words of a check; its id where the table has it no more."""
    known = _checks().get(check_id)
    return known.words if known else check_id.replace("-", " ")
