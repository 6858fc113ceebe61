"""Plausibility: what looks wrong in a job without being impossible, each with what was probably meant.

The impossible is refused where it is met. A thing caught here is passed on as a warning, for the user may be right.
The likely meaning is offered for a slip of the unit, the decimal point or the order. A hazard (frost, chlorides, spoilt
or wrong bags) is never offered away: there the way out is in the words.
The bounds are common practice, no source: wide enough that a right figure stays silent.
"""

from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Load
from keeve.core.planning.plausibility.doses import implausible_doses
from keeve.core.planning.plausibility.labels import implausible_labels
from keeve.core.planning.plausibility.site import implausible_site
from keeve.core.planning.plausibility.sizes import (
    implausible_charge,
    implausible_design,
    implausible_moulds,
    implausible_sizes,
)
from keeve.core.rules.registry import RuleWarning, impossible_figures

__all__ = ["implausible_in_job", "implausible_in_loads"]


def implausible_in_job(mix: Mix, job: Job) -> list[RuleWarning]:
    """Everything that looks wrong in the job as it was given."""
    found = [
        *implausible_sizes(mix, job),
        *implausible_moulds(job),
        *implausible_design(job),
        *implausible_labels(mix, job),
        *implausible_site(mix, job),
    ]
    # Where it is known what was meant, or why it is wrong, that is said, and once.
    told = {item.field for item in found}
    return found + [item for item in impossible_figures(job) if item.field not in told]


def implausible_in_loads(mix: Mix, job: Job, loads: list[Load]) -> list[RuleWarning]:
    """Everything that looks wrong in the loads of the job."""
    return [*implausible_charge(job, loads), *implausible_doses(mix, job, loads)]
