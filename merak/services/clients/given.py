"""What a client's skin was given, over time and by zone, and from which day on each thing is open again; what was done
elsewhere is written down here.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import Annotated
from uuid import UUID

from pydantic import Field

from merak.core.body.plate import PLATES, keys_on, named, sided, where_words, zone_names
from merak.core.errors import BadInput
from merak.core.knowledge import about, agents
from merak.core.modality.exposed import Exposed
from merak.core.plan.past import wait_after
from merak.records import clients, exposures
from merak.records.exposures import KeptExposure
from merak.records.tables import Client
from merak.services.context import Context, NotFound
from merak.services.forms import Otherwise, Prefixed, TypedForm, cut, day_of


@dataclass
class GivenOnce:
    """What was given on one day (None: nobody knows): how much of each, how the skin answered (of 4), by whom where it
    was elsewhere, until when that keeps the same skin closed to the same.
    """

    on: date | None
    amounts: tuple[str, ...]
    answer: int | None
    elsewhere: str
    visit: UUID | None
    until: date | None = None


@dataclass
class GivenLine:
    """What one work gave to some skin, day after day."""

    where: str
    what: str
    times: list[GivenOnce] = field(default_factory=list)


@dataclass(frozen=True)
class Opening:
    """From when skin is open again to something, and by which rule."""

    what: str
    where: str
    on: date
    rule: str


@dataclass
class GivenPage:
    """A client's page of it: lines by skin, what opens when, what was done elsewhere, the form as typed."""

    client: Client
    today: date
    lines: list[GivenLine]
    openings: list[Opening]
    elsewhere: list[KeptExposure]
    form: dict[str, str]
    wrong: dict[str, str]


def kinds() -> dict[str, str]:
    """What may have been done elsewhere, by agent."""
    return {name: f"{one.name[0].upper()}{one.name[1:]}" for name, one in agents().items()}


def given_page(
    ctx: Context, client_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None
) -> GivenPage:
    """All that is known of what a client's skin was given. Raises NotFound, Denied."""
    ctx.demand("read notes")
    client = ctx.db.get(Client, client_id)
    if client is None:
        raise NotFound("There is no such client.")
    kept, visits = exposures.of_client(ctx.db, client_id), clients.progress(ctx.db, client_id)
    answers = {one.visit: one.close.worst if one.close.redness is not None else None for one in visits}
    phototype = next((one.look.phototype for one in reversed(visits) if one.look.phototype), None)
    return GivenPage(
        client=client,
        today=ctx.today,
        lines=_lines(kept, answers, phototype, ctx.today),
        openings=_openings([one.given for one in kept], phototype, ctx.today),
        elsewhere=[one for one in kept if one.visit_id is None],
        form=form or {},
        wrong=wrong or {},
    )


def _work(one: Exposed) -> str:
    """What it is called: the work that gave it, else what it was."""
    if one.modality in about():
        return about()[one.modality].title
    return kinds().get(one.agent, one.agent)


def _amounts(those: Iterable[Exposed]) -> tuple[str, ...]:
    """How much of each agent a day gave in all; nothing of what has no amount of its own."""
    by_agent: dict[str, list[Exposed]] = {}
    for one in those:
        if one.amount is not None or one.unit or not one.measured:
            by_agent.setdefault(one.agent, []).append(one)
    told = []
    for agent, parts in by_agent.items():
        amounts = [one.amount for one in parts if one.amount is not None]
        if len(amounts) < len(parts):
            told.append("amount unknown")
        else:
            named = "" if agent in agents() else f" {agent}"
            told.append(f"{sum(amounts):.3g} {parts[0].unit}".strip() + named)
    return tuple(dict.fromkeys(told))


