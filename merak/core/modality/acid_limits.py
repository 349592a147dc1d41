"""What every acid on skin keeps to, in a bottle or through a tip."""

from merak.core.dose.acids import ACIDS, free_percent
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.shared import Judge, Subject, as_set, worked
from merak.core.working import Quantity

needs(
    __name__,
    """
    %: acid.percent acid.salicylic acid.strong
    min: acid.first acid.longest acid.longest.strong
    pH: acid.ph
    ×: acid.minutes.change
    passes: acid.abraded
    words: acid.free
    """,
)


def free(judge: Judge, acid: str, percent: float, ph: float, key: str = "free") -> Quantity:
    """Free acid in per cent, kept under the limits of professional use."""
    strength, acidity = as_set("strength", percent, "%", 1), as_set("pH", ph, "", 1)
    judge.most("acid.percent", strength, "percent")
    judge.least("acid.ph", acidity, "ph")
    if acid == "salicylic":
        judge.most("acid.salicylic", strength, "percent")
    pka = as_set("pKa", ACIDS[acid][0], "", 2)
    found = worked(
        "free acid",
        free_percent(percent, ph, ACIDS[acid][0]),
        "%",
        "strength ÷ (1 + 10^(pH − pKa))",
        (strength, acidity, pka),
        "acid.free",
        digits=2,
    )
    judge.tell(key, found)
    return found


def spares_abraded(judge: Judge) -> None:
    """What dissolves gives no pass of abrasion itself, and bears few on the same skin, before it or after."""
    judge.exposes("abrasion", as_set("passes", 0, "", 0), "acid.abraded")


def contact_most(percent: float, subject: Subject, first: bool) -> tuple[str, float]:
    """The rule and the minutes that an acid may lie: by strength, shorter at the first strong one, halved for skin that
    minds.
    """
    strong = "acid.first" if first else "acid.longest.strong"
    rule_id = strong if percent >= number("acid.strong") else "acid.longest"
    minds = subject.dehydrated or subject.sensitive or subject.tanned or subject.verdict == "change"
    return rule_id, number(rule_id) * (number("acid.minutes.change") if minds else 1)
