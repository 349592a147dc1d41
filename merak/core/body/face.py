"""The face unrolled, from ear to ear and from hairline to chin, scaled by three soft tapes."""

from functools import cache

import numpy as np
from shapely import LineString, Point, Polygon

from merak.core.body.curves import STEPS, ellipse, smooth
from merak.core.body.sketch import Coordinates, Move, Sketch
from merak.core.errors import BadInput
from merak.core.knowledge import landmarks, number
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    mm: face.ear_chin_ear face.ear_chin_ear.men
    rad: face.turn.least face.turn.most
    """,
)

#: Where the first and the third tape meet the second: the side of the face turns about it.
HINGE = "base of the nose"
#: The turn is found when the tape agrees to this (mm), or after so many steps.
TURN_MM, TURN_STEPS = 1e-4, 40
#: How far above the ear a turn is felt: it has faded at the outer corner of the eye.
UPWARD_RAD = 0.7
RIM = (
    "hairline centre",
    "hairline side",
    "temple corner",
    "temple hairline",
    "sideburn",
    "tragus",
    "ear lobe",
    "jaw angle",
    "mid jaw",
)
needs(__name__, landmark=(*RIM, HINGE, "chin point", "tragus"))


def rim() -> list[tuple[float, float]]:
    """The rim of the default half from the centre of the hairline to the chin point, as a smooth curve."""
    at = landmarks("face")
    half = [at[name] for name in RIM]
    whole = [*half, at["chin point"], *((-x, y) for x, y in reversed(half) if x)]
    curve = smooth(whole, closed=True)
    return [(0.0, curve[0][1]), *(point for point in curve[1 : STEPS * len(RIM)] if point[0] > 0), at["chin point"]]


def ear() -> list[tuple[float, float]]:
    """The ear's rim beside the face, from its root above to the lobe."""
    return smooth(
        [
            (126, 92),
            (131, 76),
            (145, 65.5),
            (160, 68.5),
            (168.5, 82),
            (166, 99),
            (156, 112),
            (149, 124),
            (140, 130),
            (130, 121),
        ]
    )


@cache
def sketch() -> Sketch:
    """The default left half: the face up to the midline with the ear beside it."""
    half = Polygon(rim())
    beside = Polygon(ear()).difference(half)
    return Sketch(Polygon(half.union(beside.buffer(0.01)).exterior), _drawn(half), _spots())


def _drawn(half: Polygon) -> dict[str, Polygon]:
    far = 220.0
    lid_line = smooth([(8, 74.5), (17, 73.5), (32, 71), (48, 73), (60, 75)])
    orbit = ellipse(33, 72.5, 23.5, 15)
    temporal = smooth([(61, 58), (66, 48), (70, 36), (74, 22), (76, 10)])
    arch = smooth([(58, 90), (73, 80), (90, 81), (106, 79), (140, 82)])
    return {
        "ear": Polygon([(100, 40), (far, 40), (far, 145), (100, 145)]).difference(half),
        "upper lid": orbit.intersection(Polygon([(0, 40), *lid_line, (far, 74), (far, 40)])),
        "under-eye": orbit,
        "brow": Polygon(
            [*smooth([(11, 54), (22, 48.5), (36, 43.5), (48, 47), (61, 58)]), (56, 70), (33, 73), (9, 72), (9, 60)]
        ),
        "nose bridge": Polygon([(-1, 65), *smooth([(7, 66), (9.5, 75), (11.5, 86), (15.5, 97)]), (-1, 97)]),
        "nose tip and wings": Polygon(
            [(-1, 96), *smooth([(15.3, 96.5), (20, 103), (22.3, 111), (19, 118.5), (10, 122), (-1, 123)])]
        ),
        "lips": Polygon(
            [
                (-1, 136.8),
                *smooth([(0, 136.8), (6, 134.3), (16, 137.6), (28, 142), (19, 149), (9, 153.2), (0, 154)]),
                (-1, 154),
            ]
        ),
        "upper lip": Polygon(
            [(-1, 115), (17.5, 116), *smooth([(19, 119), (22, 127), (26, 135), (28.5, 142)]), (-1, 148)]
        ),
        "mouth corner and fold": Polygon(
            smooth(
                [
                    (18.5, 117),
                    (22.5, 110),
                    (30, 119),
                    (36, 131),
                    (39, 144),
                    (37.5, 156),
                    (33, 166),
                    (29, 163),
                    (27.5, 152),
                    (25, 142),
                    (22, 130),
                ],
                closed=True,
            )
        ),
        "glabella": Polygon([(-1, 41), *smooth([(7, 42), (11.5, 50), (11.5, 60), (9, 67.5)]), (-1, 67.5)]),
        "crow's feet": Polygon(
            smooth([(50, 70), (56, 61), (63, 58.5), (71, 64), (74.5, 75), (71, 86), (62, 92), (52, 84)], closed=True)
        ),
        "forehead": Polygon([(-1, -20), (76, -20), *temporal[::-1], (40, 60), (-1, 66)]),
        "temple": Polygon([*temporal, (far, 10), (far, 40), (150, 60), *arch[::-1]]),
        "chin": Polygon(
            [(-1, 140), (28, 142), *smooth([(28.5, 150), (31, 160), (33, 168), (31, 178), (25, 196)]), (-1, 200)]
        ),
        "jawline": Polygon(
            [
                *smooth([(25, 176), (45, 166), (68, 153), (90, 138), (106, 125), (120, 118), (141, 115)]),
                (far, 115),
                (far, 220),
                (20, 220),
            ]
        ),
        "in front of the ear": Polygon(
            [*smooth([(101, 76), (104, 88), (107, 102), (113, 118), (120, 132)]), (far, 132), (far, 70), (112, 70)]
        ),
        "upper cheek": Polygon(
            [
                (-1, 60),
                (10, 106),
                *smooth([(21, 104), (36, 110), (56, 112), (80, 108), (104, 98), (125, 90)]),
                (far, 60),
            ]
        ),
        "mid cheek": Polygon(
            [
                (-1, 60),
                (10, 134),
                *smooth([(30, 133), (46, 136), (66, 135), (88, 127), (108, 112), (130, 100)]),
                (far, 60),
            ]
        ),
        "lower cheek": Polygon([(-1, -20), (far, -20), (far, 220), (-1, 220)]),
    }


