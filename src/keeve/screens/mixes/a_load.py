"""A load of concrete in its mixer: the picture of what is to come, where there is nothing yet."""

from functools import cache

from keeve.core.mixes import library
from keeve.drawing.section import Section, section
from keeve.figures.sections import section_figures
from keeve.screens.mixes.view import mix_figures


@cache
def a_load() -> Section:
    """Its section."""
    plan = mix_figures(library()["concrete-nominal"]).plan
    return section(section_figures(plan, plan.loads[0]))
