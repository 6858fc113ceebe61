"""The templates as text: they lay out, the services work out."""

from collections.abc import Iterator

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


# What gives the same for the same, and what a filter reads of the page besides.
PURE = {"small_line", "mix_bar"}
OF_PAGE = {
    **dict.fromkeys(
        ("quantity", "heap", "working_rows", "in_units", "unit_of", "shown", "shown_list"), "units"
    ),
    **dict.fromkeys(("clock", "clock_seconds", "day", "iso_day"), "zone"),
    **dict.fromkeys(("near_day", "is_near"), "request"),
}


def test_what_a_filter_reads_of_the_page_is_known() -> None:
    of_ours = {
        name
        for name, function in environment.filters.items()
        if function.__module__.startswith("keeve") and hasattr(function, "jinja_pass_arg")
    }
    assert of_ours == set(OF_PAGE)


def looked_up(node: nodes.Node) -> Iterator[str]:
    """What a part looks up, as far as it is written out: line.entry.number."""
    path: list[str] = []
    inner = node
    while isinstance(inner, nodes.Getattr):
        path.insert(0, inner.attr)
        inner = inner.node
    if isinstance(inner, nodes.Name) and inner.ctx == "load":
        yield ".".join([inner.name, *path])
        return
    if isinstance(node, nodes.Filter) and node.name in OF_PAGE:
        yield OF_PAGE[node.name]
    for child in node.iter_child_nodes():
        yield from looked_up(child)


@pytest.mark.parametrize("name", environment.list_templates())
def test_a_part_that_is_kept_shows_nothing_but_what_its_key_has(name: str) -> None:
    assert environment.loader is not None
    source, _, _ = environment.loader.get_source(environment, name)
    tree = environment.parse(source)
    blocks = [
        block
        for block in tree.find_all(nodes.CallBlock)
        if isinstance(block.call.node, nodes.ExtensionAttribute)
    ]
    assert len(blocks) == source.count("{% endalike %}")
    for block in blocks:
        body = nodes.Scope(block.body)
        own = {found.name for found in body.find_all(nodes.Name) if found.ctx == "store"}
        known = {*looked_up(block.call.args[1]), *own, *environment.globals, *PURE}
        unknown = [
            path for path in looked_up(body) if not any(f"{path}.".startswith(f"{one}.") for one in known)
        ]
        assert unknown == []
        assert not list(body.find_all((nodes.Include, nodes.FromImport, nodes.Import)))


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
