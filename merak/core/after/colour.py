"""Colour measured in two photographs of one face, only against a neutral reference that lies in both, and "cannot say"
when light differs.

sRGB (IEC 61966-2-1) to CIE L*a*b* under D65 (CIE 15), differences as ΔE*ab and ΔE00 (Sharma, Wu & Dalal 2005).
"""

from collections.abc import Sequence
from math import atan2, cos, degrees, exp, hypot, radians, sin, sqrt

import numpy as np

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    %: colour.light.cast
    of 255: colour.neutral.bright colour.neutral.dark colour.neutral.even
    times: colour.light.level
    ΔE00: colour.seen
    """,
)

Triple = tuple[float, float, float]
#: Linear sRGB to XYZ, and the white that it is made for (D65, Y = 1).
TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
WHITE = TO_XYZ.sum(axis=1)


class Patch(Frozen):
    """A spot of a photograph: its mean colour (sRGB, 0 to 255) and how much it varies inside (standard deviation, the
    largest channel).
    """

    rgb: Triple
    spread: float


class ColourChange(Frozen):
    """What changed between two photographs of the same place: L*, a* (redness) and b*, ΔE00, in words; or why it cannot
    be said.
    """

    sayable: bool
    words: str
    numbers: tuple[Quantity, ...] = ()
    rules: tuple[str, ...] = ()


def patch(pixels: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]") -> Patch:
    """The mean colour of pixels, (n, 3) in sRGB from 0 to 255, taken where light adds up."""
    mean = _encoded(_linear(np.asarray(pixels, dtype=float) / 255).mean(axis=0)) * 255
    return Patch(
        rgb=(float(mean[0]), float(mean[1]), float(mean[2])),
        spread=float(np.asarray(pixels, dtype=float).std(axis=0).max()),
    )


def _linear(
    srgb: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]",
) -> "np.ndarray[tuple[int, ...], np.dtype[np.float64]]":
    return np.where(srgb <= 0.04045, srgb / 12.92, ((srgb + 0.055) / 1.055) ** 2.4)


def _encoded(
    linear: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]",
) -> "np.ndarray[tuple[int, ...], np.dtype[np.float64]]":
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055)


def lab(rgb: Sequence[float], white: Sequence[float] | None = None) -> Triple:
    """L*, a*, b* of an sRGB colour (0 to 255) under D65. `white` is a neutral of the same picture as it came out: what
    the light's colour did to it is taken out, its lightness is kept.
    """
    light = _linear(np.asarray(rgb, dtype=float) / 255)
    if white is not None:
        cast = _linear(np.asarray(white, dtype=float) / 255)
        light = light * (float(TO_XYZ[1] @ cast) / cast)
    x, y, z = (_f(float(value)) for value in (TO_XYZ @ light) / WHITE)
    return 116 * y - 16, 500 * (x - y), 200 * (y - z)


def _f(t: float) -> float:
    return t ** (1 / 3) if t > (6 / 29) ** 3 else t / (3 * (6 / 29) ** 2) + 4 / 29


def delta_ab(one: Triple, other: Triple) -> float:
    """ΔE*ab (CIE 1976)."""
    return sqrt(sum((a - b) ** 2 for a, b in zip(one, other, strict=True)))


def delta_00(one: Triple, other: Triple) -> float:
    """ΔE00 (CIEDE2000), with kL = kC = kH = 1."""
    (l1, a1, b1), (l2, a2, b2) = one, other
    mean_c = (hypot(a1, b1) + hypot(a2, b2)) / 2
    g = 0.5 * (1 - sqrt(mean_c**7 / (mean_c**7 + 25**7)))
    p1, p2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = hypot(p1, b1), hypot(p2, b2)
    h1, h2 = degrees(atan2(b1, p1)) % 360, degrees(atan2(b2, p2)) % 360
    apart = abs(h1 - h2)
    turn = 0.0 if c1 * c2 == 0 else h2 - h1 if apart <= 180 else h2 - h1 - 360 if h2 > h1 else h2 - h1 + 360
    dl, dc, dh = l2 - l1, c2 - c1, 2 * sqrt(c1 * c2) * sin(radians(turn) / 2)
    ml, mc = (l1 + l2) / 2, (c1 + c2) / 2
    mh = (
        h1 + h2
        if c1 * c2 == 0
        else (h1 + h2) / 2
        if apart <= 180
        else (h1 + h2 + 360) / 2
        if h1 + h2 < 360
        else (h1 + h2 - 360) / 2
    )
    t = (
        1
        - 0.17 * cos(radians(mh - 30))
        + 0.24 * cos(radians(2 * mh))
        + 0.32 * cos(radians(3 * mh + 6))
        - 0.2 * cos(radians(4 * mh - 63))
    )
    sl = 1 + 0.015 * (ml - 50) ** 2 / sqrt(20 + (ml - 50) ** 2)
    sc, sh = 1 + 0.045 * mc, 1 + 0.015 * mc * t
    rt = -sin(radians(60 * exp(-(((mh - 275) / 25) ** 2)))) * 2 * sqrt(mc**7 / (mc**7 + 25**7))
    return sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh))


def change(before: Patch, after: Patch, neutral_before: Patch | None, neutral_after: Patch | None) -> ColourChange:
    """What changed in a place of the skin, each photograph read against its own neutral reference."""
    against = _unlike(neutral_before, neutral_after)
    if against or neutral_before is None or neutral_after is None:
        return ColourChange(sayable=False, words=f"Cannot say. {against[0]}", rules=against[1:])
    level = _luminance(neutral_before) / _luminance(neutral_after)
    was = lab(before.rgb, neutral_before.rgb)
    now = lab(_scaled(after.rgb, level), _scaled(neutral_after.rgb, level))
    numbers = (
        Quantity(name="lightness, L*", value=now[0] - was[0], digits=1, formula=f"{now[0]:.1f} − {was[0]:.1f}"),
        Quantity(name="redness, a*", value=now[1] - was[1], digits=1, formula=f"{now[1]:.1f} − {was[1]:.1f}"),
        Quantity(name="yellow, b*", value=now[2] - was[2], digits=1, formula=f"{now[2]:.1f} − {was[2]:.1f}"),
        Quantity(
            name="difference, ΔE00", value=delta_00(was, now), digits=1, formula="CIEDE2000", rules=("colour.seen",)
        ),
    )
    if numbers[3].known < number("colour.seen"):
        return ColourChange(
            sayable=True,
            words="No change that could be told from lamp and camera.",
            numbers=numbers,
            rules=("colour.seen",),
        )
    red = "redder" if now[1] > was[1] else "less red"
    light = "lighter" if now[0] > was[0] else "darker"
    said = [words for words, by in ((red, abs(now[1] - was[1])), (light, abs(now[0] - was[0]))) if by >= 1]
    return ColourChange(
        sayable=True,
        words=f"{' and '.join(said) or 'of another hue'}.".capitalize(),
        numbers=numbers,
        rules=("colour.seen",),
    )


def _unlike(before: Patch | None, after: Patch | None) -> tuple[str, ...]:
    """Why two photographs cannot be compared, and the rule; nothing when they can."""
    if before is None or after is None:
        return ("A neutral reference has to lie in both photographs, and be pointed at.",)
    for one, when in ((before, "earlier"), (after, "later")):
        if min(one.rgb) < number("colour.neutral.dark"):
            return (f"The neutral reference of the {when} photograph is too dark.", "colour.neutral.dark")
        if max(one.rgb) > number("colour.neutral.bright"):
            return (f"The neutral reference of the {when} photograph is overexposed.", "colour.neutral.bright")
        if one.spread > number("colour.neutral.even"):
            return (f"The neutral reference of the {when} photograph is uneven.", "colour.neutral.even")
    level = _luminance(before) / _luminance(after)
    if max(level, 1 / level) > number("colour.light.level"):
        return (f"The light differs: {max(level, 1 / level):.1f} times as bright.", "colour.light.level")
    casts = [_linear(np.asarray(one.rgb) / 255) / _luminance(one) for one in (before, after)]
    cast = float(np.abs(casts[0] / casts[1] - 1).max())
    if cast > number("colour.light.cast") / 100:
        return (f"The light has another colour: {100 * cast:.0f} % apart.", "colour.light.cast")
    return ()


def _luminance(of: Patch) -> float:
    return float(TO_XYZ[1] @ _linear(np.asarray(of.rgb) / 255))


def _scaled(rgb: Triple, by: float) -> Triple:
    """A colour under so much more light."""
    r, g, b = (float(value) * 255 for value in _encoded(_linear(np.asarray(rgb) / 255) * by))
    return r, g, b
