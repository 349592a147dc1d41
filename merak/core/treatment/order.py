"""The order of a treatment: its acts, and every threshold that its fold needs, as they stood when it was begun. Nothing
else is read.
"""

from merak.core.acts import Act
from merak.core.knowledge import edition, number, rule
from merak.core.knowledge.register import needs
from merak.core.plan.visit_plan import VisitPlan
from merak.core.working import Frozen

needs(
    __name__,
    """
    %: close.differs close.uncounted
    mm: thermometer.below
    of 10: chair.pain.lower chair.pain.stop
    of 4: chair.heat.move chair.heat.never chair.heat.stop
    s: chair.early chair.late chair.reading.gap close.touched
    words: chair.hands
    """,
)


class Limits(Frozen):
    """The thresholds of the chair: heat words (of 4), pain (of 10), age of a reading (s), the thermometer's offset
    (mm), the share of an act's clock (%) and the seconds from which
    something was done though it was not counted, how far a clock may differ (%); what is said of licences;
    from how many seconds on it is told that time runs short, and up to how many numbing cream may come off early (an
    order from before they were named has what scripts had).
    """

    heat_move: float
    heat_stop: float
    heat_never: float
    pain_lower: float
    pain_stop: float
    reading_s: float
    below_mm: float
    uncounted: float
    touched_s: float
    differs: float
    hands: str
    late_s: float = 30
    early_s: float = 5


class Order(Frozen):
    """What was ordered: the acts, the seconds that were booked, the thresholds, and the edition of the rule book that
    they come from.
    """

    acts: tuple[Act, ...]
    booked_s: float
    limits: Limits
    edition: str = ""


class Ordered(VisitPlan):
    """A plan as it was ordered, as the record keeps it: laid on the client's plate, with the thresholds and the edition
    of that day.
    """

    limits: Limits
    edition: str = ""

    @property
    def order(self) -> Order:
        """What the chair needs of it, without the plan around it."""
        booked = self.slot_s or sum(act.seconds for act in self.acts)
        return Order(acts=self.acts, booked_s=booked, limits=self.limits, edition=self.edition)


def limits() -> Limits:
    """The thresholds of today's rule book, for an order that is begun now."""
    return Limits(
        heat_move=number("chair.heat.move"),
        heat_stop=number("chair.heat.stop"),
        heat_never=number("chair.heat.never"),
        pain_lower=number("chair.pain.lower"),
        pain_stop=number("chair.pain.stop"),
        reading_s=number("chair.reading.gap"),
        below_mm=number("thermometer.below"),
        uncounted=number("close.uncounted"),
        touched_s=number("close.touched"),
        differs=number("close.differs"),
        hands=rule("chair.hands").words,
        late_s=number("chair.late"),
        early_s=number("chair.early"),
    )


def ordered(plan: VisitPlan) -> Ordered:
    """A plan ordered now."""
    return Ordered(**dict(plan), limits=limits(), edition=edition())


def order_of(acts: tuple[Act, ...]) -> Order:
    """An order of these acts alone, given now; its booked time is their own."""
    return Order(acts=acts, booked_s=sum(act.seconds for act in acts), limits=limits(), edition=edition())
