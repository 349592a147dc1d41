"""What an act waits for before anything is counted in it: a licence, a test spot."""

from typing import Literal, NamedTuple

from merak.core.knowledge.register import needs
from merak.core.treatment.order import Order
from merak.core.treatment.state import RunState

needs(
    __name__,
    """
    words: chair.handover chair.spot.first
    """,
)


class Lock(NamedTuple):
    """Why an act may not go on, what opens it, and by which rule."""

    kind: Literal["licence", "spot"]
    words: str
    action: str
    rule: str


def locked(order: Order, state: RunState, n: int) -> Lock | None:
    """What an act waits for; None when it is free. A spot opens it once its answer was to keep the setting, or a senior
    wrote why not.
    """
    act, run = order.acts[n], state.runs[n]
    if act.licence and act.licence not in state.licences:
        words = f"This asks for a licence for {act.licence}, which {state.holder or 'nobody here'} does not hold."
        return Lock("licence", words, "Who holds it takes over.", "chair.handover")
    if act.spot is None or run.unlocked:
        return None
    last = run.spots[-1] if run.spots else None
    if last is None:
        return Lock("spot", act.spot.words["first"], "Place a test spot.", "chair.spot.first")
    if last.answer is None:
        return Lock("spot", act.spot.words["wait"], "Read it when it is due.", act.spot.rule)
    if last.answer.verdict == "keep":
        return None
    return Lock("spot", last.answer.words, "Place a spot at the new setting.", last.answer.rule)
