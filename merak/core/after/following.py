"""Asking afterwards: when, what, and which answers raise the senior at once."""

from collections.abc import Iterable
from datetime import datetime, time, timedelta
from typing import Literal, get_args
from zoneinfo import ZoneInfo

from pydantic import Field, ValidationError

from merak.core.errors import BadInput
from merak.core.knowledge import AskAfter, book, caution, number, traits
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.working import Caution, Frozen

needs(
    __name__,
    """
    days: follow.before follow.day1 follow.day7
    h: follow.hour titration.settle_floor
    of 10: follow.pain
    of 4: follow.severe
    words: titration.stop titration.worse
    """,
)

FollowKind = Literal["day1", "day7", "before"]
KINDS: tuple[FollowKind, ...] = get_args(FollowKind)
Aftermath = Literal["none", "blister", "infection", "colour", "fever"]
#: What can be left on the skin, in words; none of it is a diagnosis.
MARKS: dict[Aftermath, str] = {
    "none": "nothing",
    "blister": "a blister or burn",
    "infection": "weeping, pus or crusts",
    "colour": "a brown, white or grey mark",
    "fever": "fever",
}


class FollowUp(Frozen):
    """What a client answers afterwards; None where it was not asked. `settled_h` is the least hours after which it had
    gone.
    """

    redness: int | None = Field(None, ge=0, le=4)
    swelling: int | None = Field(None, ge=0, le=4)
    pain: int | None = Field(None, ge=0, le=10)
    settled_h: float | None = Field(None, ge=0, le=2000, allow_inf_nan=False)
    mark: Aftermath | None = None
    kept: Literal["yes", "mostly", "no"] | None = None
    improvement: int | None = Field(None, ge=-2, le=2)
    satisfaction: int | None = Field(None, ge=0, le=10)
    call: bool = False
    note: str = Field("", max_length=600)

    @property
    def marked(self) -> str:
        """What is left on the skin, in words; "" for nothing."""
        return MARKS[self.mark] if self.mark and self.mark != "none" else ""


def asked(kind: FollowKind) -> tuple[AskAfter, ...]:
    """The questions of a follow-up."""
    return tuple(one for one in book().ask_after if kind in one.kinds)


def read(kind: FollowKind, form: dict[str, str]) -> FollowUp:
    """The answers of a form, each one of its question's options. Raises BadInput by field for what is missing or is no
    option.
    """
    wrong, found = {}, {}
    for one in asked(kind):
        given = form.get(one.field, "")
        if given not in {option.value for option in one.options}:
            wrong[one.field] = "Which of these?"
        found[one.field] = given
    if wrong:
        raise BadInput(wrong)
    try:
        return FollowUp.model_validate({**found, "note": form.get("note", "").strip()})
    except ValidationError as broken:
        raise BadInput({str(error["loc"][0]): error["msg"] for error in broken.errors() if error["loc"]}) from broken


def alarms(answer: FollowUp) -> tuple[Caution, ...]:
    """What in an answer raises the senior at once; nothing of it is diagnosed, doubt goes to a doctor."""
    found = []
    if answer.marked:
        found.append(
            caution(
                "titration.stop",
                "stop",
                f"The client tells of {answer.marked}.",
                "Call now; a photograph; a doctor in doubt.",
            )
        )
    worst = max(answer.redness or 0, answer.swelling or 0)
    if worst >= number("follow.severe"):
        found.append(
            caution("follow.severe", "stop", f"Redness or swelling is still {worst} of 4.", "Call now; see it today.")
        )
    if (answer.pain or 0) >= number("follow.pain"):
        found.append(caution("follow.pain", "stop", f"Pain is {answer.pain} of 10.", "Call now; see it today."))
    if answer.improvement == -2:
        found.append(
            caution(
                "titration.worse",
                "stop",
                "The client finds the skin much worse.",
                "Call, and look before anything is planned.",
            )
        )
    return tuple(found)


def dues(ended: datetime, zone: ZoneInfo) -> dict[FollowKind, datetime]:
    """When the follow-ups of a visit that ended then are due, except the one before the next session, aware."""
    return {
        "day1": at_ten(ended, int(number("follow.day1")), zone),
        "day7": at_ten(ended, int(number("follow.day7")), zone),
    }


def due_before(next_visit: datetime, zone: ZoneInfo) -> datetime:
    """When the follow-up before a session is due, aware."""
    return at_ten(next_visit, -int(number("follow.before")), zone)


def at_ten(moment: datetime, days: int, zone: ZoneInfo) -> datetime:
    """The hour at which messages go out, so many days after a moment's day in the studio's time zone."""
    day = moment.astimezone(zone).date() + timedelta(days=days)
    return datetime.combine(day, time(int(number("follow.hour"))), zone)


def late(modality: str, answers: Iterable[FollowUp]) -> bool:
    """Whether it took longer to settle than this modality is expected to."""
    expected = max(traits()[modality].settle_h if modality in traits() else 0, number("titration.settle_floor"))
    return any(answer.settled_h is not None and answer.settled_h >= expected for answer in answers)


def with_answers(last: Before, modality: str, answers: Iterable[FollowUp]) -> Before:
    """How it ended, with what the client said afterwards."""
    said = tuple(answers)
    if not said:
        return last
    improved = [one.improvement for one in said if one.improvement is not None]
    return last.model_copy(
        update={
            "redness": max([last.redness, *(one.redness or 0 for one in said)]),
            "swelling": max([last.swelling, *(one.swelling or 0 for one in said)]),
            "settled_late": last.settled_late or late(modality, said),
            "mark": last.mark or next((one.marked for one in said if one.marked), ""),
            "improvement": improved[-1] if improved else last.improvement,
            "graded": last.graded or bool(improved),
        }
    )
