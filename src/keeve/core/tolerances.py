"""The tolerances of the core in one place: what counts as equal, as whole, and as nothing."""

import math

# Rounding of binary floats in a sum or a quotient, in any unit.
ROUNDING = 1e-9
# Less than anybody can measure, in mm, kg or °C.
UNMEASURABLE = 1e-6

# Measured by eye off a jug, and sums of such, L: that much short is nothing, that much over the ceiling is the ceiling.
DROP_L = 0.05
# The least step of water that can be poured beside a mixer, L.
LEAST_POUR_L = 0.1
# Less than that sticks to the shovel, kg: nobody measures it out beside a mixer.
CRUMB_KG = 0.01
# Less than this share of a load left in the mixer is what sticks to it.
STICKS_FRACTION = 0.005
# Kilograms sent and kilograms shown are the same, but for how a number is written.
WRITTEN_FRACTION = 1e-3
# So much less than was worked out is near enough: nobody buys or opens a bag for its last spoonful. A judgement.
NEAR_ENOUGH_FRACTION = 0.01
# A count off by less is what a level vessel is off by anyway.
COUNT_FRACTION = 0.02


def is_over(volume_l: float, room_l: float) -> bool:
    """Whether a volume is more than there is room for: a mixer is full within a hundredth."""
    return volume_l > room_l * (1 + NEAR_ENOUGH_FRACTION)


def drop_of(most_l: float) -> float:
    """As much water as nobody pours beside a load that takes this much, L: a drop, of a small load less."""
    return min(DROP_L, NEAR_ENOUGH_FRACTION * most_l)


def whole_up(number: float) -> int:
    """The next whole number; what is a rounding over a whole number is that number."""
    return math.ceil(number - ROUNDING)


def whole_down(number: float) -> int:
    """The whole number below; what is a rounding under a whole number is that number."""
    return math.floor(number + ROUNDING)


# Smaller than any figure, and than what is left of a rounding: a slip.
NO_SIZE = 1e-30
