"""What nobody means to send: values, and what is good with something of it spoilt. All of it from one seed."""

import json
from collections.abc import Mapping
from copy import deepcopy
from random import Random
from typing import Any

# Written into JSON where Python would not write them itself.
_LONG_INTEGER = "a whole number of 4301 digits"
_NESTED = "a list that lies a thousand deep"

TEXTS = [
    "", " ", "\n", "\x00", "a\x00b", "\x1b[31m", "\u202e", "\ufffe", "é" * 300, "𝔘", "x" * 5_000, "x" * 60_000,
    "1" + " " * 40_000 + "x", "-1", "0", "1e308", "1e-308", "NaN", "inf", "9" * 4301, "½" * 80, "1/0", "1,000",
    "1.2.3", "10' 6\"", "3 m", "12 apples", "=1+1", "<script>alert(1)</script>", "{{ 7*7 }}", "%s%n", "'; drop table",
    "../../etc/passwd", "2147483648", "99999999999999999999", "true", "null", "[]", "{}", "2026-13-45", "yes", "none",
]  # fmt: skip
VALUES: list[Any] = [
    *TEXTS, 0, -1, 1, 0.5, 1e308, -1e308, 1e-308, 1e12, 2**31, 2**63, float("nan"), float("inf"), True, False, None,
    [], {}, [[]], {"": ""}, [None] * 1_001, {str(number): number for number in range(200)}, _LONG_INTEGER, _NESTED,
    "\ud800", {"\ud800": 1},
]  # fmt: skip
NAMES = [
    "need.99999999.kind", "need.²", "need.-1.kind", "need.0.", ".", "a" * 300, "\x00", "é", "__proto__", "need", "_add",
    "opened", "_drawn_for",
]  # fmt: skip


def spoilt_text(chance: Random, text: str) -> str:
    """A text with a piece doubled, dropped, or something else put in."""
    at, length = chance.randrange(len(text) + 1), chance.choice((1, 5, 40))
    piece = text[at : at + length]
    put = chance.choice(
        ("", piece * 2, piece * 50, chance.choice(TEXTS), "[" * 3_000, ": &a [*a, *a]", "\t", "'")
    )
    return text[:at] + put + text[at + length :]


def spoilt(chance: Random, value: Any) -> Any:
    """Plain values with one of them, somewhere, made another."""
    copy = deepcopy(value)
    places: list[tuple[Any, Any]] = []

    def walk(item: Any) -> None:
        members = (
            item.items() if isinstance(item, dict) else enumerate(item) if isinstance(item, list) else ()
        )
        for key, member in members:
            places.append((item, key))
            walk(member)

    walk(copy)
    if not places or chance.random() < 0.03:
        return chance.choice(VALUES)
    holder, key = chance.choice(places)
    match chance.randrange(5):
        case 0 if isinstance(holder, dict):
            del holder[key]
        case 1 if isinstance(holder, dict):
            holder[chance.choice(NAMES)] = chance.choice(VALUES)
        case 2 if isinstance(holder, list):
            holder.extend([holder[key]] * chance.choice((1, 30, 1_000)))
        case _:
            holder[key] = chance.choice(VALUES)
    return copy


def spoilt_form(chance: Random, form: Mapping[str, str]) -> dict[str, str]:
    """A form with some of its texts made others, left out or added."""
    fields = dict(form)
    for _ in range(chance.choice((1, 1, 2, 5))):
        name = chance.choice([*fields, "_add"])
        match chance.randrange(4):
            case 0:
                fields.pop(name, None)
            case 1:
                fields[chance.choice(NAMES)] = chance.choice(TEXTS)
            case _:
                fields[name] = chance.choice(TEXTS)
    return {name.encode(errors="replace").decode(): text for name, text in fields.items()}


def as_json(value: Any) -> str:
    """Plain values as JSON, those too that no writer would write."""
    text = json.dumps(value)
    return text.replace(f'"{_LONG_INTEGER}"', "1" * 4_301).replace(f'"{_NESTED}"', "[" * 1_000 + "]" * 1_000)
