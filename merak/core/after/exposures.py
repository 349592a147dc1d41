"""What a stage really gave to the skin: as planned for the settings that it ended with, by how much of it was done and
where.
"""

from collections.abc import Collection, Iterable, Mapping
from datetime import date
from math import inf

from merak.core.acts import Act
from merak.core.body.plate import bare, keys_of, keys_on, named, sided
from merak.core.knowledge import Degrees, on_skin
from merak.core.modality.exposed import Exposed
from merak.core.modality.exposure import Exposure
from merak.core.plan.footing import most_counted
from merak.core.treatment.state import ActRun


def given_by(
    modality: str,
    counts: Degrees,
    exposures: Mapping[str, tuple[Exposure, ...]],
    zones: Iterable[str],
    share: float,
    on: date,
) -> tuple[Exposed, ...]:
    """What was given of each agent, zones with the same amount together; `share` of what was planned. What counts for
    the whole client stands once, with all of the zones, and is not given by halves; what is none of anything is not
    kept.
    """
    where: dict[tuple[str, float | None, str], list[str]] = {}
    whole: dict[str, Exposure] = {}
    worked = tuple(zones)
    for zone in worked:
        most: dict[str, Exposure] = {}
        for one in exposures.get(zone) or exposures.get(bare(zone), ()):
            of = max(share, 1) if one.by == "body" else share
            given = one if one.amount is None else one._replace(amount=one.amount * of)
            kept = whole if one.by == "body" else most
            kept[one.agent] = max(kept.get(one.agent, given), given, key=_worst)
        for one in most.values():
            if one.amount is None or one.amount:
                where.setdefault((one.agent, one.amount, one.unit), []).append(zone)
    there = [
        *where.items(),
        *(((one.agent, one.amount, one.unit), [*worked]) for one in whole.values()),
    ]
    found = [
        Exposed(agent=agent, modality=modality, amount=amount, unit=unit, zones=tuple(skin), on=on, measured=True)
        for (agent, amount, unit), skin in there
    ]
    known = {one.agent for one in found}
    found = [one.model_copy(update={"degree": counts[one.agent]}) if one.agent in counts else one for one in found]
    found += [
        Exposed(agent=agent, modality=modality, degree=degree, zones=worked, on=on, measured=True)
        for agent, degree in counts.items()
        if agent not in known
    ]
    if not found and share:  # what asks for nothing of it still has to know that it was done
        found = [Exposed(agent=modality, modality=modality, zones=worked, on=on, measured=True)]
    return tuple(found)


def _worst(one: Exposure) -> float:
    """By how much it is, what nobody knows at its worst."""
    return inf if one.amount is None else one.amount


def unknown_of(modality: str, zones: Iterable[str], on: date) -> tuple[Exposed, ...]:
    """What may have been given at the worst, of work of which only the skin is known, or not even that."""
    there = tuple(zones)
    if modality not in on_skin():
        return ()
    agents = most_counted(modality) or (modality,)
    return tuple(Exposed(agent=agent, modality=modality, zones=there, on=on) for agent in agents)


def reached(parts: Iterable[tuple[Act, ActRun]], zones: Collection[str]) -> tuple[str, ...]:
    """The zones of a stage in which anything was counted; all of them where it is not counted by zone."""
    touched: set[str] = set()
    for act, run in parts:
        names = [part.name for part in act.parts]
        if not act.wanted or not names or not all(map(keys_of, names)):
            return tuple(zones)
        places = {place for walk in (*run.passes, run.walk) for place in walk}
        if act.kind == "pulses":
            places = {act.cells[place].part for place in places}
        elif act.kind != "sections":
            return tuple(zones)
        touched |= {names[place] for place in places}
    skin = keys_on(frozenset(touched)) & keys_on(frozenset(sided(zones)))
    return named(skin) if skin else tuple(zones)
