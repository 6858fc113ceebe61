"""The sheets of a plan as they go on paper: the shopping list and a card a load, A4 or Letter."""

import re
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import tinycss2
from markupsafe import Markup
from tinycss2.ast import QualifiedRule

from keeve.formats.pdf import Page, Paper
from keeve.screens.card.drawn import drawn
from keeve.screens.card.view import PlanOnPaper

_WEB = Path(__file__).parents[2] / "web"
STATIC = _WEB / "static"
SIZES: Mapping[str, str] = {"a4": "A4", "letter": "letter", "a4-two": "A4", "letter-two": "letter"}
# Of a page that two cards share each has so much of its height, mm; without the cut and its space.
_HALF_MM: Mapping[str, float] = {"a4-two": 134, "letter-two": 124}


class PageStyle(NamedTuple):
    """How a page is set: the size of the type, pt, and the heights of the section and of the water line, mm."""

    type_pt: float
    section_mm: float
    water_mm: float


# From loose to tight.
SETTINGS = (
    PageStyle(9.5, 90, 34.2),
    PageStyle(8.5, 74, 28.1),
    PageStyle(7.6, 62, 23.6),
    PageStyle(6.8, 52, 19.8),
)
# The same, of half a page.
HALVES = (PageStyle(7.6, 58, 19.8), PageStyle(7.0, 50, 17.5), PageStyle(6.5, 44, 15.5))


class Roll(NamedTuple):
    """A roll of paper: its width and the margin at its sides, mm, and the size of the type, pt."""

    width_mm: float
    margin_mm: float
    type_pt: float


# The two rolls that till printers take; they print on 48 and 72 mm of them.
ROLLS: Mapping[str, Roll] = {"58mm": Roll(58, 5, 8.5), "80mm": Roll(80, 4, 10.5)}


def composed(printed: PlanOnPaper, size: str, set_in: Callable[..., str]) -> Paper:
    """A plan as it goes on paper: the shopping list, and its cards a page each, two a page, or a strip each for a roll.

    Args:
        printed: the plan.
        size: of the paper, or the width of the roll.
        set_in: sets a template of ``paper/`` with what else it needs.
    """
    sheets, pages = printed.sheets(2 if size in _HALF_MM else 1)
    pictured = [[drawn(card) for card in cards] for cards in sheets]
    if size in ROLLS:
        roll = {"strips": len(sheets) + 1, **ROLLS[size]._asdict()}
        own = [
            {spot: set_in("own", load=load, spot=spot) for spot in ("number", "code")} for _, (load,) in pages
        ]
        settings = [set_in("strip", sheets=pictured, **roll)]
        head = set_in("strip_head", **roll)
    else:
        own = [
            {f"head{place}": set_in("own", load=load, spot="head") for place, load in enumerate(loads)}
            for _, loads in pages
        ]
        wanted = HALVES if size in _HALF_MM else SETTINGS
        settings = [set_in("plan", sheets=pictured, setting=setting, is_over=False) for setting in wanted]
        head = set_in("head", setting=wanted[0], is_over=True)
    return Paper(
        [with_carried_styles(text) for text in settings],
        head,
        [Page(0, {}), *(Page(sheet, mine) for (sheet, _), mine in zip(pages, own, strict=True))],
    )


def with_carried_styles(html: str) -> str:
    """A text for paper: a picture there knows only its own styles, so each carries those and its hatches."""
    return _FIGURE.sub(_carried, html)


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
        title = f"<title>{_words_of(svg[1], inside)}</title>"
        return f'<svg class="{classes}"{_CLASS.sub("", svg[1])}>{title}{style}{svg[2]}</svg>'

    return f'<figure class="{kind}"{rest}>{_SVG.sub(dressed, inside)}</figure>'


_LABEL = re.compile(r'aria-label="([^"]*)"')
_CAPTION = re.compile(r"<figcaption[^>]*>(.*?)</figcaption>", re.DOTALL)


def _words_of(attributes: str, figure: str) -> str:
    """The words of a picture: its label, and the caption of its figure."""
    words = [found[1] for found in (_LABEL.search(attributes), _CAPTION.search(figure)) if found]
    return " ".join(re.sub(r"<[^>]*>", " ", ". ".join(words)).split())


