"""What guards the client and all in the room along the clock: on before what asks for it, off before what it is in the
way of.
"""

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import NamedTuple

from merak.core.body.plate import sided
from merak.core.knowledge import Guard, guards, on_skin, traits
from merak.core.plan.fitting import Clash, title
from merak.core.plan.skin import InTime


class Change(NamedTuple):
    """What comes off before a stage, and what goes on."""

    off: tuple[Guard, ...]
    on: tuple[Guard, ...]

    @property
    def words(self) -> str:
        """As it is said at the chair."""
        return " ".join((*(one.comes_off for one in self.off), *(one.puts_on for one in self.on)))


def asked_by(modality: str) -> tuple[Guard, ...]:
    """What a work asks for: all that there is where its file says nothing."""
    named = on_skin()[modality].guards
    return tuple(one for name, one in guards().items() if named is None or name in named)


def guarding(stages: Sequence[InTime]) -> tuple[dict[str, Change], tuple[Guard, ...]]:
    """What is put on and taken off before which stage, as far as anything is, and what is worn at the end of all."""
    found: dict[str, Change] = {}
    worn: tuple[Guard, ...] = ()
    for one in sorted(stages, key=lambda each: (each.begins, each.place)):
        asked = asked_by(one.stage.modality)
        stays = tuple(was for was in worn if not _hinders(was, one, asked))
        on = tuple(want for want in asked if not any(want.guard in (was.guard, *was.also) for was in stays))
        off = tuple(was for was in worn if was not in stays or any(was.guard in new.also for new in on))
        if on or off:
            found[one.stage.id] = Change(tuple(was for was in off if was.comes_off), on)
            worn = (*(was for was in worn if was not in off), *on)
    return found, tuple(was for was in worn if was.comes_off)


def _hinders(was: Guard, one: InTime, asked: Sequence[Guard]) -> bool:
    """Whether what is worn is in the way of a stage: it has to be clear of it, or has no need of it and works on what
    it hides, or it is worn only where it is asked for.
    """
    if was.guard in on_skin()[one.stage.modality].clear:
        return True
    needed = any(was.guard in (want.guard, *want.also) or want.guard in was.also for want in asked)
    return not needed and (was.only or _is_in_the_way(was, one))


def _is_in_the_way(was: Guard, one: InTime) -> bool:
    """Whether a stage has to be clear of it, or has hands on what it hides: what is left to work lies beneath."""
    waits = traits()[one.stage.modality].waits
    return was.guard in on_skin()[one.stage.modality].clear or (not waits and bool(one.skin & sided(was.hides)))


def unguarded(stages: Sequence[InTime]) -> Iterator[Clash]:
    """What runs beside each other where one asks for a guard that is in the way of the other."""
    for pair in combinations(stages, 2):
        if pair[0].begins >= pair[1].ends or pair[1].begins >= pair[0].ends:
            continue
        for one, other in (pair, pair[::-1]):
            own = asked_by(other.stage.modality)
            want = next((g for g in asked_by(one.stage.modality) if g not in own and _is_in_the_way(g, other)), None)
            if want and one.step != other.step:
                yield Clash(
                    kind="guard",
                    rule=want.id,
                    steps=tuple(dict.fromkeys((one.step, other.step))),
                    words=f"{title(one.stage.modality)} asks for {want.name}, which {title(other.stage.modality)} "
                    f"beside it has to be clear of. {want.reason}",
                    action="One after the other.",
                    absolute=True,
                    stage=one.stage.id,
                )
