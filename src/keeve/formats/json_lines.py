"""Things as JSON, one a line: read and written without holding all of them."""

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

_LINES_AT_A_TIME = 200


def json_lines(things: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    """Lines of JSON, some hundred at a time."""
    waiting: list[str] = []
    for thing in things:
        waiting.append(f"{json.dumps(thing, ensure_ascii=False, separators=(',', ':'))}\n")
        if len(waiting) == _LINES_AT_A_TIME:
            yield "".join(waiting)
            waiting.clear()
    yield "".join(waiting)
