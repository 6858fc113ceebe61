"""Rendering pages: the templates, and how figures are set in them."""

from collections.abc import Mapping
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, StrictUndefined, pass_context
from jinja2.runtime import Context
from starlette.templating import Jinja2Templates

from keeve.core.mixes.model import MIXER_NAMES, ORDER_NAMES, QUARTERS, READING_NAMES, RETEMPERING_NAMES
from keeve.core.planning.amounts import fill_of, gauged, gauged_step, jar_for
from keeve.core.planning.plan import nearest_quarter
from keeve.core.running.next_step import OVER, Act
from keeve.core.units import DISPLAY_UNITS, Kind, to_kept, to_shown
from keeve.web.security import FORM_FIELD, form_token

_THIN_SPACE = "\u202f"

# What a load is waiting for, as the words that lead there.
_NEXT_WORDS: Mapping[Act, str] = {
    "accept": "Look at the materials",
    "charge": "Charge it",
    "water": "Water in",
    "admix": "Admixture in",
    "rest": "Let it rest",
    "mix": "Mix on",
    "judge": "Judge it",
    "add_water": "Add water",
    "ceiling": "At its ceiling",
    "correct": "Bring it back",
    "top_up": "Top it up",
    "place": "Place it",
    "dead": "Discard it",
    "clean": "Clean up",
    "stored": "In store",
    "done": "See it",
}

_environment = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,
    cache_size=-1,
    bytecode_cache=FileSystemBytecodeCache(),
)
_templates = Jinja2Templates(env=_environment)


def load_templates() -> None:
    """Load every template now, so that the first visitors do not wait while all of them compile the same ones."""
    for name in _environment.list_templates():
        _environment.get_template(name)


def page(request: Request, template: str, status: int = 200, **values: Any) -> HTMLResponse:
    """A page or a part of one."""
    visitor = request.state.visitor
    return _templates.TemplateResponse(
        request,
        template,
        {
            "visitor": visitor,
            "units": visitor.units if visitor else "metric",
            "form_field": FORM_FIELD,
            "form_token": form_token(request),
            **values,
        },
        status_code=status,
    )


@pass_context
def _measure(context: Context, value: float, kind: Kind, decimals: int | None = None) -> str:
    """A kept figure with its unit, in the units of the reader."""
    measure = DISPLAY_UNITS[context["units"]][kind]
    shown = to_shown(value, kind, context["units"])
    return f"{_decimal(shown, measure.decimals if decimals is None else decimals)}{_THIN_SPACE}{measure.unit}"


@pass_context
def _unit(context: Context, kind: Kind) -> str:
    unit: str = DISPLAY_UNITS[context["units"]][kind].unit
    return unit


def _decimal(value: float, decimals: int = 1) -> str:
    """A figure with so many decimals; never a minus before nothing."""
    text = f"{value:.{decimals}f}"
    return text.lstrip("-") if float(text) == 0 else text


# What is left of a rounding is nothing.
_NOTHING = 1e-9


def _short(value: float) -> str:
    """A figure without needless decimals."""
    return f"{0.0 if abs(value) < _NOTHING else value:.4g}"


def slug(text: str) -> str:
    """A text as a name for a file or an id: small letters, figures and hyphens; may be empty."""
    kept = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in text.lower())
    return "-".join(filter(None, kept.split("-")))


def _sentence(text: str) -> str:
    """The text with a capital to begin with, the rest as it is."""
    return text[:1].upper() + text[1:]


def _vessels(count: float, name: str) -> str:
    """A count of vessels in quarters, set as fractions."""
    quarters = nearest_quarter(count)
    whole, part = int(quarters), quarters % 1
    figure = f"{whole or ''}{QUARTERS.get(part, '')}" or "under ¼"
    return f"{figure} {name}" if quarters <= 1 else f"{figure} {name}s"


@pass_context
def _shown(context: Context, value: float, kind: Kind) -> str:
    """A kept figure for an input, in the units of the reader."""
    measure = DISPLAY_UNITS[context["units"]][kind]
    return _decimal(to_shown(value, kind, context["units"]), measure.decimals)


