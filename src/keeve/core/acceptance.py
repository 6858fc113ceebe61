"""What is looked at before the first load of a day, and what to do where it does not hold."""

from collections.abc import Iterable
from functools import cache
from pathlib import Path

import yaml

from keeve.core.mixes.model import Hatch, MixerKind
from keeve.core.plan import Plan
from keeve.core.rules import Strict


class Check(Strict):
    """A statement that should hold, what to do otherwise, and which mixes it is asked of (see the file)."""

    id: str
    holds: str
    otherwise: str
    hatches: list[Hatch] = []
    mixers: list[MixerKind] = []
    heap: bool = False
    admixtures: bool = False

    def is_asked_of(self, plan: Plan) -> bool:
        """Whether the plan has what it asks about."""
        if self.hatches:
            return any(material.hatch in self.hatches for material in plan.materials)
        if self.mixers:
            return plan.mixer.kind in self.mixers
        if self.heap:
            return any(material.heap for material in plan.materials)
        return not self.admixtures or bool(plan.loads[0].admixtures)


@cache
def _checks() -> list[Check]:
    raw = yaml.safe_load((Path(__file__).parent / "acceptance.yaml").read_text())
    return [Check.model_validate(item) for item in raw]


def checks_for(plan: Plan) -> list[Check]:
    """The checklist of a plan's materials."""
    return [check for check in _checks() if check.is_asked_of(plan)]


def checks_by_id(ids: Iterable[str]) -> list[Check]:
    """The checks of these ids that are still known, in their order."""
    wanted = set(ids)
    return [check for check in _checks() if check.id in wanted]
