"""What makes a plate a likeness: eyes, hair, ears, nails and creases in a few pen strokes, drawn in the default build and carried along."""

from collections.abc import Iterator
from itertools import pairwise
from math import atan2, cos, hypot, sin

import numpy as np

from merak.core.body.curves import Pair, smooth
from merak.core.body.elsewhere import ARM, THIGH
from merak.core.body.face import rim
from merak.core.body.sketch import Plate

Line = list[Pair]


def features(face: Plate) -> str:
    """The likeness as one path's `d`."""
    if face.name in ("face", "neck", "hands"):
        return _inked(face, {"face": _face, "neck": _neck, "hands": _hands}[face.name]())
    return _inked(face, _limb(ARM if face.name.startswith("arm") else THIGH))


def hair(face: Plate) -> str:
    """Brows and lashes, stroke by stroke, as one path's `d`; "" where there are none."""
    return _inked(face, [*_brow_hair(), *_lashes()]) if face.name == "face" else ""


def hairline(face: Plate) -> str:
    """The hair around a face, beside the plate, as one path's `d`."""
    return _inked(face, [*_hairline()]) if face.name == "face" else ""


def _inked(face: Plate, half: list[Line]) -> str:
    """Lines of the left half and their mirror images, carried onto the plate."""
    d = []
    for line in half:
        at = face.carry(np.array(line, dtype=float))
        for sign in (1, -1):
            d.append("M" + "L".join(f"{sign * x:.1f} {y:.1f}" for x, y in at))
    return "".join(d)


def _face() -> list[Line]:
    return [
        smooth([(17, 74), (24, 69.3), (32, 67.4), (40, 68.9), (48.5, 73.6), (52, 75)]),
        smooth([(17, 74), (24, 77), (32, 78), (40, 77.2), (48.5, 73.6)]),
        smooth([(15.5, 70), (23, 64.4), (32, 62.4), (41, 64), (51, 70)]),
        smooth([(27.6, 68.2), (27.2, 72), (29.4, 76), (33, 77.6), (36.6, 76), (38.6, 72), (38, 68.2)]),
        smooth([(31, 71.6), (33, 70), (35, 71.6), (33.6, 74), (31.6, 73.6), (31, 71.6)]),
        smooth([(20, 83), (28, 86), (38, 85.6), (46, 82)]),
        smooth([(8.6, 70), (8.2, 80), (9.2, 92), (12.6, 101)]),
        smooth([(15, 103.5), (19.8, 106), (21.4, 112), (19, 117.6), (14.6, 118)]),
        smooth([(4.2, 121), (7, 117.8), (11.6, 117.6), (14.2, 119)]),
        smooth([(0, 122.6), (2.6, 122.2), (4.6, 120.6)]),
        smooth([(0, 104), (4.4, 106), (6.4, 111)]),
        smooth([(2.8, 125), (3.6, 129), (4, 133)]),
        smooth([(0, 137.2), (5.4, 134.6), (15, 137.8), (28, 142)]),
        smooth([(0, 143.4), (9, 143.9), (19, 143), (28, 142)]),
        smooth([(0, 154), (9, 153), (19, 148.8), (28, 142)]),
        smooth([(0, 159.4), (7, 158.8), (12, 157)]),
        smooth([(22, 113), (29, 121), (33.6, 131), (35, 139)]),
        smooth([(0, 171.6), (7, 170.6), (11, 167.6)]),
        # the ear: fold, inner fold, flap, hollow
        smooth([(136, 80), (146, 71.5), (157, 73.4), (163, 83), (160.6, 97), (152, 109)]),
        smooth([(143, 83), (150, 80), (154.6, 86), (152.6, 97), (147, 106), (143.4, 113)]),
        smooth([(135.6, 90), (139.6, 95), (138.6, 101), (135, 104)]),
        smooth([(139, 110), (143, 113.6), (147, 113)]),
    ]


def _brow_hair() -> Iterator[Line]:
    """Hairs that stand up at the head and lie down toward the tail."""
    below = smooth([(11, 61), (22, 56.6), (35, 52.6), (47, 54), (60, 58.4)], steps=12)
    above = smooth([(10.8, 56.6), (22, 51), (36, 46.8), (48, 49.8), (60, 58.2)], steps=12)
    for n in range(len(below) - 1):
        (x0, y0), (x1, y1) = below[n], above[n]
        lean = 1.5 + 5.5 * n / len(below)
        yield [(x0, y0), ((x0 + x1) / 2 + lean * 0.35, (y0 + y1) / 2), (x1 + lean, y1 + 0.6 * n / len(below))]
        mid = (y0 + y1) / 2
        yield [(x0 + 0.9, mid + 0.5), (x0 + 0.9 + lean * 0.8, y1 + 0.5 + (n % 3) * 0.4)]


