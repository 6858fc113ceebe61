"""A small mix that is only timed and poured, for the tests: the casting plaster of ``trade.md`` cut down to its clock.

Its figures are invented for the tests, but for the ratio and the window, which are common practice, no source.
"""

from typing import Any

TIMED_MIX: dict[str, Any] = {
    "id": "casting-trial",
    "name": "Casting trial",
    "basis": "mass",
    "regime": "timed",
    "uses": ["cast"],
    "parts": [{"name": "plaster", "material": "hydrated-lime", "parts": 100}],
    "water": {
        "ratio_low": 0.7,
        "ratio_default": 0.7,
        "ratio_high": 0.7,
        "start_share": 1,
        "why": "All of it, weighed.",
    },
    "ratio_name": "water to plaster",
    "air_fraction": 0.0,
    "wet_out_min": 0,
    "retempering": "never",
    "retempering_why": "It sets, whatever is added.",
    "pour_from_min": 10,
    "life_min": 12,
    "too_much_water": "soft",
    "too_little_water": "thickens in the bucket",
    "placing": "In a thin stream, from one corner.",
    "procedures": [
        {
            "mixer": "two-buckets",
            "order": "water-first",
            "why": "Powder onto water, never the reverse.",
            "steps": [
                {"kind": "water", "do": "The water", "share": 1, "minutes": [0, 1], "why": "Cool."},
                {
                    "kind": "charge",
                    "do": "Sprinkle in the plaster",
                    "material": "plaster",
                    "share": 1,
                    "minutes": [1, 2],
                    "why": "No dry islands stay.",
                },
                {"kind": "rest", "do": "Let it soak", "minutes": [3, 4], "why": "Every grain wets."},
                {"kind": "mix", "do": "Mix", "minutes": [2, 5], "why": "Without air."},
                {"kind": "place", "do": "Pour", "minutes": [0, 2], "why": "As the gloss goes."},
            ],
        }
    ],
    "gauges": {"weight": "By weight."},
    "cautions": [{"code": "heat", "text": "Setting plaster gets hot."}],
    "provenance": [{"figure": "all", "origin": "invented for the tests"}],
}


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
