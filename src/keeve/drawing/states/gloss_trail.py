"""Plaster standing in its bucket, a finger drawn through it: does it shine, does the trail close?"""

from keeve.drawing.states.shape import Shape, dryness, excess, line, lumps

_LEFT, _RIGHT, _RIM, _BOTTOM = 26.0, 224.0, 40.0, 170.0
_LEVEL, _DEEP = 74.0, 22.0


def gloss_trail(wetness: float, mixed: bool) -> list[Shape]:
    """The bucket seen from above its rim, the trail across its surface.

    Args:
        wetness: 0 stiff, the trail stays open; 0.5 gloss going, the trail closes slowly; 1 watery, no trail.
        mixed: whether it is smooth.
    """
    dry, wet = dryness(wetness), excess(wetness)
    middle_x = (_LEFT + _RIGHT) / 2
    half = (_RIGHT - _LEFT) / 2 - 6
    half_turn = f"a{half},{_DEEP + 6} 0 1 0"
    surface = f"M{middle_x - half},{_LEVEL} {half_turn} {2 * half},0 {half_turn} {-2 * half},0 Z"
    body = (
        f"M{middle_x - half},{_LEVEL} L{_LEFT + 20},{_BOTTOM - 6} Q{middle_x},{_BOTTOM + 8} "
        f"{_RIGHT - 20},{_BOTTOM - 6} L{middle_x + half},{_LEVEL} Z"
    )
    shapes = [Shape("plaster", body), Shape("puddle" if wet > 0.6 else "plaster-face", surface)]
    if wet > 0.6:
        waves = ((66, 68, 44), (128, 76, 52), (88, 86, 60), (150, 64, 36))
        shapes += [Shape("ripple", f"M{x},{y} q{w / 4},-6 {w / 2},0 t{w / 2},0") for x, y, w in waves]
        return [*shapes, *_bucket()]
    if dry < 0.6:
        # What is left of the gloss: a few streaks of light on one side.
        lights = (((64, 66), (88, 60)), ((72, 76), (104, 68)), ((150, 60), (176, 64)))
        shapes += [Shape("shine", line(list(ends))) for ends in lights[: 3 - round(2 * dry)]]
    shapes += _trail(dry)
    if not mixed:
        shapes += lumps("powder", ((84, 86, 8), (144, 68, 7), (172, 82, 6)))
    return [*shapes, *_bucket()]


def _trail(dry: float) -> list[Shape]:
    """The trail of a finger from left to right: open to its end, or closed at its beginning already."""
    begins = 62 + 70 * (1 - dry)
    upper = [(begins, 84), (begins + 14, 78 - 2 * dry), (176, 72 - 4 * dry), (188, 74)]
    lower = [(188, 82), (174, 88 + 4 * dry), (begins + 16, 90 + 4 * dry), (begins, 86)]
    shapes = [Shape("trench", line([*upper, *lower], closed=True))]
    if dry > 0.4:
        # The walls stand, their edges broken.
        shapes += [
            Shape("crack", line([(x, 70 - 3 * dry), (x + 4, 64 - 3 * dry), (x + 9, 69 - 3 * dry)]))
            for x in (88, 116, 146, 170)
        ]
        shapes += [Shape("crack", line([(x, 93), (x + 5, 99), (x + 10, 93)])) for x in (76, 108, 140, 166)]
    else:
        shapes.append(Shape("seam", f"M62,86 Q{(62 + begins) / 2},82 {begins},85"))
    return shapes


def _bucket() -> list[Shape]:
    foot = _BOTTOM - 4
    walls = f"M{_LEFT},{_RIM} L{_LEFT + 20},{foot} Q125,{foot + 14} {_RIGHT - 20},{foot} L{_RIGHT},{_RIM}"
    rim = f"M{_LEFT},{_RIM} a{(_RIGHT - _LEFT) / 2},16 0 0 1 {_RIGHT - _LEFT},0"
    return [Shape("vessel", walls), Shape("vessel", rim)]
