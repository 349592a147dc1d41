"""Pads on a limb as ink: front and back, each output's pair joined, signs written."""

from collections.abc import Sequence
from dataclasses import dataclass

from merak.core.modality.muscle_stimulation import Pad

#: Where each view begins, px; a limb is 120 px across and 222 px long.
VIEWS = (("front", 60.0), ("back", 320.0))
ACROSS, LONG, TOP, BESIDE = 120.0, 222.0, 14.0, 10.0


@dataclass(frozen=True)
class LimbView:
    """One view of a limb: its outline, its pairs as paths, its pads as (x, y, sign) of their middles."""

    name: str
    x: float
    outline: str
    pairs: tuple[str, ...]
    pads: tuple[tuple[float, float, str], ...]


def limbs(pads: Sequence[Pad]) -> tuple[LimbView, ...]:
    """Both views."""
    return tuple(_limb(name, x, [pad for pad in pads if pad.aspect == name]) for name, x in VIEWS)


def _limb(name: str, x: float, pads: Sequence[Pad]) -> LimbView:
    at = {id(pad): (x + BESIDE + pad.across * ACROSS, TOP + pad.down * LONG) for pad in pads}
    outline = (
        f"M{x - 10:g} 14C{x + 4:g} 90 {x + 10:g} 170 {x + 16:g} 236H{x + 124:g}"
        f"C{x + 130:g} 170 {x + 136:g} 90 {x + 150:g} 14Z"
    )
    pairs = tuple(
        "M{:g} {:g}L{:g} {:g}".format(*at[id(low)], *at[id(high)])
        for low in pads
        for high in pads
        if low.sign == "+" and high.sign == "−" and low.output == high.output
    )
    return LimbView(name, x + 70, outline, pairs, tuple((*at[id(pad)], f"{pad.sign}{pad.output}") for pad in pads))


def told(pads: Sequence[Pad]) -> str:
    """All pads in words."""
    return ", ".join(
        f"output {pad.output} {pad.sign}, {pad.aspect}, {'low' if pad.down > 0.5 else 'high'}" for pad in pads
    )
