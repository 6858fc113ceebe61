"""Job files: JSON in, a validated job out; and the JSON Schemas of job, plan and mix."""

from typing import Any

from keeve.core.errors import validated
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Plan
from keeve.core.rules.registry import parse_json

MEDIA_TYPE = "application/vnd.keeve.job+json"


def read_job(raw: Any) -> Job:
    """A job from plain JSON values.

    Raises:
        InputError: a field that is wrong, named.
    """
    return validated(Job, raw)


def parse_job(text: str) -> Job:
    """A job from the text of a job file.

    Raises:
        InputError: broken JSON, or a field that is wrong, named.
    """
    return read_job(parse_json(text))


def write_job(job: Job) -> dict[str, Any]:
    """The plain values of a job file: what was given, without what was left out."""
    return job.model_dump(mode="json", exclude_unset=True, exclude_none=True)


def schemas() -> dict[str, dict[str, Any]]:
    """The JSON Schemas shipped in docs/, by file name."""
    return {
        "job.schema.json": Job.model_json_schema(),
        "mix.schema.json": Mix.model_json_schema(),
        "plan.schema.json": Plan.model_json_schema(mode="serialization"),
    }
