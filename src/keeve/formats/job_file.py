"""Job files: JSON in, a validated job out."""

from collections.abc import Iterator, Mapping
from typing import Any

from keeve.core.errors import InputError, validated
from keeve.core.planning.job import Job
from keeve.core.rules.registry import parse_json
from keeve.core.tolerances import NO_SIZE

MEDIA_TYPE = "application/vnd.keeve.job+json"


def read_job(raw: Any) -> Job:
    """A job from plain JSON values.

    Raises:
        InputError: a field that is wrong, named.
    """
    job = validated(Job, raw)
    if tiny := next(_tiny(raw, ""), ""):
        message = f"{tiny} is too small. Check the decimal point and the unit."
        raise InputError("too_small", message, [tiny])
    return job


def _tiny(value: Any, path: str) -> Iterator[str]:
    """The paths of sizes so small that what is divided by them is no number any more; a share may be so small."""
    if isinstance(value, float) and 0 < abs(value) < NO_SIZE and not path.endswith("fraction"):
        yield path
    parts = (
        value.items() if isinstance(value, Mapping) else enumerate(value) if isinstance(value, list) else ()
    )
    for name, part in parts:
        yield from _tiny(part, f"{path}.{name}".removeprefix("."))


def parse_job(text: str) -> Job:
    """A job from the text of a job file.

    Raises:
        InputError: broken JSON, or a field that is wrong, named.
    """
    return read_job(parse_json(text))


def write_job(job: Job) -> dict[str, Any]:
    """The plain values of a job file: what was given, without what was left out."""
    return job.model_dump(mode="json", exclude_unset=True, exclude_none=True)
