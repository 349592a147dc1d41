"""What a stage leaves skin in and asks of it, by its modality and how it is set."""

from typing import NamedTuple

from merak.core.knowledge import Degrees, SkinCase, number, on_skin, skin_states
from merak.core.modality.shared import Settings


class Footing(NamedTuple):
    """The hazards that a stage leaves skin in, and those that it may be done on, each up to a degree; the merits that
    it asks for, gives and ends. What is not there is none.
    """

    leaves: Degrees
    bears: Degrees
    asks: Degrees
    gives: Degrees
    ends: Degrees

    def hurt_by(self, left: Degrees) -> dict[str, int]:
        """What of it this is not done on."""
        return {state: degree for state, degree in left.items() if degree > self.bears.get(state, 0)}

    def hurts(self, later: "Footing", same_step: bool = False) -> dict[str, int]:
        """What this leaves that another is not done on, on the same skin; inside a step what holds there too."""
        found = later.hurt_by(self.leaves) if self.leaves else {}
        return {state: degree for state, degree in found.items() if skin_states()[state].inside} if same_step else found


def footing(modality: str, settings: Settings | None = None) -> Footing:
    """What a modality leaves and bears as it is set; what cannot be read of it counts as the worst."""
    entry = on_skin()[modality]
    leaves, bears, asks = dict(entry.leaves), dict(entry.bears), dict(entry.asks)
    for case in entry.cases:
        if _holds(case, settings):
            leaves |= case.leaves
            bears |= case.bears
            asks |= case.asks
    leaves, bears, asks = ({state: degree for state, degree in of.items() if degree} for of in (leaves, bears, asks))
    return Footing(leaves, bears, asks, entry.gives, entry.ends)


def _holds(case: SkinCase, settings: Settings | None) -> bool:
    said = all(getattr(settings, name, None) == value for name, value in case.set.items())
    return said and all(_above(getattr(settings, name, None), rule) for name, rule in case.above.items())


def _above(value: object, rule: str) -> bool:
    return not isinstance(value, int | float) or value > number(rule) + 1e-9


def worst_left(modality: str) -> Degrees:
    """The most that a modality leaves, however it was set."""
    entry = on_skin()[modality]
    found = dict(entry.leaves)
    for case in entry.cases:
        found |= {state: max(degree, found.get(state, 0)) for state, degree in case.leaves.items()}
    return found
