"""A small mix that is only timed and poured, for the tests, and a job of it."""

from pathlib import Path
from typing import Any

import yaml

TIMED_MIX: dict[str, Any] = yaml.safe_load(Path(__file__).with_suffix(".yaml").read_text(encoding="utf-8"))


def timed_job() -> dict[str, Any]:
    """The changes that make the example a job of it: 4 L in two buckets."""
    return {
        "mix": TIMED_MIX,
        "need": {"volume_m3": 0.004},
        "waste_fraction": 0,
        "mixer": {"kind": "two-buckets", "working_l": 5},
        "materials": {},
        "vessels": [],
    }
