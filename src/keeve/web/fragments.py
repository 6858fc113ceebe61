"""Parts of pages that many pages have alike: ``{% alike KEY %} … {% endalike %}`` is rendered once for a key.

The key has everything that the part shows, by its value: another crew's, another reader's or a newer one is another
key, so that nothing here is ever out of date. What never changes may stand for its value ``|itself``.
"""

from collections.abc import Callable, Hashable

from jinja2 import nodes
from jinja2.ext import Extension
from jinja2.parser import Parser
from markupsafe import Markup

from keeve.figures.kept import Kept

# Signs of all parts together: a row of a list has a thousand, the plan form sixty.
_MOST = 2_000_000
_kept: Kept[tuple[str, Hashable], Markup] = Kept(_MOST, len)


class Alike(Extension):
    """The tag ``alike``."""

    tags = {"alike"}

    def parse(self, parser: Parser) -> nodes.Node:
        """Read the tag, its key and its body."""
        line = next(parser.stream).lineno
        key = parser.parse_tuple()
        body = parser.parse_statements(("name:endalike",), drop_needle=True)
        place = nodes.Const(f"{parser.name}:{line}")
        return nodes.CallBlock(self.call_method("_rendered", [place, key]), [], [], body, lineno=line)

    def _rendered(self, place: str, key: Hashable, caller: Callable[[], Markup]) -> Markup:
        return _kept.of((place, key), caller)
