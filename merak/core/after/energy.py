"""How much of a modality was planned and really given: one number each, so that it can be laid beside the skin's
answer.
"""

from collections.abc import Mapping

from merak.core.modality.catalogue import MODALITIES
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
