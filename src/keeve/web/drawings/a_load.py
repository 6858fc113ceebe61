"""A load of concrete in its mixer: the picture of what is to come, where there is nothing yet."""

from functools import cache

from keeve.core.mixes import library
from keeve.services.views.mixes import mix_figures
from keeve.services.views.sections import section_figures
from keeve.web.drawings.section import Section, section


@cache
def a_load() -> Section:
    """Its section."""
    plan = mix_figures(library()["concrete-nominal"]).plan
    return section(section_figures(plan, plan.loads[0]))
