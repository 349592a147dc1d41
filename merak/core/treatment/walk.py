"""Where one has been: what of a pass is counted, what was passed over, what was done twice, what comes next."""

from collections.abc import Sequence
from typing import NamedTuple

from merak.core.acts import Act
from merak.core.treatment.state import ActRun


class Walked(NamedTuple):
    """A pass: how often each place was counted, those that still lack one (`open`), those passed over, those that had
    one too many.
    """

    counts: tuple[int, ...]
    open: tuple[int, ...]
    missed: tuple[int, ...]
    doubled: tuple[int, ...]


def walked(act: Act, walk: Sequence[int]) -> Walked:
    """What a walk has come to. A place is missed when one further on in the order was already counted."""
    counts = tallied(act, walk)
    lacking = tuple(n for n, want in enumerate(act.wanted) if counts[n] < want)
    furthest = max(walk, default=-1)
    doubled = tuple(n for n, want in enumerate(act.wanted) if counts[n] > want)
    return Walked(tuple(counts), lacking, tuple(n for n in lacking if n < furthest), doubled)


def tallied(act: Act, walk: Sequence[int]) -> list[int]:
    """How often each place was counted."""
    counts = [0] * len(act.wanted)
    for place in walk:
        counts[place] += 1
    return counts


def anywhere(act: Act) -> bool:
    """Whether each thing is counted in whichever part it is seen, as often as it is."""
    return act.at_most and act.kind == "sections"


def next_place(act: Act, run: ActRun) -> int | None:
    """The place that is lit: from the last that was counted on the next that lacks one, then what was passed over; None
    when none lacks. What is marked when it is seen may be in any part, the next as likely as not where the last was.
    """
    wanted, tally, many = act.wanted, run.tally, len(act.wanted)
    if len(run.passes) >= act.passes:
        return None
    if not tally:
        return 0 if many else None
    here = run.walk[-1] if run.walk else 0
    if anywhere(act):
        return here
    return next((n % many for n in range(here, here + many) if tally[n % many] < wanted[n % many]), None)


def complete(act: Act, run: ActRun) -> bool:
    """Whether everything that is to be counted was counted, or its passes were closed."""
    if not act.wanted or anywhere(act) or len(run.passes) >= act.passes:
        return True
    return len(run.passes) + 1 == act.passes and next_place(act, run) is None


def missed_in_all(act: Act, run: ActRun) -> tuple[int, int]:
    """(places missed, places doubled) in all passes that were closed or begun; what was never begun is not missed, and
    nothing of what is marked when it is seen.
    """
    if act.at_most:
        return 0, 0
    closed = [walked(act, walk) for walk in run.passes]
    here = walked(act, run.walk)
    missed = sum(len(one.open) for one in closed) + len(here.missed)
    return missed, sum(len(one.doubled) for one in (*closed, here))


def setting(act: Act, run: ActRun) -> float | None:
    """What the machine is to be set to now: the lit line's level as it was moved, what a spot said, or the plan; None
    without a machine.
    """
    if not act.machine:
        return None
    if act.lines:
        place = next_place(act, run)
        level = act.lines[place].level if place is not None else max(line.level for line in act.lines)
        return max(1.0, level + run.level_shift)
    return run.set_to if run.set_to is not None else act.dials[0][1]
