"""Older formats of what is kept, brought up to the present one step at a time.

Each step is a plain function from the values of one version to those of the next; what it does not know it leaves as
it is. A document goes through its steps whenever it is read. Of a mix there is a second version; whoever makes one of a
job, a plan or an event does for it as ``Mix`` does, and keeps a file of the version before in ``tests/golden``.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

Values = dict[str, Any]
Step = Callable[[Values], Any]


def upgraded(raw: Any, field: str, steps: Sequence[Step], first: int = 1) -> Any:
    """The values of a document in the present version.

    Args:
        raw: plain values as they were written, of any version; never changed.
        field: where they say their version.
        steps: the step from version ``first``, from the next one, and so on.
        first: the version of what says none.
    """
    if not isinstance(raw, Mapping):
        return raw
    values = dict(raw)
    version = values.get(field, first)
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= len(steps):
        return values
    for number, step in enumerate(steps[version - 1 :], start=version + 1):
        values = {**step(values), field: number}
    return values


def _mix_to_2(mix: Values) -> Any:
    """A timed mix had its window as a figure of its own; the clock of plaster gives it now."""
    return {name: value for name, value in mix.items() if name != "pour_from_min"}


MIX_STEPS: Sequence[Step] = (_mix_to_2,)
