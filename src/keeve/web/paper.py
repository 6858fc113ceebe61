"""The sheets of a plan as they go on paper: the shopping list and a card a load, A4 or Letter."""

import re
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any

import segno
from markupsafe import Markup

from keeve.formats.pdf import write_pdf

STATIC = Path(__file__).parent / "static"
SIZES: Mapping[str, str] = {"a4": "A4", "letter": "letter"}


# From loose to tight: the size of the type, pt, and the height of the section, mm.
SETTINGS = ((9.5, 90), (8.5, 74), (7.6, 62), (6.8, 52))


def on_paper(pages: int, render: Callable[[float, int], str]) -> bytes:
    """A paper page as PDF, set as loosely as keeps to so many pages.

    A picture on paper knows only its own styles, so each carries those of drawings.css and the hatches it fills with.

    Args:
        pages: how many pages it may take.
        render: the page for a size of type and a height of the section.
    """
    return write_pdf((_FIGURE.sub(_carried, render(*setting)) for setting in SETTINGS), STATIC, pages)


_FIGURE = re.compile(r'<figure class="([^"]*)"([^>]*)>(.*?)</figure>', re.DOTALL)
_SVG = re.compile(r"<svg\b([^>]*)>(.*?)</svg>", re.DOTALL)
_CLASS = re.compile(r'\s*class="([^"]*)"')


def _carried(figure: re.Match[str]) -> str:
    kind, rest, inside = figure.groups()

    def dressed(svg: re.Match[str]) -> str:
        named = _CLASS.search(svg[1])
        classes = f"{kind} {named[1] if named else ''}".strip()
        if "phone-only" in classes:
            return ""
        style = f"<style>{_style(kind.split()[0])}</style>{_hatches(svg[2])}"
        return f'<svg class="{classes}"{_CLASS.sub("", svg[1])}>{style}{svg[2]}</svg>'

    return f'<figure class="{kind}"{rest}>{_SVG.sub(dressed, inside)}</figure>'


def swatch_svg(hatch: str) -> Markup:
    """A swatch of a hatch, for a list on paper."""
    return Markup(
        f'<svg width="34" height="22" viewBox="0 0 34 22"><style>{_style("swatch")}</style>{_hatches(f"fill-{hatch}")}'
        f'<rect x="1" y="1" width="32" height="20" class="fill-{hatch} swatch-line"/></svg>'
    )


def code_of(address: str) -> Markup:
    """A QR code of an address, as a picture."""
    return Markup(segno.make(address, error="m").svg_inline(scale=2.2, border=2))


@cache
def _style(kind: str) -> str:
    """What drawings.css says of one kind of picture and of all of them, with its named colours as they are on paper."""
    text = (STATIC / "drawings.css").read_text(encoding="utf-8")
    rules = [line for line in text.splitlines() if line.startswith((f".{kind} ", "svg text", *_OF_ALL))]
    style = re.sub(r"var\((--[\w-]+)\)", lambda name: _colours()[name[1]], "".join(rules))
    return style.replace("font-family: inherit", "font-family: Archivo")


# The rules of drawings.css that hatches and leaders of every picture go by.
_OF_ALL = (".sand-", ".cement-", ".water-ground", ".water-wave", ".stone-", ".mixed-", ".ground-line", ".lime-",
           ".hemp-", ".fill-", ".swatch-", ".leader")  # fmt: skip


@cache
def _colours() -> Mapping[str, str]:
    """The colours of the light page, those for print over them."""
    text = (STATIC / "keeve.css").read_text(encoding="utf-8")
    blocks = re.findall(r":root \{(.*?)\}", text, re.DOTALL)
    named: dict[str, str] = {}
    for block in (blocks[0], blocks[-1]):
        named |= dict(re.findall(r"(--[\w-]+):\s*([^;]+);", block))
    return named


def _hatches(picture: str) -> str:
    """The hatch patterns that a picture fills with, as templates/drawings/hatches.html has them."""
    drawn = re.findall(r"(?:fill-|hatch-)([\w-]+)", picture) + _ALWAYS
    return f"<defs>{''.join(pattern for name, pattern in _patterns().items() if name in drawn)}</defs>"


# The classes that fill with a hatch without naming it.
_ALWAYS = ["mixed"]


@cache
def _patterns() -> Mapping[str, str]:
    text = (Path(__file__).parent / "templates" / "drawings" / "hatches.html").read_text(encoding="utf-8")
    return {
        found[2]: found[1]
        for found in re.finditer(r'(<pattern id="hatch-([\w-]+)".*?</pattern>)', text, re.DOTALL)
    }


def values(paper: str, **others: Any) -> dict[str, Any]:
    """What every paper template is given."""
    return {"paper": SIZES.get(paper, "A4"), "swatch_svg": swatch_svg, "code_of": code_of, **others}
