"""Slips: what looks wrong in a job without being impossible, each with what was likely meant.

Where a thing cannot be, it is refused where it is met. What is caught here is passed on, for the mixer may be right.
The bounds are common practice, no source: wide enough that a right figure stays silent.
"""

from keeve.core.job import Job
from keeve.core.mixes.model import Mix
from keeve.core.plan import Load
from keeve.core.rules import RuleWarning
from keeve.core.slips.doses import of_the_doses
from keeve.core.slips.labels import of_the_labels
from keeve.core.slips.site import of_the_site
from keeve.core.slips.sizes import of_the_charge, of_the_sizes

__all__ = ["slips_of_the_job", "slips_of_the_loads"]


def slips_of_the_job(mix: Mix, job: Job) -> list[RuleWarning]:
    """Everything that looks wrong in the job as it was given."""
    return [*of_the_sizes(mix, job), *of_the_labels(mix, job), *of_the_site(mix, job)]


def slips_of_the_loads(mix: Mix, job: Job, loads: list[Load]) -> list[RuleWarning]:
    """Everything that looks wrong in the loads that the job comes to."""
    return [*of_the_charge(job, loads), *of_the_doses(mix, job, loads)]
