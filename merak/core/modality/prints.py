"""What one pulse covers: the footprints that a machine's work is laid in."""

from typing import NamedTuple

from merak.core.body.grid import Footprint, Tip
from merak.core.modality.device import CardTip, MachineCard


class Prints(NamedTuple):
    """The tip that is set, and the one for parts that it finds no room in: the same tip where a smaller one would put
    more energy into the same skin. `apart_mm` is how far from each other they lie where that is set and not the tip's,
    `each` how many at most go to a marked line or spot, `gap_mm` the skin that is left between one and the next.
    """

    tip: CardTip
    small: CardTip
    overlap_percent: float = 0
    apart_mm: float | None = None
    each: int = 0
    gap_mm: float = 0

    def covers(self, tip: CardTip) -> Tip:
        """What a pulse with one of them covers: the tip, or a line as long as it is wide."""
        shape: Footprint = "circle" if tip.round else "rectangle"
        down = tip.down_mm if self.apart_mm is None else self.apart_mm
        overlap = min(self.overlap_percent / 100, 0.6)
        return Tip(shape=shape, across_mm=tip.across_mm, down_mm=down, overlap=overlap, gap_mm=self.gap_mm)


def looser(of: Prints | None, gap_mm: float | None) -> Prints | None:
    """The same with so much skin left between one and the next."""
    return of and of._replace(gap_mm=gap_mm or 0)


def prints(
    card: MachineCard,
    tip: str = "",
    overlap_percent: float = 0,
    apart_mm: float | None = None,
    changes: bool = False,
    each: int = 0,
) -> Prints | None:
    """The footprints of a machine with a tip (by name, else its first); None where its card has none. A tip `changes`
    for narrow parts only where what is set holds for every one of them.
    """
    chosen = card.tip(tip)
    if chosen is None:
        return None
    small = min((chosen, *card.tips), key=lambda one: one.area_cm2) if changes else chosen
    return Prints(chosen, small, overlap_percent, apart_mm, each)
