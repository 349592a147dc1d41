"""Smooth curves through points, for outlines that a hand would draw."""

from collections.abc import Sequence
from math import cos, pi, sin

import numpy as np
from shapely import Polygon

Pair = tuple[float, float]
#: Pieces a span: chords of a few millimetres, within a quarter millimetre of the curve.
STEPS = 4


def smooth(points: Sequence[Pair], closed: bool = False, steps: int = STEPS) -> list[Pair]:
    """A centripetal-free Catmull–Rom curve (tension one half) through the points, `steps` pieces a span."""
    ends = points[-1:], points[:2]
    padded = [*ends[0], *points, *ends[1]] if closed else [points[0], *points, points[-1]]
    control = np.asarray(padded, dtype=float)
    t = np.linspace(0, 1, steps, endpoint=False)[:, None]
    curve: list[Pair] = []
    for a, b, c, d in zip(control, control[1:], control[2:], control[3:], strict=False):
        span = 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
        curve.extend((float(x), float(y)) for x, y in span)
    return curve if closed else [*curve, points[-1]]


def ellipse(x: float, y: float, rx: float, ry: float, steps: int = 36) -> Polygon:
    """An ellipse as a polygon."""
    return Polygon([(x + rx * cos(2 * pi * i / steps), y + ry * sin(2 * pi * i / steps)) for i in range(steps)])
