"""What an incident asks of the visits that follow: a doctor's letter, a lower start, a later date."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.knowledge import emergencies, number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    days: course.incident course.incident.strong
    of 4: follow.severe
    """,
)


class PastIncident(Frozen):
    """An incident as a closed visit keeps it: the card, where, grade 0 to 4, what was being done, what was done about
    it.
    """

    card: str
    zone: str = ""
    grade: int = Field(0, ge=0, le=4)
    modality: str = ""
    done: str = ""

    @property
    def words(self) -> str:
        """In short."""
        where = f", {self.zone}" if self.zone else ""
        return f"{self.card or 'Incident'}, grade {self.grade}{where}"


def left_on(incidents: Iterable[PastIncident], modality: str) -> tuple[str, str]:
    """(what was left that waits for a doctor's letter, what happened while this modality was done), of a visit, for a
    modality; "" where nothing was.

    A card that is not known, or what happened in no modality's time, counts for everything that was done in that visit.
    """
    mark = own = ""
    for one in incidents:
        card = next((card for card in emergencies() if card.title == one.card), None)
        mine = one.modality in ("", modality)
        if card and (modality in card.letter_for or ("OWN" in card.letter_for and mine)):
            mark = mark or card.leaves
        if mine and not own:
            own = one.words
    return mark, own


def days_until_next(incidents: Iterable[PastIncident]) -> int:
    """Days before anybody comes again after an incident (rules course.incident,
    course.incident.strong); 0 after none.
    """
    grades = [one.grade for one in incidents]
    if not grades:
        return 0
    return int(number("course.incident.strong" if max(grades) >= number("follow.severe") else "course.incident"))
