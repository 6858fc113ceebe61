"""State drawings: what each reading of a test looks like, from one function of wetness a test."""

from collections.abc import Callable, Mapping

from keeve.core.mixes.model import Drawing, Reading
from keeve.drawing.states.bleed import bleed
from keeve.drawing.states.cloth import cloth
from keeve.drawing.states.drag_fold import drag_fold
from keeve.drawing.states.float_hold import float_hold
from keeve.drawing.states.gloss_trail import gloss_trail
from keeve.drawing.states.hemp_ball import hemp_ball
from keeve.drawing.states.islands import islands
from keeve.drawing.states.plaster_stages import plaster_stages
from keeve.drawing.states.self_level import self_level
from keeve.drawing.states.shape import Shape
from keeve.drawing.states.slow_fold import slow_fold
from keeve.drawing.states.slump_cone import slump_cone
from keeve.drawing.states.soft_peak import soft_peak
from keeve.drawing.states.squeezed_ball import squeezed_ball
from keeve.drawing.states.stone_ball import stone_ball
from keeve.drawing.states.thin_pour import thin_pour
from keeve.drawing.states.tint import tint
from keeve.drawing.states.trowel import trowel
from keeve.drawing.states.trowel_tap import trowel_tap

DRAWINGS: Mapping[Drawing, Callable[[float, bool], list[Shape]]] = {
    "trowel": trowel,
    "trowel-tap": trowel_tap,
    "bleed": bleed,
    "drag-fold": drag_fold,
    "slow-fold": slow_fold,
    "slump-cone": slump_cone,
    "squeezed-ball": squeezed_ball,
    "stone-ball": stone_ball,
    "hemp-ball": hemp_ball,
    "float": float_hold,
    "thin-pour": thin_pour,
    "tint": tint,
    "soft-peak": soft_peak,
    "self-level": self_level,
    "islands": islands,
    "gloss-trail": gloss_trail,
    "cloth": cloth,
    "plaster-stages": plaster_stages,
}

# Wetness runs from 0, too dry, over 0.5, right, to 1, too wet. What is not mixed yet may be either.
_WETNESS: Mapping[Reading, float] = {"too-dry": 0.0, "right": 0.5, "too-wet": 1.0, "not-mixed-yet": 0.5}
# A mix that an admixture loosens is drawn slacker where it is right, and not as stiff where it is dry.
_LOOSENED: Mapping[Reading, float] = {**_WETNESS, "too-dry": 0.1, "right": 0.64}


def state_of(drawing: Drawing, reading: Reading, *, loosened: bool = False) -> list[Shape]:
    """The shapes of a reading, back to front, on a sheet of 250 by 180; ``loosened``: an admixture makes it flow."""
    wetness = (_LOOSENED if loosened else _WETNESS)[reading]
    return DRAWINGS[drawing](wetness, reading != "not-mixed-yet")


def state_at(drawing: Drawing, wetness: float) -> list[Shape]:
    """The shapes of a mixed batch that is so wet, from 0 too dry over 0.5 right to 1 too wet."""
    return DRAWINGS[drawing](wetness, True)
