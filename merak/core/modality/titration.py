"""Titration: what the skin said to a visit, and what it does to the same modality next time."""

from typing import Literal

from merak.core.knowledge import number, rule
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.working import Frozen

needs(
    __name__,
    """
    of 10: chair.pain.stop
    of 4: follow.severe
    steps: titration.down titration.incident
    words: titration.same titration.stop titration.ungraded titration.up titration.worse
    """,
)

Turn = Literal["up", "same", "down", "stop"]


class Titration(Frozen):
    """One step up, the same, one step down, or stop; why, by which rule."""

    turn: Turn
    words: str
    rule: str


def titrate(last: Before) -> Titration:
    """What follows from how a modality ended last time, the most careful first.

    Never up twice running without a graded result between; whether a ceiling or a fifth more energy stands against a
    step up is for whoever takes it to say.
    """
    if last.mark:
        return _turn("stop", "titration.stop", f"Left: {last.mark}. ")
    if last.incident:
        return _turn("down", "titration.incident", f"{last.incident}. ")
    if max(last.redness, last.swelling) >= number("follow.severe"):
        return _turn("down", "titration.down", f"Redness or swelling was {max(last.redness, last.swelling)} of 4. ")
    if last.settled_late:
        return _turn("down", "titration.down", "It settled later than expected. ")
    if last.pain >= number("chair.pain.stop"):
        return _turn("down", "titration.down", f"Pain was {last.pain} of 10. ")
    if last.improvement is not None and last.improvement < 0:
        return _turn("same", "titration.worse")
    short = last.endpoint_seen == "not seen" or (last.endpoint_seen == "seen" and last.improvement == 0)
    if short and last.stepped_up and not last.graded:
        return _turn("same", "titration.ungraded")
    return _turn("up", "titration.up") if short else _turn("same", "titration.same")


def _turn(turn: Turn, rule_id: str, seen: str = "") -> Titration:
    return Titration(turn=turn, words=f"{seen}{rule(rule_id).words}", rule=rule_id)
