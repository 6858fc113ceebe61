"""The ceiling rose of the boathouse as a mesh: eight petals round a boss, in a moulded rim. Invented."""

import math
import struct

# Its radius and height, mm; how many steps round it and out from its middle.
RADIUS_MM, HEIGHT_MM = 210.0, 70.0
_ROUND, _OUT = 144, 48
_PETALS = 8


def rose_stl() -> bytes:
    """The rose, face up on its back, as a binary STL in millimetres."""
    rings = [[_corner(out / _OUT, turn) for turn in range(_ROUND)] for out in range(1, _OUT + 1)]
    middle, foot = (0.0, 0.0, _height(0.0, 0.0)), (0.0, 0.0, 0.0)
    back = [(x, y, 0.0) for x, y, _ in rings[-1]]
    triangles = []
    for turn in range(_ROUND):
        after = (turn + 1) % _ROUND
        triangles.append((middle, rings[0][turn], rings[0][after]))
        for inner, outer in zip([*rings[:-1], rings[-1]], [*rings[1:], back], strict=True):
            triangles.append((inner[turn], outer[turn], outer[after]))
            triangles.append((inner[turn], outer[after], inner[after]))
        triangles.append((foot, back[after], back[turn]))
    body = b"".join(struct.pack("<12fH", 0, 0, 0, *one, *two, *three, 0) for one, two, three in triangles)
    return struct.pack("<80sI", b"Ceiling rose", len(triangles)) + body


def _corner(out: float, turn: int) -> tuple[float, float, float]:
    angle = 2 * math.pi * turn / _ROUND
    radius = RADIUS_MM * out
    return radius * math.cos(angle), radius * math.sin(angle), _height(out, angle)


def _height(out: float, angle: float) -> float:
    """A boss in the middle, petals that swell and fall, a rim."""
    boss = math.exp(-((out / 0.16) ** 2))
    petal = max(math.sin(math.pi * min(max((out - 0.18) / 0.6, 0.0), 1.0)), 0.0) * (
        0.62 + 0.38 * math.cos(_PETALS * angle)
    )
    rim = 0.42 * math.exp(-(((out - 0.92) / 0.05) ** 2))
    return HEIGHT_MM * min(0.24 + 0.76 * max(boss, 0.7 * petal, rim), 1.0)
