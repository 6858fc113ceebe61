"""The JSON Schemas of what is read and written, as docs/ has them."""

from typing import Any

from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Plan
from keeve.formats.pack import Pack


def schemas() -> dict[str, dict[str, Any]]:
    """Each of them by its file name."""
    return {
        "job.schema.json": Job.model_json_schema(),
        "mix.schema.json": Mix.model_json_schema(),
        "pack.schema.json": Pack.model_json_schema(mode="serialization"),
        "plan.schema.json": Plan.model_json_schema(mode="serialization"),
    }
