"""Parts of the state of a load: additions of water, judgements, sights, weighings, specimens, what is owed."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.event import Cohesion, WaterSource
from keeve.core.mixes.model import Reading
from keeve.core.rules.gypsum_time import Sight
from keeve.core.rules.strength_tests import Shape
from keeve.core.tolerances import DROP_L, UNMEASURABLE


class Addition(NamedTuple):
    """Water that went in, L of the whole load (negative where it ran out), when, and from where."""

    water_l: float
    at: datetime
    source: WaterSource = "tap"


class Judgement(NamedTuple):
    """A reading: who made it and when, of which step, and whether it counts (only once it is wet and mixed).

    ``water_l``: water that was in, L of the whole load. ``mixing``: after which mixing of the load it was made.
    ``wetness``: how wet it looked between the drawings. ``cohesion``: sandy or rich.
    """

    reading: Reading
    by: str
    at: datetime
    counts: bool
    step: int | None
    water_l: float
    mixing: int
    wetness: float | None = None
    cohesion: Cohesion | None = None

    @property
    def is_right(self) -> bool:
        """Whether it was right, and neither sandy nor rich."""
        return self.reading == "right" and not self.cohesion


class SeenAt(NamedTuple):
    """A sight of setting plaster, and when."""

    sight: Sight
    at: datetime


class WeighedAt(NamedTuple):
    """A weighing of a drying cast, kg, and when."""

    kg: float
    at: datetime


class PendingCorrection(NamedTuple):
    """The rest of a chosen correction: kg as charged by material, and water, L."""

    add_kg: dict[str, float]
    water_l: float

    def less(self, added_kg: dict[str, float], added_l: float = 0.0) -> "PendingCorrection | None":
        """The rest once this went in; None where nothing is left of it."""
        left = {name: kg - added_kg.get(name, 0.0) for name, kg in self.add_kg.items()}
        add_kg = {name: kg for name, kg in left.items() if kg > UNMEASURABLE}
        water_l = max(self.water_l - added_l, 0.0)
        return PendingCorrection(add_kg, water_l) if add_kg or water_l > DROP_L else None


class SpecimenSet(NamedTuple):
    """Specimens that were made of a load: the event, when, what they are, the age at which each is due, days."""

    id: UUID
    made_at: datetime
    shape: Shape
    size_mm: float
    span_mm: float | None
    due_days: Sequence[int]
    mark: str


class SpecimenResult(NamedTuple):
    """The end of a specimen, and when: the load at which it broke, kN, its strength, MPa, or why it is lost."""

    at: datetime
    load_kn: float | None = None
    mpa: float | None = None
    lost: str | None = None
