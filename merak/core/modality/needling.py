"""What nano and micro needling share: the set depth beside published layers, the minutes of a glide."""

from math import ceil, sqrt

from merak.core.dose.abrasion import path_mm
from merak.core.dose.needles import layer_reached
from merak.core.knowledge import number, quantity
from merak.core.knowledge.register import needs
from merak.core.modality.lanes import in_lanes
from merak.core.modality.shared import Judge, Subject, as_set, worked
from merak.core.working import Quantity

needs(
    __name__,
    """
    %: micro_needling.overlap
    mm: needles.dermis needles.dermis.thin needles.epidermis
    mm/s: needles.pace
    s: work.between
    words: device.tip work.pace
    """,
)


def beside_layers(judge: Judge, depth_mm: float, thin: bool) -> Quantity:
    """The set depth as a number, and the layer that it would reach if it were true."""
    rule_id = "needles.dermis.thin" if thin else "needles.dermis"
    epidermis, dermis = quantity("needles.epidermis", "epidermis", 2), quantity(rule_id, "dermis", 2)
    layer = layer_reached(depth_mm, epidermis.value or 0, dermis.value or 0)
    found = worked(
        "set depth",
        depth_mm,
        "mm",
        f"reaches the {layer}; real depth is often less",
        (epidermis, dermis),
        "needles.epidermis",
        rule_id,
        digits=2,
    )
    judge.tell("depth", found)
    return found


def glide_min(
    judge: Judge, subject: Subject, tip_mm: float, overlap: float, rounds: int, between_rule: str = "work.between"
) -> Quantity:
    """Minutes that the tip glides on the area; all of its minutes, lane by lane, are told."""
    tip, lap = (
        as_set("tip", tip_mm, "mm", 1, "device.tip"),
        as_set("overlap", overlap * 100, "%", 0, "micro_needling.overlap"),
    )
    pace, times = quantity("needles.pace", "speed"), as_set("rounds", rounds, "", 0)
    length_mm = path_mm(subject.area_cm2, tip_mm, overlap) * rounds
    found = worked(
        "gliding",
        length_mm / number("needles.pace") / 60,
        "min",
        "area ÷ (tip × (1 − overlap)) ÷ speed × rounds",
        (subject.area, tip, lap, pace, times),
        "work.pace",
    )
    judge.tell("gliding", found)
    in_lanes(judge, length_mm, found, between_rule)
    rows = ceil(sqrt(subject.area_cm2 * 100) / (tip_mm * (1 - overlap)) - 1e-9)
    judge.tell(
        "rows",
        worked(
            "rows, were the area square",
            rows,
            "",
            "√area ÷ (tip × (1 − overlap)), rounded up",
            (subject.area, tip, lap),
            "micro_needling.overlap",
            digits=0,
        ),
    )
    return found
