"""The shorthand of the library's files: what several mixes share is written once and named."""

from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import Any

from keeve.core.rules.yaml_tables import read_table

Raw = dict[str, Any]

_SHARED = Path(__file__).parent / "shared.yaml"


@cache
def _shared() -> Mapping[str, Raw]:
    raw: Mapping[str, Raw] = read_table(_SHARED)
    return raw


def written_out(files: Iterable[Raw]) -> Iterator[Raw]:
    """The mixes of the library's files, in full.

    A file holds one mix, or what several have in common with ``each``, a list of what they have of their own.
    Whatever shared.yaml has may be named out of it; surroundings are added to those there. A shared procedure serves a
    family: its steps with materials or admixtures that a mix does not have are left out.

    Raises:
        ValueError: a procedure names a material or an admixture that none of its mixes has.
    """
    mixes = [
        _with_admixtures({**{name: value for name, value in raw.items() if name != "each"}, **own})
        for raw in files
        for own in raw.get("each", [{}])
    ]
    _check_names(mixes)
    yield from map(_in_full, mixes)


def _with_admixtures(raw: Raw) -> Raw:
    return {**raw, "admixtures": _listed(raw, "admixtures")}


def _listed(raw: Raw, what: str) -> list[Any]:
    """A list of a mix, what is named in it taken out of shared.yaml."""
    return [_shared()[what][item] if isinstance(item, str) else item for item in raw.get(what, [])]


def _check_names(mixes: Iterable[Raw]) -> None:
    """Refuse a procedure with a name that none of its mixes has: a misspelt step would vanish without a word."""
    procedures: dict[str | int, Raw] = {}
    known: dict[str | int, set[str]] = {}
    for raw in mixes:
        for given in raw["procedures"]:
            key = given if isinstance(given, str) else id(given)
            procedures[key] = _shared()["procedures"][given] if isinstance(given, str) else given
            known.setdefault(key, set()).update(_names(raw["parts"]), _names(raw.get("admixtures", [])))
    for key, procedure in procedures.items():
        named = {name for step in procedure["steps"] for name in _named_in(step)}
        if unknown := sorted(named - known[key]):
            raise ValueError(
                f"the procedure {procedure['why']!r} names {', '.join(unknown)}, which none of its mixes has"
            )


def _names(items: Iterable[Raw]) -> set[str]:
    return {item["name"] for item in items}


def _named_in(step: Raw) -> Iterator[str]:
    """The material and the admixtures of a step."""
    yield from step.get("admixtures", [])
    if "material" in step:
        yield step["material"]


def _in_full(raw: Raw) -> Raw:
    shared = _shared()
    tests = (
        {name: shared["tests"][name] for name in raw["tests"]}
        if isinstance(raw["tests"], list)
        else raw["tests"]
    )
    return {
        **raw,
        "tests": tests,
        "gauges": shared["gauges"][raw["gauges"]] if isinstance(raw["gauges"], str) else raw["gauges"],
        "surroundings": {**shared["surroundings"], **raw.get("surroundings", {})},
        "cautions": [
            {"code": item, "text": shared["cautions"][item]} if isinstance(item, str) else item
            for item in raw["cautions"]
        ],
        "before": _listed(raw, "before"),
        "troubles": _listed(raw, "troubles"),
        "schools": _listed(raw, "schools"),
        "procedures": [_procedure(item, raw, tests) for item in raw["procedures"]],
    }


def _procedure(given: str | Raw, raw: Raw, tests: Raw) -> Raw:
    procedure: Raw = _shared()["procedures"][given] if isinstance(given, str) else given
    materials, admixtures = _names(raw["parts"]), _names(raw.get("admixtures", []))
    steps = []
    for step in procedure["steps"]:
        if step.get("material") not in {None, *materials}:
            continue
        step = {**step}
        if "admixtures" in step:
            step["admixtures"] = [name for name in step["admixtures"] if name in admixtures]
            if step["kind"] == "admixture" and not step["admixtures"]:
                continue
        steps.append(_completed(step, tests, raw["life_min"]))
    return {**procedure, "steps": steps}


def _completed(step: Raw, tests: Raw, life_min: float) -> Raw:
    """A judge step is by the mix's first test unless it names one, and says what it looks for; placing lasts a life."""
    if step["kind"] == "judge":
        name = step.get("test", next(iter(tests)))
        test = tests[name]
        right: str = test["looks"]["right"]
        said = {"do": f"Check: {test['name'].lower()}", "test": name, "until": right[0].lower() + right[1:]}
        return {**said, **step}
    if step["kind"] == "place":
        return {"minutes": [0, life_min], **step}
    return step
