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
PURE = {"small_line", "mix_bar", "sketches_of", "volume_bar_of", "clock_lines", "shapes", "shape_groups"}
OF_PAGE = {
    **dict.fromkeys(
        (
            "quantity",
            "heap",
            "working_rows",
            "in_units",
            "mix_term",
            "uses",
            "assumed",
            "unit_of",
            "shown",
            "shown_list",
            "written_day",
            "clock_in_words",
        ),
        ("units",),
    ),
    "iso_day": ("zone",),
    **dict.fromkeys(("clock", "day", "date"), ("zone", "units")),
    **dict.fromkeys(("near_day", "cell"), ("request", "zone", "units")),
    "is_near": ("request",),
}
# A text that has all of a thing but one part of it.
ALL_BUT = {"form.shown": ("form", "form.opened")}


def test_what_a_filter_reads_of_the_page_is_known() -> None:
    of_ours = {
        name
        for name, function in environment.filters.items()
        if function.__module__.startswith("keeve") and hasattr(function, "jinja_pass_arg")
    }
    assert of_ours == set(OF_PAGE)


def parsed(name: str) -> nodes.Template:
    assert environment.loader is not None
    return environment.parse(environment.loader.get_source(environment, name)[0], name)


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
        yield from OF_PAGE[node.name]
    for child in node.iter_child_nodes():
        yield from looked_up(child)


def shown_by(template: nodes.Template, body: nodes.Node, given: set[str]) -> set[str]:
    """What a part of a template shows besides what is given or put there by itself, with all it includes and calls."""
    own = given | {found.name for found in body.find_all(nodes.Name) if found.ctx != "load"} | {"loop"}
    found = {path for path in looked_up(body) if path.partition(".")[0] not in own}
    for included in body.find_all(nodes.Include):
        inner = parsed(included.template.value)
        found |= shown_by(inner, inner, own)
    macros = {macro.name: (template, macro) for macro in template.find_all(nodes.Macro)}
    for taken in template.find_all(nodes.FromImport):
        source = parsed(taken.template.value)
        there = {macro.name: (source, macro) for macro in source.find_all(nodes.Macro)}
        macros |= {name: there[name] for name in taken.names}
    # What is imported where it is included is seen there, and a macro never calls itself.
    for name in found & set(macros):
        source, macro = macros[name]
        seen = own if source is template else set()
        found |= shown_by(source, nodes.Scope(macro.body), seen | {arg.name for arg in macro.args})
    return found - set(macros)


@pytest.mark.parametrize("name", environment.list_templates())
def test_a_part_that_is_kept_shows_nothing_but_what_its_key_has(name: str) -> None:
    assert environment.loader is not None
    tree = parsed(name)
    blocks = [
        block
        for block in tree.find_all(nodes.CallBlock)
        if isinstance(block.call.node, nodes.ExtensionAttribute)
    ]
    assert len(blocks) == environment.loader.get_source(environment, name)[0].count("{% endalike %}")
    for block in blocks:
        known = {*looked_up(block.call.args[1]), *environment.globals, *PURE}
        without = {ALL_BUT[path][1] for path in known & set(ALL_BUT)}
        known |= {ALL_BUT[path][0] for path in known & set(ALL_BUT)}
        unknown = [
            path
            for path in shown_by(tree, nodes.Scope(block.body), set())
            if not any(f"{path}.".startswith(f"{one}.") for one in known)
            or any(f"{path}.".startswith(f"{one}.") for one in without)
        ]
        assert unknown == []


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
