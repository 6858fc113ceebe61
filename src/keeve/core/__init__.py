"""The rules of the job: pure, typed, SI inside, without interface or database.

Its packages depend on each other in one direction: rules, mixes, planning, loads, stockpile.
"""

from keeve.core.errors import InputError
from keeve.core.loads import LoadEvent, LoadState, fold
from keeve.core.planning import Job, Load, Plan, make_plan
from keeve.core.rules import calc

__all__ = ["InputError", "Job", "Load", "LoadEvent", "LoadState", "Plan", "calc", "fold", "make_plan"]