def swatch_svg(hatch: str) -> Markup:
    """A swatch of a hatch, for a list on paper."""
    return Markup(
        f'<svg width="34" height="22" viewBox="0 0 34 22"><title>{hatch}</title>'
        f"<style>{_style('swatch')}</style>{_hatches(f'fill-{hatch}')}"
        f'<rect x="1" y="1" width="32" height="20" class="fill-{hatch} swatch-line"/></svg>'
    )


def code_of(address: str) -> Markup:
    """The place of the QR code of an address; ``write_paper`` makes it."""
    return Markup('<i data-code="{}"></i>').format(address)


@cache
def _style(kind: str) -> str:
    """The rules of drawings.css for one kind of picture and for all of them, in the colours of print."""
    found = []
    for rule in _rules("drawings.css"):
        selector = tinycss2.serialize(rule.prelude).strip()
        # Paper paints a stroke over its letters, whatever the order asked for: no halo there.
        is_of_kind = selector.startswith(":is(") and f".{kind}" in re.split(r"[(,) ]+", selector)
        if is_of_kind or (
            selector.startswith((f".{kind} ", "svg text", *_OF_ALL)) and not selector.endswith(".halo")
        ):
            found.append(f"{selector} {{ {_declarations(rule)} }}")
    return "".join(found)


def _declarations(rule: QualifiedRule) -> str:
    """The declarations of a rule with its colours and its font by name."""
    found = []
    for item in tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True):
        value = "".join(_serialized(token) for token in item.value).strip()
        named_font = item.name == "font-family" and value == "inherit"
        found.append(f"{item.name}: {'Archivo' if named_font else value};")
    return " ".join(found)


def _serialized(token: Any) -> str:
    """A token as CSS, a named colour as the colour it has in print."""
    if token.type == "function" and token.name == "var":
        return _colours()[tinycss2.serialize(token.arguments).strip()]
    text: str = token.serialize()
    return text


# The rules of drawings.css that hatches and leaders of every picture go by.
_OF_ALL = (".sand-", ".cement-", ".water-ground", ".water-wave", ".stone-", ".mixed-", ".ground-line", ".lime-",
           ".hemp-", ".fill-", ".swatch-", ".leader")  # fmt: skip


@cache
def _rules(sheet: str, media: str = "") -> list[QualifiedRule]:
    """The rules of a style sheet, outside every media query or inside one."""
    text = (STATIC / sheet).read_text(encoding="utf-8")
    rules = tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True)
    if media:
        inside = (
            tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True)
            for rule in rules
            if rule.type == "at-rule" and tinycss2.serialize(rule.prelude).strip() == media
        )
        rules = [rule for part in inside for rule in part]
    return [rule for rule in rules if rule.type == "qualified-rule"]


@cache
def _colours() -> Mapping[str, str]:
    """The named colours of the page, those of print over them."""
    named: dict[str, str] = {}
    for rule in (*_rules("keeve.css"), *_rules("keeve.css", "print")):
        if ":root" not in re.split(r"[,\s]+", tinycss2.serialize(rule.prelude).strip()):
            continue
        for item in tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True):
            if item.name.startswith("--"):
                named[item.name] = tinycss2.serialize(item.value).strip()
    return named


def _hatches(picture: str) -> str:
    """The hatch patterns that a picture fills with, as templates/drawings/hatches.html has them."""
    drawn = re.findall(r"(?:fill-|hatch-)([\w-]+)", picture) + _ALWAYS
    return f"<defs>{''.join(pattern for name, pattern in _patterns().items() if name in drawn)}</defs>"


# The classes that fill with a hatch without naming it.
_ALWAYS = ["mixed"]


@cache
def _patterns() -> Mapping[str, str]:
    text = (_WEB / "templates" / "drawings" / "hatches.html").read_text(encoding="utf-8")
    return {
        found[2]: found[1]
        for found in re.finditer(r'(<pattern id="hatch-([\w-]+)".*?</pattern>)', text, re.DOTALL)
    }


def values(paper: str, **others: Any) -> dict[str, Any]:
    """The values of every paper template."""
    half_mm = _HALF_MM.get(paper)
    return {
        "paper": SIZES.get(paper, "A4"),
        "two": half_mm is not None,
        "half_mm": half_mm,
        "swatch_svg": swatch_svg,
        "code_of": code_of,
        **others,
    }
