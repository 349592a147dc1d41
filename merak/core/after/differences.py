"""Where what was done differs from the plan: told from the events, explained by whoever closes."""

from collections.abc import Sequence

from merak.core.acts import Act
from merak.core.plan.screening import housekeeping
from merak.core.treatment.facts import ActFacts
from merak.core.treatment.order import Limits, Order
from merak.core.working import Frozen

#: Why something was done otherwise, in one tap; "other" asks for the note.
WHY = {
    "client": "the client asked for it",
    "skin": "the skin answered",
    "time": "time ran out",
    "machine": "machine or product",
    "senior": "ordered by a senior",
    "judged": "as judged at the chair",
    "other": "see the note",
}


class Difference(Frozen):
    """One step that was done otherwise: its number in the plan, its title, how it differs; `because` where the events
    say why.
    """

    act: int
    title: str
    words: str
    because: str = ""


def differences(order: Order, facts: Sequence[ActFacts], stopped: str = "") -> tuple[Difference, ...]:
    """The steps that differ; cleansing and other housekeeping only where they were left out. `stopped` is why the
    treatment was stopped.
    """
    found = []
    for n, (act, fact) in enumerate(zip(order.acts, facts, strict=True)):
        words = _differs(act, fact, order.limits)
        if words:
            because = (
                f"stopped: {stopped}" if stopped and (not fact.reached or words[0].startswith(("only", "in"))) else ""
            )
            because = because or (f"left: {fact.left}" if fact.left else "")
            found.append(Difference(act=n, title=fact.title, words="; ".join(words), because=because))
    return tuple(found)


def _differs(act: Act, fact: ActFacts, limits: Limits) -> list[str]:
    if not fact.reached:
        return ["not begun"]
    words = []
    if fact.done_strokes < fact.planned_strokes and not fact.at_most:
        words.append(f"only {fact.done_strokes} of {fact.planned_strokes} counted")
    if fact.missed:
        words.append(f"{fact.missed} missed")
    if fact.doubled:
        words.append(f"{fact.doubled} twice")
    planned_level = max((line.level for line in act.lines), default=None)
    if fact.level is not None and planned_level is not None and fact.done_strokes:
        most = fact.highest if fact.highest is not None else fact.level
        if fact.level != planned_level or most > planned_level:
            moved = f", moved {fact.changes} times" if fact.changes > 1 else ""
            highest = f", {most:g} at most" if most != fact.level else ""
            words.append(f"level {fact.level:g}{highest}, not {planned_level:g}{moved}")
    if fact.cold:
        words.append(f"never in its band: {', '.join(fact.cold)}")
    if fact.set_to is not None and act.spot is not None and fact.set_to != act.spot.at:
        words.append(f"set to {fact.set_to:g}, not {act.spot.at:g}, after its spot")
    timed = act.must_end and act.modality not in housekeeping() and fact.planned_s > 0
    if timed and abs(fact.done_s - fact.planned_s) > limits.differs / 100 * fact.planned_s:
        words.append(f"in {clock(fact.done_s)}, not {clock(fact.planned_s)}")
    return words


def clock(seconds: float) -> str:
    """ "5:24"."""
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
