"""The checks before the first load of a day, and what to do where one fails."""

from collections.abc import Iterable
from functools import cache
from pathlib import Path

from keeve.core.mixes.mixers import MixerKind
from keeve.core.mixes.model import Sort
from keeve.core.planning.plan import Plan
from keeve.core.rules.registry import Strict
from keeve.core.rules.yaml_tables import read_table


class Check(Strict):
    """A check: what should be true, what to do otherwise, and which plans it belongs to (see the file)."""

    id: str
    holds: str
    otherwise: str
    sorts: list[Sort] = []
    dry: bool = False
    mixers: list[MixerKind] = []
    stockpiled: bool = False
    admixtures: bool = False
    by_clock: bool | None = None

    def is_asked_of(self, plan: Plan) -> bool:
        """Whether the check belongs to a plan."""
        if self.by_clock is not None:
            return self.by_clock == (plan.mix.regime_traits.placed_in is not None)
        if self.sorts:
            return any(item.sort in self.sorts and (item.is_dry or not self.dry) for item in plan.materials)
        if self.mixers:
            return plan.mixer.kind in self.mixers
        if self.stockpiled:
            return any(material.stockpile for material in plan.materials)
        return not self.admixtures or bool(plan.loads[0].admixtures)


@cache
def _checks() -> list[Check]:
    raw = read_table(Path(__file__).parent / "pre_use_checks.yaml")
    return [Check.model_validate(item) for item in raw]


def checks_for(plan: Plan) -> list[Check]:
    """The checks of a plan."""
    return [check for check in _checks() if check.is_asked_of(plan)]


def checks_by_id(ids: Iterable[str]) -> list[Check]:
    """The checks with these ids, in their usual order."""
    wanted = set(ids)
    return [check for check in _checks() if check.id in wanted]