def _lines(
    kept: Iterable[KeptExposure], answers: dict[UUID, int | None], phototype: int | None, today: date
) -> list[GivenLine]:
    """Skin that was given the same on the same days stands together, what was worked last first."""
    there: dict[str, dict[tuple[str, date | None, UUID | None], list[Exposed]]] = {}
    for one in kept:
        for zone in sided(one.given.zones) or ("",):
            key = (_work(one.given), one.given.on, one.visit_id)
            there.setdefault(zone, {}).setdefault(key, []).append(one.given)
    alike: dict[tuple[object, ...], tuple[list[str], dict[tuple[str, date | None, UUID | None], list[Exposed]]]] = {}
    for zone, times in there.items():
        same = tuple(sorted((str(key), tuple(map(id, those))) for key, those in times.items()))
        alike.setdefault(same, ([], times))[0].append(zone)
    lines: dict[tuple[str, str], GivenLine] = {}
    for zones, times in alike.values():
        where = _where(zones)
        for (what, on, visit), those in times.items():
            line = lines.setdefault((where, what), GivenLine(where, what))
            waits = (wait_after(one, one.agent, today, phototype) for one in those if one.agent in agents())
            line.times.append(
                GivenOnce(
                    on=on,
                    amounts=_amounts(those),
                    answer=answers.get(visit) if visit else None,
                    elsewhere=those[0].elsewhere,
                    visit=visit,
                    until=max((wait.opens for wait in waits if wait), default=None),
                )
            )
    for line in lines.values():
        line.times.sort(key=lambda one: one.on or date.min)
    order = {zone: n for n, zone in enumerate(zone for name in PLATES for zone in zone_names(name))}
    return sorted(lines.values(), key=lambda one: (order.get(one.where.partition(",")[0], -1), one.where, one.what))


def _where(zones: Iterable[str]) -> str:
    there = frozenset(zones) - {""}
    return where_words((*named(keys_on(there)), *sorted(one for one in there if not keys_on(frozenset((one,))))))


def _openings(given: Iterable[Exposed], phototype: int | None, today: date) -> list[Opening]:
    """What is closed today: the same again, by skin; the next first."""
    closed: dict[tuple[str, date, str], set[str]] = {}
    for one in given:
        wait = wait_after(one, one.agent, today, phototype) if one.agent in agents() else None
        if wait and wait.opens > today:
            closed.setdefault((one.agent, wait.opens, wait.rule), set()).update(sided(one.zones) or {""})
    last: dict[tuple[str, str], date] = {}
    for (agent, opens, _), zones in closed.items():
        for zone in zones:
            last[agent, zone] = max(opens, last.get((agent, zone), opens))
    found = [
        Opening(kinds()[agent], _where(those), opens, rule)
        for (agent, opens, rule), zones in closed.items()
        if (those := [zone for zone in zones if last[agent, zone] == opens])
    ]
    return sorted(found, key=lambda one: (one.on, one.what))


class ElsewhereForm(TypedForm):
    """What was done elsewhere: what, when where it is known, by whom, on which zones (none: everywhere)."""

    agent: Annotated[str, Otherwise("What was done?", needed=True)] = ""
    on: Annotated[date | None, day_of("past")] = None
    by: Annotated[str, cut(120), Otherwise("By whom? “Not known” is an answer too.", needed=True)] = ""
    zones: Annotated[dict[str, str], Prefixed("zone.")] = Field(default_factory=dict)


def write_elsewhere(ctx: Context, client_id: UUID, form: dict[str, str]) -> None:
    """Keeps what was done elsewhere: it counts as what is done here. Raises BadInput by field, NotFound, Denied."""
    page = given_page(ctx, client_id)
    ctx.demand("ask")
    asked = ElsewhereForm.read(form, today=ctx.today, born=page.client.born)
    if asked.agent not in agents():
        raise BadInput({"agent": "What was done?"})
    known = {zone for name in PLATES for zone in zone_names(name)}
    if set(asked.zones) - known:
        raise BadInput({"zones": "That is no zone of a plate."})
    one = Exposed(agent=asked.agent, zones=tuple(sorted(asked.zones)), on=asked.on, elsewhere=asked.by)
    with ctx.saving("write down what was done elsewhere", client_id) as db:
        exposures.add_elsewhere(db, client_id, [one], ctx.me.id, ctx.now)


def take_back(ctx: Context, client_id: UUID, row_id: str) -> None:
    """What was written of work elsewhere was an error. Raises NotFound for a line that is not there, Denied."""
    ctx.demand("ask")
    try:
        wanted = UUID(row_id)
    except ValueError:
        raise NotFound("There is no such line.") from None
    with ctx.saving("take back what was done elsewhere", client_id) as db:
        if not exposures.take_back(db, client_id, wanted, ctx.now):
            raise NotFound("There is no such line.")
