"""The templates as text: they lay out, the services work out."""

import pytest
from jinja2 import nodes

from keeve.web.pages import environment

ARITHMETIC = (nodes.Add, nodes.Sub, nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Mod, nodes.Pow)


@pytest.mark.parametrize("name", environment.list_templates())
def test_a_template_has_short_lines_and_no_arithmetic(name: str) -> None:
    assert environment.loader is not None
    source, _, _ = environment.loader.get_source(environment, name)
    assert [line for line in source.splitlines() if len(line) > 160] == []
    assert [node.lineno for node in environment.parse(source).find_all(ARITHMETIC)] == []
