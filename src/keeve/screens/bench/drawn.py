"""The bench as its templates read it: a server draws it with them, and a device without signal."""

from typing import Any

from keeve.drawing.drying import drying_charts
from keeve.drawing.section import section
from keeve.drawing.set_clock import clock_lines
from keeve.drawing.states import state_at, state_of
from keeve.drawing.states.plaster_stages import stage_drawing
from keeve.drawing.water_line import water_lines
from keeve.screens.bench.view import BenchView, between_readings


def drawn(view: BenchView) -> dict[str, Any]:
    """A bench with its pictures."""
    return {
        "bench": view,
        "running": view.running,
        "plan": view.running.plan,
        "load": view.now.load,
        "load_id": view.running.id,
        "state": view.running.state,
        "now": view.now,
        "section": section(view.section),
        "lines": water_lines(view.water),
        "clock": view.clock,
        "clocks": clock_lines(view.clock) if view.clock else [],
        "charts": drying_charts(view.drying) if view.drying else [],
        "stage_drawing": stage_drawing,
        "state_of": state_of,
        "state_at": state_at,
    }


def drawn_between(view: BenchView) -> dict[str, Any]:
    """The looks between too dry and too wet, of the test that is asked for now, each with its picture."""
    found = between_readings(view)
    slides = [(slide, state_at(slide.drawing, slide.wetness)) for slide in found.slides]
    return {"slides": slides, "found": found}
