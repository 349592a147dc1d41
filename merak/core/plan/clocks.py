"""Several clocks at once: what has to work first has its time, and what works by its clock is not left longer."""

from collections.abc import Iterable
from itertools import chain, combinations

from merak.core.acts import Span
from merak.core.knowledge import all_of, number, rule
from merak.core.knowledge.register import needs
from merak.core.plan.fitting import Clash, limit
from merak.core.plan.stage import Worked
from merak.core.plan.step import WorkedStep

needs(
    __name__,
    """
    s: plan.numb_clock
    words: plan.guest plan.two_currents
    """,
    group=("CURRENT", "RF"),
)

#: Clocks that nothing may lengthen.
ENDING = ("at most", "exactly")


def own_time(worked: dict[str, WorkedStep], laid: tuple[Span, ...]) -> Iterable[Clash]:
    """What has to work first must have had its time before what waits for it begins; what is put beside it may lengthen
    but not shorten it.
    """
    spans = {span.step: span for span in laid}
    begins = {
        stage.stage.id: spans[step.step.id].start_s + sum(one.seconds for one in step.stages[:n])
        for step in worked.values()
        if step.step.id in spans
        for n, stage in enumerate(step.stages)
    }
    there = [(step.step.id, stage) for step in worked.values() for stage in step.stages if stage.stage.id in begins]
    for step, stage in there:
        minutes = stage.settings.ready_min
        if minutes is None:
            continue
        ready = begins[stage.stage.id] + stage.hands_s + stage.wait_s + round(minutes * 60)
        for other_step, other in there:
            early = ready - begins[other.stage.id]
            waits = other.footing.asks.keys() & stage.footing.gives.keys() and other.skin & stage.skin
            if waits and early > number("plan.numb_clock"):
                words = f"{other.title} begins {early / 60:.0f} min before the cream has had its time."
                action = f"Put {stage.title.lower()} earlier, or something beside it."
                yield limit("plan.numb_clock", dict.fromkeys((step, other_step)), words, action)


def by_its_clock(step: WorkedStep) -> bool:
    """Whether a step may not be left longer than its time: its last stage says so, or lays what works as long as it
    lies.
    """
    last = step.stages[-1]
    return last.stage.how.clock in ENDING or any(one.product is not None and one.product.off for one in last.coat)


def overrun(worked: dict[str, WorkedStep], laid: tuple[Span, ...]) -> Iterable[Clash]:
    """Guests that take longer than their host may be left to work."""
    guests = [span for span in laid if span.track == 1]
    for host in (span for span in laid if span.track == 0):
        step = worked[host.step]
        mine = [one for one in guests if worked[one.step].step.beside == host.step]
        late = max((one.start_s + one.seconds for one in mine), default=0) - (host.start_s + host.hands_s + step.own_s)
        if late > number("plan.numb_clock") and by_its_clock(step):
            names = " and ".join(one.title for one in mine)
            words = f"{names} beside {host.title} end {late / 60:.0f} min after its time. {rule('plan.guest').reason}"
            ids = dict.fromkeys(chain((host.step,), (one.step for one in mine)))
            yield limit("plan.guest", ids, words, f"Shorten it, or put it after {host.title}.", absolute=True)


def two_currents(worked: dict[str, WorkedStep], laid: tuple[Span, ...]) -> Iterable[Clash]:
    """Steps that send current while another does, where not all of their machines are known to be isolated."""
    sending = [(span, _currents(worked[span.step])) for span in laid]
    for (one, mine), (other, theirs) in combinations([(span, there) for span, there in sending if there], 2):
        at_once = one.start_s < other.start_s + other.seconds and other.start_s < one.start_s + one.seconds
        apart = [there for there in (*mine, *theirs) if not getattr(there.card, "isolated", False)]
        if at_once and apart:
            names = " and ".join(dict.fromkeys(there.card.name if there.card else there.title for there in apart))
            words = f"{one.title} and {other.title} send current at once, and nothing says that {names} is isolated."
            reason = rule("plan.two_currents").reason
            action = "One after the other; or say on the card that its outputs are isolated."
            yield limit("plan.two_currents", (one.step, other.step), f"{words} {reason}", action, absolute=True)


def _currents(step: WorkedStep) -> list[Worked]:
    return [one for one in step.stages if one.modality in all_of(("CURRENT", "RF"))]
