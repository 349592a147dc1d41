"""Test spots: when one may be read, and what its answer does to the setting."""

from datetime import date, datetime, timedelta
from typing import Literal

from pydantic import Field

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    days: chair.spot.valid
    of 4: chair.spot.severe
    words: chair.spot.down chair.spot.kept chair.spot.mark chair.spot.once chair.spot.up
    """,
)

SpotVerdict = Literal["keep", "down", "up", "stop"]
#: What is said of a spot: before it is placed, while it waits, and of each answer.
SpotWord = Literal["first", "wait", "mark", "down", "kept", "once", "up"]


class SpotRule(Frozen):
    """The test spot that a step waits for: when it may be read, on this visit or on a later one, and what one step up
    and down would be.

    `severe` and `pain_stop` are the grades from which its answer is severe, `words` what is said of it: all as they
    stood when it was ordered. `up` is None where a ceiling or the rule of a fifth stands against it, and `why_not` says
    so; `down` is None at the gentlest. `minds` is what to mind when it is read.
    """

    wait_s: int
    same_visit: bool
    name: str
    unit: str
    at: float
    down: float | None
    up: float | None
    why_not: str = ""
    numbed: bool = False
    minds: str = ""
    rule: str
    severe: int
    pain_stop: float
    words: dict[SpotWord, str]


class SpotLook(Frozen):
    """What is seen at a spot: redness and swelling 0 to 4, pain 0 to 10, whether anything is seen at all, whether it
    left a mark.
    """

    redness: int = Field(0, ge=0, le=4)
    swelling: int = Field(0, ge=0, le=4)
    pain: int = Field(0, ge=0, le=10)
    mark: bool = False

    def severe(self, rule: SpotRule) -> bool:
        """More than mild to moderate (rules chair.spot.severe, chair.pain.stop)."""
        return max(self.redness, self.swelling) >= rule.severe or self.pain >= rule.pain_stop


class SpotAnswer(Frozen):
    """What the rule says to a look: the verdict, the setting from here on, and why."""

    verdict: SpotVerdict
    set_to: float
    words: str
    rule: str


class SpotRead(Frozen):
    """A spot of an earlier visit that was read: where it was set, the answer, the day of the reading."""

    answer: SpotAnswer
    on: date

    def speaks(self, today: date) -> bool:
        """Whether it still lets a treatment begin: kept or stepped down, and not too old."""
        return self.answer.verdict != "stop" and today <= self.on + timedelta(days=number("chair.spot.valid"))


def due(placed: datetime, spot: SpotRule) -> datetime:
    """When a spot may be read."""
    return placed + timedelta(seconds=spot.wait_s)


def answer(spot: SpotRule, at: float, look: SpotLook, stepped_up: bool) -> SpotAnswer:
    """The rule's answer to what is seen at a spot that was set to `at`; `stepped_up` where this visit has gone a step
    up already.

    A mark stops it for today. Severe: one step down. Nothing seen: one step up, once a visit, never past a fifth more
    energy or a ceiling. On numbed skin pain does not speak for it, and its absence is no sign that nothing happened.
    """
    if look.mark:
        return SpotAnswer(verdict="stop", set_to=at, words=spot.words["mark"], rule="chair.spot.mark")
    if look.severe(spot):
        lower = _below(spot, at)
        if lower is None:
            return SpotAnswer(
                verdict="stop",
                set_to=at,
                words="It is the gentlest setting already: not today.",
                rule="chair.spot.severe",
            )
        return SpotAnswer(verdict="down", set_to=lower, words=spot.words["down"], rule="chair.spot.down")
    if look.redness or look.swelling or (look.pain and not spot.numbed):
        return SpotAnswer(verdict="keep", set_to=at, words=spot.words["kept"], rule="chair.spot.kept")
    if stepped_up or at != spot.at:
        return SpotAnswer(verdict="keep", set_to=at, words=spot.words["once"], rule="chair.spot.once")
    if spot.up is None:
        return SpotAnswer(verdict="keep", set_to=at, words=spot.why_not or spot.words["once"], rule="chair.spot.once")
    return SpotAnswer(verdict="up", set_to=spot.up, words=spot.words["up"], rule="chair.spot.up")


def _below(spot: SpotRule, at: float) -> float | None:
    """One step below a setting on the spot's ladder of three; None below its foot."""
    if spot.up is not None and at >= spot.up:
        return spot.at
    return spot.down if at >= spot.at else None
