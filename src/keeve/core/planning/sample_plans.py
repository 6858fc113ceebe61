"""A cubic metre of each mix of the library, to show what it takes and which rules work on it."""

from functools import cache

from keeve.core.mixes import library
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Design, Job, MaterialOnSite, Mixer, VolumeNeed
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan

# Enough for a load of a cubic metre.
_MIXER_L = 1000.0
# Labels are the user's own; these round figures only let the rules run.
_LABEL = MaterialOnSite(bag_kg=25.0, yield_l=12.5, water_start_l=2.0, water_min_l=2.0, water_max_l=3.0)
_DESIGN = Design(strength_mpa=25.0)


def cubic_metre(mix: Mix) -> Plan:
    """The plan of one m3 of a mix, without waste, with the default figures of its materials.

    For a mix by the bag it runs on made-up round label figures, so its amounts are not to be shown.
    """
    return make_plan(
        Job(
            format="keeve-job",
            version=1,
            title=mix.name,
            mix=mix,
            need=[VolumeNeed(volume_m3=1.0)],
            waste_fraction=0.0,
            mixer=Mixer(kind=mix.procedures[0].mixer, working_l=_MIXER_L),
            materials={mix.parts[0].name: _LABEL} if mix.basis_traits.asks_for == "label" else {},
            design=_DESIGN if mix.basis_traits.asks_for == "design" else None,
        )
    )


@cache
def rules_of_each_mix() -> list[tuple[Mix, frozenset[str]]]:
    """Each mix of the library with the rules that its plan runs."""
    return [
        (mix, frozenset(working.rule for working in cubic_metre(mix).workings)) for mix in library().values()
    ]
