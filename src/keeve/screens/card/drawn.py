"""A card as its templates read it, on a page, on paper and on a device without signal."""

from typing import Any

from keeve.drawing.section import section
from keeve.drawing.set_clock import clock_lines
from keeve.drawing.water_line import water_lines
from keeve.screens.card.view import LoadCard


def drawn(card: LoadCard) -> dict[str, Any]:
    """A card with its pictures."""
    return {
        "load": card.load,
        "steps": card.steps,
        "section": section(card.section),
        "lines": water_lines(card.water),
        "expected_words": card.expected_words,
        "clock": card.clock,
        "ticket": card.ticket,
        "clocks": clock_lines(card.clock) if card.clock else [],
    }
