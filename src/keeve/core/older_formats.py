"""Older formats of what is kept, brought up to the present one step at a time.

Each step is a plain function from the values of one version to those of the next; what it does not know it leaves as
it is. A job, a mix, a plan and an event go through their steps whenever they are read.
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


def _renamed(values: Any, **names: str) -> Any:
    """The values with other names for some of them: the present name, and the one before."""
    if not isinstance(values, Mapping):
        return values
    now = {before: name for name, before in names.items()}
    return {
        now.get(name, name) if now.get(name) not in values else name: value for name, value in values.items()
    }


def _each(values: Any, change: Callable[[Any], Any]) -> Any:
    return [change(item) for item in values] if isinstance(values, list) else values


def _changed(values: Any, **changes: Callable[[Any], Any]) -> Any:
    """The values with some of them changed, where they are there."""
    if not isinstance(values, Mapping):
        return values
    return {**values, **{name: change(values[name]) for name, change in changes.items() if name in values}}


def _steps_say_until(values: Any) -> Any:
    return _each(values, lambda step: _renamed(step, until="reading"))


def _tests_are_drawn(tests: Any) -> Any:
    """At first every test was the trowel's, and so was its drawing."""
    if not isinstance(tests, Mapping):
        return tests
    return {
        name: {"drawing": "trowel", **test} if isinstance(test, Mapping) else test
        for name, test in tests.items()
    }


def _mix_to_2(mix: Values) -> Any:
    """What a step ends on was called its reading."""
    return _changed(
        mix,
        tests=_tests_are_drawn,
        procedures=lambda found: _each(found, lambda one: _changed(one, steps=_steps_say_until)),
    )


def _mix_to_3(mix: Values) -> Any:
    """A timed mix had its window as a figure of its own; the clock of plaster gives it now."""
    return {name: value for name, value in mix.items() if name != "pour_from_min"}


def _job_to_2(job: Values) -> Any:
    """A stockpile was called a heap. A mix of the job's own is a document inside it."""

    def own_mix(mix: Any) -> Any:
        return upgraded(mix, "version", MIX_STEPS)

    return _changed(job, mix=own_mix, conditions=lambda found: _renamed(found, stockpile_c="heap_c"))


def _plan_to_2(plan: Values) -> Any:
    """A stockpile was called a heap or a pile, and what a step ends on its reading."""

    def load(found: Any) -> Any:
        return _changed(found, water=lambda water: _renamed(water, in_aggregate_l="in_heap_l"))

    return _changed(
        plan,
        conditions=lambda found: _renamed(found, stockpile_c="heap_c"),
        materials=lambda found: _each(found, lambda one: _renamed(one, stockpile="pile")),
        loads=lambda found: _each(found, load),
        procedure=_steps_say_until,
        tests=_tests_are_drawn,
    )


def _event_to_2(event: Values) -> Any:
    """What was expected of a stockpile was kept with its sentence, not with what the sentence says."""

    def told(water: Any) -> Any:
        found = _renamed(_renamed(water, stockpile="pile"), stockpile="heap")
        if not isinstance(found, Mapping) or "why" not in found:
            return found
        rest = {name: value for name, value in found.items() if name != "why"}
        return {**rest, "because": {"kind": "told", "told": found["why"]}}

    return _changed(event, water=told)


MIX_STEPS: Sequence[Step] = (_mix_to_2, _mix_to_3)
JOB_STEPS: Sequence[Step] = (_job_to_2,)
PLAN_STEPS: Sequence[Step] = (_plan_to_2,)
EVENT_STEPS: Sequence[Step] = (_event_to_2,)
