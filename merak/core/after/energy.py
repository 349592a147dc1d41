"""How much of a modality was planned and really given: one number each, so that it can be laid beside the skin's
answer.
"""

from collections.abc import Mapping

from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import Amount
from merak.core.working import Frozen, Quantity


class Delivered(Frozen):
    """What was planned and what was given, in `unit` (None: unknown), and the share of the step that was done, 0 up."""

    name: str
    unit: str
    planned: float | None
    done: float | None
    share: float


def delivered_by(
    modality: str, planned: Mapping[str, Quantity], really: Mapping[str, Quantity], share: float
) -> Delivered | None:
    """A modality's amount as planned and as given: by the settings that it `really` ran with, and the share that was
    done.

    None for what has no amount of its own.
    """
    amount = MODALITIES[modality].AMOUNT if modality in MODALITIES else None
    if amount is None or amount.key not in planned:
        return None
    was, now = planned[amount.key], really.get(amount.key, planned[amount.key])
    done = now.value * share if now.value is not None and amount.adds_up else now.value
    return Delivered(name=was.name, unit=was.unit, planned=was.value, done=done if share > 0 else 0.0, share=share)


def both_given(amount: Amount | None, one: Delivered | None, other: Delivered | None) -> Delivered | None:
    """Two stages of one modality as one amount: added up where it adds up, else the higher; unknown where either is."""
    if amount is None or one is None or other is None:
        return one or other
    add = sum if amount.adds_up else max

    def of(*values: float | None) -> float | None:
        known = [value for value in values if value is not None]
        return add(known) if len(known) == len(values) else None

    planned, done = of(one.planned, other.planned), of(one.done, other.done)
    share = (one.share + other.share) / 2
    return one.model_copy(update={"planned": planned, "done": done, "share": round(share, 3)})
