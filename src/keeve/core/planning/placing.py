"""The use, the hands, the air and the base: how they move the water of a mix inside its range."""

from math import fsum

from keeve.core.errors import InputError
from keeve.core.mixes.model import Mix, Wetness
from keeve.core.planning.job import Job


def wetness_of(mix: Mix, job: Job) -> Wetness | None:
    """How far the job's placing moves the water of the mix, and why; None where it is as usual.

    Shifts are added up; together they go to the end of the range and no further.

    Raises:
        InputError: the mix is not placed so, or its water is not moved.
    """
    wanted = []
    if job.intended_use is not None:
        if job.intended_use not in mix.wetness:
            known = ", ".join(mix.wetness) or "none: leave it out"
            raise InputError(
                "unknown_placing",
                f"intended_use {job.intended_use!r} isn't available for {mix.name}. Choose: {known}.",
                ["intended_use"],
            )
        wanted.append(mix.wetness[job.intended_use])
    for name in job.placing.surroundings:
        if not mix.is_moved or name not in mix.surroundings:
            raise InputError(
                "unmoved_water",
                f"placing: who and where doesn't move the water of {mix.name}. Leave it out.",
                ["placing"],
            )
        wanted.append(mix.surroundings[name])
    if not wanted:
        return None
    shift = fsum(item.shift for item in wanted)
    return Wetness(shift=max(-1.0, min(shift, 1.0)), why=" ".join(item.why for item in wanted))


def moved(usual: float, low: float, high: float, shift: float) -> float:
    """A figure moved from its usual towards the end of its range.

    Args:
        usual: what it usually is.
        low: the least it may be.
        high: the most it may be.
        shift: the share of the way, up where positive.
    """
    return usual + abs(shift) * ((high if shift > 0 else low) - usual)
