"""The plates away from the face: neck and décolleté, backs of the hands, upper arms and thighs, each drawn once for the left half."""

from functools import cache

from shapely import LineString, Polygon, union_all

from merak.core.body.curves import ellipse, smooth
from merak.core.body.sketch import Sketch

FAR = 600.0


@cache
def neck() -> Sketch:
    """Neck and décolleté: y down from the chin point over the throat notch, the front half of the neck's round."""
    rim = smooth(
        [
            (0, 0),
            (26, 1),
            (54, -6),
            (72, -20),
            (84, -31),
            (89, 0),
            (83, 45),
            (86, 90),
            (112, 113),
            (151, 122),
            (161, 142),
            (148, 190),
            (120, 230),
            (70, 254),
            (0, 262),
        ]
    )
    return Sketch(
        Polygon(rim),
        {
            "under the chin": Polygon(
                [(-1, -60), (120, -60), *smooth([(100, -16), (72, 6), (46, 30), (24, 44), (0, 49), (-1, 49)])]
            ),
            "thyroid strip": Polygon(
                [(-1, 62), *smooth([(10, 63), (17, 78), (21, 98), (20, 118), (12, 133), (0, 139)]), (-1, 139)]
            ),
            "front of neck": Polygon(
                [
                    (-1, 30),
                    (70, -30),
                    *smooth([(70, 0), (62, 34), (50, 66), (34, 100), (18, 128), (0, 142.5)]),
                    (-1, 142.5),
                ]
            ),
            "side of neck": Polygon(
                [(-1, -60), (130, -60), (112, 110), *smooth([(112, 114), (88, 125), (52, 135), (22, 141), (0, 142)])]
            ),
            "décolleté": Polygon([(-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR)]),
        },
        {
            "carotid area": ellipse(41, 74, 11, 27),
            "collar bone": LineString([(12, 146), (60, 141), (110, 128), (150, 124)]),
            "throat notch": ellipse(0, 143, 7, 6),
        },
    )


def _tapered(base: tuple[float, float, float], tip: tuple[float, float, float]) -> Polygon:
    """A finger: the hull of two circles (x, y, radius)."""
    return union_all([ellipse(x, y, r, r) for x, y, r in (base, tip)]).convex_hull


@cache
def hands() -> Sketch:
    """The backs of both hands, fingers toward the therapist, thumbs inward: breadth at the knuckles, length from wrist to middle fingertip."""
    fingers = {
        "index finger": _tapered((33, 88, 9), (25, 155, 7.2)),
        "middle finger": _tapered((52, 90, 9.2), (50, 164, 7.6)),
        "ring finger": _tapered((71, 88, 9), (76, 156, 7.2)),
        "little finger": _tapered((89, 79, 8.2), (102, 128, 6.4)),
    }
    thumb = _tapered((26, 44, 10), (14, 68, 8)).union(_tapered((14, 68, 8), (12, 88, 6.4)))
    back = Polygon(
        [
            *smooth([(34, 0), (32, 16), (27, 40), (24, 66), (24, 86)]),
            (42, 98),
            (62, 98),
            (80, 94),
            *smooth([(97.6, 80), (97, 56), (92, 24), (88, 0)]),
        ]
    )
    rounded = union_all([back, thumb, *fingers.values()]).buffer(1).buffer(-2.5).buffer(1.5)
    return Sketch(
        Polygon(rounded.exterior),
        {
            "thumb": thumb.difference(Polygon([(30, 0), (60, 0), (60, 90), (24.5, 90), (24.5, 60)])),
            "knuckles": Polygon(
                smooth(
                    [
                        (23, 76),
                        (34, 71),
                        (53, 69),
                        (72, 70),
                        (91, 66),
                        (101, 74),
                        (99, 88),
                        (74, 92),
                        (53, 95),
                        (34, 92),
                        (22, 90),
                    ],
                    closed=True,
                )
            ),
            **fingers,
            "back of the hand": Polygon([(-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR)]),
        },
    )


def _limb(top: float, middle: float, low: float, length: float, gap: float) -> tuple[Polygon, float]:
    """Half of a limb's skin unrolled: half widths at the top, the middle and the low end; `gap` from the midline to the limb."""
    centre = gap + top
    bow = 0.035 * length
    right = smooth([(centre + top, 0), (centre + middle, length / 2), (centre + low, length)])
    foot = smooth([(centre + low, length), (centre, length + bow), (centre - low, length)])
    left = smooth([(centre - low, length), (centre - middle, length / 2), (centre - top, 0)])
    head = smooth([(centre - top, 0), (centre, -bow), (centre + top, 0)])
    return Polygon([*right, *foot[1:-1], *left, *head[1:-1]]), centre


def _bands(names: tuple[str, str, str, str, str], shape: tuple[float, float, float, float]) -> Sketch:
    """A limb in five zones: inner strip, outer strip, the low end, and the middle in an upper and a lower part."""
    top, middle, low, length = shape
    outline, centre = _limb(top, middle, low, length, 14)
    inner, outer, last, upper, lower = names
    low_end = 0.86 * length
    return Sketch(
        outline,
        {
            last: Polygon([(0, low_end), (FAR, low_end), (FAR, FAR), (0, FAR)]),
            inner: Polygon(
                [
                    (0, -20),
                    *smooth(
                        [
                            (centre - 0.52 * top, -20),
                            (centre - 0.5 * middle, length / 2),
                            (centre - 0.5 * low, length + 20),
                        ]
                    ),
                    (0, FAR),
                ]
            ),
            outer: Polygon(
                [
                    (FAR, -20),
                    *smooth(
                        [
                            (centre + 0.52 * top, -20),
                            (centre + 0.5 * middle, length / 2),
                            (centre + 0.5 * low, length + 20),
                        ]
                    ),
                    (FAR, FAR),
                ]
            ),
            upper: Polygon([(0, -20), (FAR, -20), (FAR, length / 2), (0, length / 2)]),
            lower: Polygon([(-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR)]),
        },
    )


ARM, THIGH = (76.0, 70.0, 58.0, 250.0), (152.0, 140.0, 100.0, 300.0)


@cache
def arm_front() -> Sketch:
    """Front of the upper arm: from the armpit fold to the elbow crease, half the arm's round."""
    return _bands(
        ("inner arm, front", "outer arm, front", "elbow crease", "front of the arm, upper", "front of the arm, lower"),
        ARM,
    )


@cache
def arm_back() -> Sketch:
    """Back of the upper arm."""
    return _bands(
        ("inner arm, back", "outer arm, back", "elbow", "back of the arm, upper", "back of the arm, lower"), ARM
    )


@cache
def thigh_front() -> Sketch:
    """Front of the thigh: from the groin fold to above the kneecap, half the thigh's round."""
    return _bands(
        (
            "inner thigh, front",
            "outer thigh, front",
            "above the knee",
            "front of the thigh, upper",
            "front of the thigh, lower",
        ),
        THIGH,
    )


@cache
def thigh_back() -> Sketch:
    """Back of the thigh: from the fold under the buttock to the hollow of the knee."""
    return _bands(
        (
            "inner thigh, back",
            "outer thigh, back",
            "hollow of the knee",
            "back of the thigh, upper",
            "back of the thigh, lower",
        ),
        THIGH,
    )
