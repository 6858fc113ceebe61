"""The templates as text: they lay out, the services work out."""

import pytest
from jinja2 import nodes

from keeve.web.environment import environment

ARITHMETIC = (nodes.Add, nodes.Sub, nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Mod, nodes.Pow)


@pytest.mark.parametrize("name", environment.list_templates())
def test_a_template_has_short_lines_and_no_arithmetic(name: str) -> None:
    assert environment.loader is not None
    source, _, _ = environment.loader.get_source(environment, name)
    assert [line for line in source.splitlines() if len(line) > 160] == []
    assert [node.lineno for node in environment.parse(source).find_all(ARITHMETIC)] == []


@pytest.mark.parametrize(
    ("number", "words"),
    [
        (0, "0 bricks"),
        (0.5, "½ brick"),
        (1, "1 brick"),
        (2.75, "2¾ bricks"),
        (1.3, "1.3 bricks"),
        (12345, "12345 bricks"),
    ],
)
def test_a_count_is_written_whole_in_quarters_or_as_a_decimal(number: float, words: str) -> None:
    assert environment.filters["count"](number, "brick") == words
