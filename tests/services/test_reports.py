"""An incident stands in the way of its modality until a senior has closed its line of the register."""

from datetime import timedelta
from itertools import count
from uuid import UUID

import pytest

from builders.work import AGREED, GRADED, MONDAY, as_, ask_nothing, at, later, looked_twice, new_visit, tapped
from merak.core.errors import BadInput
from merak.records import reactions
from merak.records.tables import ReactionVersion
from merak.services.after import closing, registering
from merak.services.context import Context, OutOfTurn
from merak.services.permission import Denied
from merak.services.treatment import treating
from merak.services.visit import consenting, day, looking, planning
from merak.services.visit.file import find_visit, open_file

#: A day of its own and a client of its own for each test: what was written stays.
DAYS = count(650)


@pytest.fixture
def second(ctx: Context) -> tuple[Context, UUID, UUID]:
    """A faint under bulk heat, closed with nothing left on the skin; the client's next visit; the line of it."""
    first = next(DAYS)
    visit = new_visit(ctx, f"Fainted {chr(first - 585)}", minutes="120", start=MONDAY + timedelta(days=first))
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"phototype": "2", "arrived": "washed"})
    page = planning.edit(ctx, visit, "add", {"modality": "rf_bulk"})
    planning.edit(ctx, visit, "add", {"modality": "finish"})
    planning.edit(ctx, visit, "zones", {"step": page.plan.steps[0].id, "zone.mid cheek": "on"})
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    tapped(ctx, visit, "start")
    tapped(ctx, visit, "incident", 1.0, act=at(ctx, visit, "sections"), card="Faint", done="laid flat, came round")
    tapped(ctx, visit, "stop", words="faint")
    looked_twice(ctx, visit, 1)
    closing.close(ctx, visit, GRADED)
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    ahead = later(ctx, days=first + 40)
    who = day.listed(find_visit(ctx, visit).client)
    after = new_visit(ahead, who, start=MONDAY + timedelta(days=first + 40, hours=1))
    ask_nothing(ahead, after)
    return ahead, after, line.id


def waits(ctx: Context, visit: UUID, modality: str = "rf_bulk") -> list[str]:
    found = open_file(ctx, visit).brief.board[modality].reasons
    return [one.reason for one in found if one.rule == "titration.report"]


def test_nothing_of_it_until_it_is_closed_and_everything_else_is_free(second: tuple[Context, UUID, UUID]) -> None:
    ctx, visit, line = second
    on = find_visit(ctx, visit).starts_at - timedelta(days=40)
    (why,) = waits(ctx, visit)
    assert f"Faint, {on:%-d %b %Y}." in why and open_file(ctx, visit).brief.board["rf_bulk"].verdict == "wait"
    assert waits(ctx, visit, "microcurrent") == []
    page = planning.edit(ctx, visit, "add", {"modality": "rf_bulk"})
    assert "before a senior has closed" in page.refusal and not page.plan.steps
    registering.close_report(as_(ctx, "marit"), line)
    assert waits(ctx, visit) == []
    assert planning.edit(ctx, visit, "add", {"modality": "rf_bulk"}).plan.steps
    body = registering.reaction(ctx, line).line.body
    assert body.closed_by == "Marit Solheim" and body.closed_on == f"{ctx.today}" and not body.stands
    with pytest.raises(OutOfTurn):
        registering.close_report(as_(ctx, "marit"), line)


def test_who_treats_does_not_close_it_and_nobody_before_it_says_what_was_done(
    second: tuple[Context, UUID, UUID],
) -> None:
    ctx, visit, line = second
    with pytest.raises(Denied):
        registering.close_report(as_(ctx, "tomas"), line)
    registering.correct(ctx, line, {"grade": "1", "done": ""})
    with pytest.raises(BadInput) as wrong:
        registering.close_report(as_(ctx, "marit"), line)
    assert set(wrong.value.fields) == {"done"} and waits(ctx, visit), "correcting it closes nothing"
    registering.correct(ctx, line, {"grade": "1", "done": "laid flat", "settled": f"{ctx.today}"})
    assert waits(ctx, visit), "that it settled is not that a senior has looked at it"


@pytest.mark.parametrize(("settled", "over"), [("", False), ("2031-01-05", True)])
def test_a_line_from_before_is_over_once_it_settled(
    second: tuple[Context, UUID, UUID], settled: str, over: bool
) -> None:
    ctx, visit, line = second
    newest = reactions.versions(ctx.db, line)[0]
    old = newest.body.model_copy(update={"closed_on": None, "settled": settled})
    with ctx.saving("reaction", line) as db:
        db.add(
            ReactionVersion(
                reaction_id=line,
                client_id=newest.client_id,
                visit_id=newest.visit_id,
                version=newest.version + 1,
                body=old,
                by=ctx.me.id,
                at=ctx.now,
            )
        )
    assert bool(waits(ctx, visit)) != over and old.stands != over


def test_a_reaction_that_is_no_incident_holds_nothing_up(second: tuple[Context, UUID, UUID]) -> None:
    ctx, _, line = second
    body = registering.reaction(ctx, line).line.body
    assert body.stands and not body.model_copy(update={"source": "close"}).stands
    assert not body.model_copy(update={"source": "follow-up"}).stands
