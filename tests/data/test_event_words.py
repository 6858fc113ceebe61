"""Every event has words, with its figures in the units of the reader."""

import pytest
from helpers import plan, raw_event

from keeve.core.loads.actions import ACTIONS, parse_event
from keeve.figures.event_words import event_words

PLAN = plan()
WORDS = {
    "begun": ({"checks": []}, "Started"),
    "accepted": ({"faults": ["sand-clean"]}, "Checked; mixing anyway: sand clean"),
    "charged": ({"step": 2, "material": "sand", "mass_kg": 12.0, "part": True}, "Added sand, part, <12 mass>"),
    "water_added": ({"water_l": 0.5, "past_ceiling": "A trial"}, "Added water, <0.5 water>, over the max: a trial"),
    "water_lost": ({"water_l": 0.5}, "Spilled water, <0.5 water>"),
    "flow_measured": ({"vessel_l": 12.0, "seconds": 40.0}, "Hose timed, <18 water> per minute"),
    "temperature": ({"mix_c": 31.0, "water_c": 19.0}, "Mix at <31 temperature>, water at <19 temperature>"),
    "admixed": ({"doses": {"plasticiser": 0.5}}, "plasticiser 0.5 dose more"),
    "mixed": ({"minutes": 3.0}, "Remixed, 3 min or more (logged later)"),
    "rested": ({"step": 6}, "Rested"),
    "judged": ({"reading": "right", "cohesion": "sandy"}, "Judged right, sandy"),
    "recounted": (
        {"charged_kg": {"sand": 30.0}, "doses": {"plasticiser": 2.0}},
        "Corrected amounts: sand <30 mass>, plasticiser 2 doses",
    ),
    "correcting": ({"cause": "too-wet", "add_kg": {}}, "Too wet – left as is"),
    "corrected": ({"add_kg": {"cement": 2.0, "sand": 8.0}}, "Added cement <2 mass>, sand <8 mass> to correct it"),
    "placed": ({"volume_l": 20.0, "from_store": True}, "Placed <20 mixed_volume> from stored"),
    "seen": ({"sight": "gloss-going"}, "Seen: gloss going"),
    "stripped": ({}, "Out of the mould"),
    "trimmed": ({"mass_kg": 0.4}, "Trimmed off <0.4 mass>"),
    "weighed": ({"mass_kg": 5.2}, "Weighed <5.2 mass>"),
    "tracking_stopped": ({"reason": "It broke"}, "Stopped tracking: it broke"),
    "stored": ({"volume_l": 20.0}, "Stored <20 mixed_volume>"),
    "given": ({"volume_l": 20.0, "use": "backfill"}, "Used elsewhere, <20 mixed_volume>: backfill"),
    "cleaned": ({}, "Mixer cleaned"),
    "came_out": ({"result": "good"}, "Good"),
    "discarded": ({"reason": "Not needed"}, "Thrown away: not needed"),
    "taken_back": ({}, "Cancelled: started by mistake"),
    "note": ({"text": "board kept wet"}, "Note: board kept wet"),
    "fresh_tested": ({"slump_mm": 60.0}, "Slump <60 size>"),
    "specimens_made": (
        {"shape": "cube", "size_mm": 100.0, "due_days": [7, 28, 28]},
        "Made 3 cubes of <100 size>, due at 7 and 28 days",
    ),
    "specimen_tested": (
        {"made": "00000000-0000-4000-8000-000000000001", "number": 2, "mpa": 31.5},
        "Specimen 2 broke at <31.5 strength>",
    ),
    "specimen_lost": (
        {"made": "00000000-0000-4000-8000-000000000001", "number": 2, "reason": "dropped"},
        "Specimen 2 not tested: dropped",
    ),
    "observed": ({"check": "edges-whole", "holds": True}, "Checked: edges and corners are whole"),
    "amended": (
        {"amends": "00000000-0000-4000-8000-000000000001", "reading": "too-wet", "reason": "Wrong card"},
        "Corrected, to too wet: Wrong card",
    ),
    "undone": ({"cancels": "00000000-0000-4000-8000-000000000001"}, "Undid the step before"),
}  # fmt: skip


@pytest.mark.parametrize("kind", WORDS)
def test_an_event_in_words(kind: str) -> None:
    what, words = WORDS[kind]
    event = parse_event(raw_event(kind, **what))
    assert event_words(event, PLAN, lambda value, unit: f"<{value:g} {unit}>") == words


def test_no_kind_of_event_is_without_words() -> None:
    assert set(ACTIONS) - {"expected"} == set(WORDS)