def _spots() -> dict[str, Polygon | LineString | Point]:
    hair = [(x, y) for x, y in rim() if y <= landmarks("face")["sideburn"][1] + 1]
    return {
        "orbit": ellipse(33, 72.5, 23.5, 15),
        "eye": Polygon(
            [
                *smooth([(17, 74), (25, 68.5), (33, 67), (41, 69), (48, 73.5)]),
                *smooth([(48, 73.5), (40, 77.5), (32, 78.5), (24, 77.5), (17, 74)]),
            ]
        ),
        "hairline": LineString(hair),
        "ear canal and rim": LineString(
            [
                (x, y)
                for x, y in rim()
                if landmarks("face")["sideburn"][1] + 8 <= y <= landmarks("face")["ear lobe"][1] + 1
            ]
        ),
        "mouth corner": Point(28, 142),
        "brow hair": Polygon(
            [
                *smooth([(10.5, 56.5), (22, 51), (36, 46.5), (48, 49.5), (60, 58.5)]),
                *smooth([(60, 58.5), (46, 54), (35, 52.5), (22, 57), (11, 61.5)]),
            ]
        ),
        "nose ridge": Polygon([(0, 62), (5, 64), (5.5, 90), (7, 108), (4, 116), (0, 117)]),
        "chin point": ellipse(0, 181, 11, 9),
        "nostril": ellipse(8, 119.5, 5, 2.4),
        "cheekbone": ellipse(76, 98, 27, 11),
    }


def move(across: float, down: float, jaw_tape_ratio: float | None) -> tuple[Move, float]:
    """How default points move, and by how much the sides of the face are turned (rad; 0: as the other two tapes leave them).

    `jaw_tape_ratio` is the third tape beside its default; None turns nothing. Ear, base of the nose and chin are a triangle: two tapes
    give two of its sides and the third tape the third, hence the angle at the nose. Raises BadInput, on ear_chin_ear_mm, when the three
    cannot belong to one face.
    """
    scale = np.array([across, down])
    if jaw_tape_ratio is None:
        return lambda points: points * scale, 0.0
    jaw = _jaw_rim()
    usual = _length(jaw)
    wanted = jaw_tape_ratio * usual

    def tape(turn: float) -> float:
        return _length(turned_about_nose(jaw * scale, turn, scale))

    least, most = number("face.turn.least"), number("face.turn.most")
    low, high = tape(least), tape(most)
    if not low <= wanted <= high:
        default = number("face.ear_chin_ear")
        between = f"between {default * low / usual:.0f} and {default * high / usual:.0f} mm"
        words = f"{default * jaw_tape_ratio:.0f} mm does not go with the other two tapes: it would lie {between}."
        raise BadInput({"ear_chin_ear_mm": f"{words} Measure the three again."})
    found = least
    for _ in range(TURN_STEPS):  # longer with each turn, and nearly straight: each step lands closer
        found = least + (wanted - low) * (most - least) / (high - low)
        length = tape(found)
        if length < wanted:
            least, low = found, length
        else:
            most, high = found, length
        if abs(length - wanted) < TURN_MM or low == high:
            break
    return lambda points: turned_about_nose(points * scale, found, scale), found


def turned_about_nose(points: Coordinates, turn: float | Coordinates, scale: Coordinates) -> Coordinates:
    """Points (mm, scaled by `scale`, x ≥ 0) with the side of the face turned about the base of the nose: fully at the tragus, not at all
    along the midline, fading between them, and above the ear within UPWARD_RAD. Distances from the nose stay as they are. `turn` (rad) is one for all
    points, or each point's own.

    Angles are from straight down. No ray overtakes another while the turn stays below what the rule book allows, so no zone folds.
    """
    hinge, ear = (np.array(landmarks("face")[name]) * scale for name in (HINGE, "tragus"))
    away = points - hinge
    angle = np.arctan2(np.maximum(away[:, 0], 0.0), away[:, 1])
    of_ear = float(np.arctan2(*(ear - hinge)))
    below = np.sin(np.pi / 2 * np.clip(angle / of_ear, 0, 1)) ** 2
    above = np.cos(np.pi / 2 * np.clip((angle - of_ear) / UPWARD_RAD, 0, 1)) ** 2
    by = turn * np.where(angle <= of_ear, below, above)
    reach = np.hypot(*away.T)
    result: Coordinates = hinge + reach[:, None] * np.column_stack([np.sin(angle + by), np.cos(angle + by)])
    return result


@cache
def _jaw_rim() -> Coordinates:
    tragus = landmarks("face")["tragus"][1]
    return np.array([(x, y) for x, y in rim() if y >= tragus - 1e-9])


def _length(line: Coordinates) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())
