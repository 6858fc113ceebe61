"""A job in, a plan out."""

from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Load, Plan

__all__ = ["Job", "Load", "Plan", "make_plan"]
