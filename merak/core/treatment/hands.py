"""Whose tap counts for what: in an act that asks for a licence, what gives energy or answers for it is for whoever
holds that licence.
"""

from merak.core.treatment.order import Order
from merak.core.treatment.state import RunState
from merak.core.treatment.taps import Tap

#: What only the licence lets: counting energy, placing and reading a spot, and (below) raising a level, letting a
#: machine count for itself. Everything else anybody may tap who may treat: the clock, what the client says, readings,
#: wiping, photographs, STOP.
GIVES = frozenset({"count", "pass", "spot", "spot_read"})


def gives(kind: str, value: float | None, words: str) -> bool:
    """Whether a tap gives energy or answers for it."""
    return kind in GIVES or (kind == "level" and (value or 0) > 0) or (kind == "machine" and words == "plugged")


def may_give(order: Order, state: RunState, n: int, kind: str, tap: Tap) -> str:
    """ "" when the giver of a tap holds what its act asks for; else why the tap does nothing; it stays on record."""
    licence, held = order.acts[n].licence, tap.data.licences
    if not licence or held is None or licence in held or not gives(kind, tap.value, tap.words):
        return ""
    return (
        f"{tap.by or 'Whoever tapped'} holds no licence for {licence}: “{kind.replace('_', ' ')}” was kept and not"
        " counted."
    )
