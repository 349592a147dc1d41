"""Two photographs of one face laid over each other by landmarks that were clicked in both."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from merak.core.errors import BadInput

#: Fewer pairs leave turn and size open.
LEAST = 2


class Similarity(NamedTuple):
    """x′ = a·x − b·y + e, y′ = b·x + a·y + f, in pixels; `off` is the root mean square that landmarks still lie apart,
    in pixels.
    """

    a: float
    b: float
    e: float
    f: float
    off: float

    @property
    def matrix(self) -> str:
        """As SVG writes it."""
        return f"matrix({self.a:.6f} {self.b:.6f} {-self.b:.6f} {self.a:.6f} {self.e:.3f} {self.f:.3f})"

    def apart(self, width: float) -> float:
        """How far landmarks still lie apart, as a share of a picture's width (pixels)."""
        return self.off / width


def similarity(before: Sequence[tuple[float, float]], after: Sequence[tuple[float, float]]) -> Similarity:
    """The turn, size and shift, without mirroring, that bring the landmarks of one picture nearest to those of another,
    in least squares (Umeyama 1991, in the plane where it is linear). Points in pixels, in the same order.

    Raises BadInput on "landmarks" for fewer than two pairs, or for points that all lie on one spot.
    """
    if len(before) != len(after) or len(before) < LEAST:
        raise BadInput({"landmarks": f"At least {LEAST} landmarks, the same in both pictures."})
    x, y = np.array(before, dtype=float), np.array(after, dtype=float)
    mx, my = x.mean(axis=0), y.mean(axis=0)
    u, v = x - mx, y - my
    size = float((u**2).sum())
    if size < 1e-9:
        raise BadInput({"landmarks": "The landmarks lie on one spot."})
    a = float((u * v).sum()) / size
    b = float((u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]).sum()) / size
    e, f = my[0] - a * mx[0] + b * mx[1], my[1] - b * mx[0] - a * mx[1]
    laid = np.column_stack([a * x[:, 0] - b * x[:, 1] + e, b * x[:, 0] + a * x[:, 1] + f])
    return Similarity(a, b, float(e), float(f), float(np.sqrt(((laid - y) ** 2).sum(axis=1).mean())))
