"""Titration: what the skin said to a visit, and what it does to the same modality next time."""

from collections.abc import Iterable
from typing import Literal

from merak.core.after.following import FollowUp
from merak.core.knowledge import number, rule, traits
from merak.core.modality.before import Before
from merak.core.working import Frozen

Turn = Literal["up", "same", "down", "stop"]


class Titration(Frozen):
    """One step up, the same, one step down, or stop; why, by which rule."""

    turn: Turn
    words: str
    rule: str


def titrate(last: Before) -> Titration:
    """What follows from how a modality ended last time, the most careful first.

    Never up twice running without a graded result between; whether a ceiling or a fifth more energy stands against a step up is for
    whoever takes it to say.
    """
    if last.mark:
        return _turn("stop", "titration.stop", f"Left: {last.mark}. ")
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