@pass_context
def _kept_per_unit(context: Context, kind: Kind) -> float:
    """What one unit more as shown is in the unit it is kept in, for the page's scripts."""
    return to_kept(1.0, kind, context["units"]) - to_kept(0.0, kind, context["units"])


@pass_context
def _kept_of_nothing(context: Context, kind: Kind) -> float:
    """What nothing as shown is in the unit it is kept in: 0 but for temperatures."""
    return to_kept(0.0, kind, context["units"])


# The endings of field names, the longer before the shorter, and the units they stand for.
_ENDINGS: Mapping[str, str] = {
    "_kg_m3": "kg/m³", "_kg_l": "kg/L", "_m3_h": "m³/h", "_m3": "m³", "_m2": "m²", "_mm": "mm", "_m": "m",
    "_kg": "kg", "_t": "t", "_mpa": "MPa", "_ml": "mL", "_l": "L", "_min": "min", "_c": "°C", "_fraction": "",
}  # fmt: skip


@lru_cache(maxsize=512)
def _named(name: str) -> dict[str, str]:
    """A field's name in words, and its unit."""
    for ending, unit in _ENDINGS.items():
        if name.endswith(ending):
            return {"words": _words(name.removesuffix(ending)), "unit": unit}
    return {"words": _words(name), "unit": ""}


def _words(name: str) -> str:
    return name.replace("_", " ")


def _assumption(name: str, value: float) -> str:
    """A default that was taken, such as ``sand moisture 0.04``."""
    named = _named(name.removeprefix("materials.").replace(".", " "))
    return f"{named['words']} {_short(value)} {named['unit']}".rstrip()


def _clock(moment: datetime) -> str:
    """The time of day, as of the machine that serves the page."""
    return moment.astimezone().strftime("%H:%M")


def _clock_seconds(moment: datetime) -> str:
    return moment.astimezone().strftime("%H:%M:%S")


def _day(moment: datetime) -> str:
    return moment.astimezone().strftime("%a %d %b %Y")


def _span(length: timedelta) -> str:
    """Hours and minutes."""
    minutes = max(round(length.total_seconds() / 60), 0)
    return f"{minutes // 60} h {minutes % 60} min" if minutes >= 60 else f"{minutes} min"


def _epoch_ms(moment: datetime | None) -> str:
    """A moment for the page's scripts; empty for none."""
    return "" if moment is None else str(round(moment.timestamp() * 1000))


def _minutes(value: float) -> str:
    """Minutes and seconds, as on a stopwatch."""
    return f"{int(value)}:{round(value % 1 * 60):02d}"


_FILTERS: Mapping[str, Any] = {
    "measure": _measure,
    "unit_of": _unit,
    "decimal": _decimal,
    "short": _short,
    "sentence": _sentence,
    "vessels": _vessels,
    "shown": _shown,
    "kept_per_unit": _kept_per_unit,
    "kept_of_nothing": _kept_of_nothing,
    "named": _named,
    "assumption": _assumption,
    "clock": _clock,
    "clock_seconds": _clock_seconds,
    "day": _day,
    "span": _span,
    "epoch_ms": _epoch_ms,
    "minutes": _minutes,
}
_environment.filters.update(_FILTERS)
# What sets the size of a load, in a sentence.
_LIMITS: Mapping[str, str] = {
    "mixer": "What the mixer mixes at a time sets the size of a load.",
    "bag": "Whole bags set the size of a load.",
    "life": "What is placed inside the working life sets the size of a load.",
    "crew": "What the crew places while the next is mixed sets the size of a load.",
    "pack": "A colour or tint pack belongs to its bags: it sets the size of a load.",
}
_environment.globals.update(
    LIMITS=_LIMITS,
    fill_of=fill_of,
    jar_for=jar_for,
    gauged_amount=gauged,
    gauged_step=gauged_step,
    MIXER_NAMES=MIXER_NAMES,
    ORDER_NAMES=ORDER_NAMES,
    READING_NAMES=READING_NAMES,
    RETEMPERING_NAMES=RETEMPERING_NAMES,
    DISPLAY_UNITS=DISPLAY_UNITS,
    NEXT_WORDS=_NEXT_WORDS,
    OVER=OVER,
)