def _lashes() -> Iterator[Line]:
    lid = smooth([(30, 67.5), (36, 67.8), (42, 69.6), (48.5, 73.6)], steps=4)
    for n, (x, y) in enumerate(lid):
        yield [(x, y), (x + 0.5 + n * 0.17, y - 2.6 + n * 0.09)]


def _hairline() -> Iterator[Line]:
    """Hair growing away from the rim: up over the forehead, back at the temples."""
    edge = [point for point in rim() if point[1] <= 80]
    far = 0.0
    for n, ((x0, y0), (x1, y1)) in enumerate(pairwise(edge)):
        span = hypot(x1 - x0, y1 - y0)
        out = atan2(y1 - y0, x1 - x0) - 1.5708
        while far < span:
            t = far / span
            x, y = x0 + (x1 - x0) * t, y0 + (y1 - y0) * t
            long = 5.2 + ((n * 7 + int(far * 13)) % 5) * 0.9
            sway = 0.32 if x > 3 else 0.1
            yield [
                (x, y),
                (x + cos(out) * long * 0.5, y + sin(out) * long * 0.5),
                (x + cos(out + sway) * long, y + sin(out + sway) * long),
            ]
            far += 2.1
        far -= span


def _neck() -> list[Line]:
    return [
        smooth([(6, 147), (24, 142.6), (52, 141.6), (86, 133), (120, 124), (148, 124)]),
        smooth([(12, 153), (30, 149), (56, 148), (88, 140), (122, 131), (146, 131)]),
        smooth([(0, 146), (3.4, 144.6), (6, 140)]),
        smooth([(70, -10), (62, 30), (48, 70), (28, 112), (9, 140)]),
        smooth([(0, 66), (5, 68), (6.4, 76), (3, 84), (0, 86)]),
        smooth([(0, 49), (22, 45), (44, 32), (66, 12)]),
        smooth([(0, 108), (9, 106), (16, 101)]),
        smooth([(3, 196), (2, 222), (6, 250)]),
    ]


def _hands() -> list[Line]:
    found: list[Line] = []
    tips = (
        (25, 156.6, 4.8, 0.08),
        (50, 165.6, 5, 0.02),
        (76, 157.6, 4.8, -0.07),
        (102.4, 129.4, 4.2, -0.25),
        (11.8, 88, 4.4, 0.1),
    )
    for x, y, width, turn in tips:
        nail = [
            (-width, -6.5),
            (-width, 1),
            (-width * 0.6, 4.2),
            (0, 5),
            (width * 0.6, 4.2),
            (width, 1),
            (width, -6.5),
            (0, -8.6),
            (-width, -6.5),
        ]
        found.append(
            [(x + a * cos(turn) - b * sin(turn), y + a * sin(turn) + b * cos(turn)) for a, b in smooth(nail, steps=3)]
        )
    for x, y in ((33, 82), (52, 84), (71, 82), (88.4, 75)):
        found.append(smooth([(x - 6, y - 2), (x, y + 1.6), (x + 6, y - 2)]))
        found.append(smooth([(x + (52.5 - x) * 0.62, 22), (x + (52.5 - x) * 0.3, 50), (x, y - 8)]))
    for x, y in ((28.8, 122), (51, 128), (73.6, 123), (95.8, 105)):
        found.append([(x - 5, y - 1), (x, y), (x + 5, y - 1)])
        found.append([(x - 4.6, y + 1.8), (x, y + 2.8), (x + 4.6, y + 1.8)])
    return found


def _limb(shape: tuple[float, float, float, float]) -> list[Line]:
    """A crease above the low end, the knee's or the elbow's round, and the axis of the limb."""
    top, _, low, length = shape
    centre = 14 + top
    return [
        smooth([(centre - low * 0.8, length * 0.955), (centre, length * 0.985), (centre + low * 0.8, length * 0.955)]),
        smooth(
            [(centre - low * 0.45, length * 0.985), (centre, length * 1.012), (centre + low * 0.45, length * 0.985)]
        ),
        *([(centre, length * (0.04 + 0.1 * n)), (centre, length * (0.065 + 0.1 * n))] for n in range(9)),
    ]
