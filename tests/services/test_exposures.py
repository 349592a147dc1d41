"""What clients' skin was given: written when a visit is closed or added to, made again from the records, and read by
the next plan; what was done elsewhere counts alike.
"""

from datetime import timedelta
from uuid import UUID

import pytest
from sqlalchemy.orm import Session

from builders.work import GRADED, as_, ask_nothing, later, looked_twice, new_visit, treated
from merak.core.errors import BadInput
from merak.core.knowledge import agents
from merak.core.modality.exposed import Exposed
from merak.records import clients as records
from merak.records import exposures
from merak.records.bodies.visit import CloseBody
from merak.records.visits import READ_BACK_DAYS
from merak.services.after import amending, closing
from merak.services.clients import given
from merak.services.clients.exposures import given_in, recount
from merak.services.context import Context, NotFound
from merak.services.permission import Denied
from merak.services.visit import planning
from merak.services.visit.file import find_visit, open_file

Lines = list[tuple[UUID | None, dict[str, object]]]


def lines(db: Session, client_id: UUID) -> Lines:
    return [(one.visit_id, one.given.model_dump()) for one in exposures.of_client(db, client_id)]


def closed(ctx: Context, name: str = "", shift: float = 0.0) -> tuple[UUID, UUID]:
    """A visit of lifting and light, closed; its client."""
    visit = new_visit(ctx, name)
    ask_nothing(ctx, visit)
    treated(ctx, visit, shift)
    looked_twice(later(ctx, minutes=50), visit)
    closing.close(later(ctx, hours=1), visit, GRADED)
    return visit, find_visit(ctx, visit).client_id


def test_a_close_writes_what_was_given_as_it_was(ctx: Context) -> None:
    visit, client = closed(ctx)
    kept = open_file(ctx, visit).body(CloseBody)
    assert kept and kept.exposures
    assert lines(ctx.db, client) == [(visit, one.model_dump()) for one in kept.exposures]
    by_agent = {one.agent: one for one in kept.exposures}
    light = by_agent["red light"]
    assert light.unit == "J/cm²" and light.amount and light.measured and light.modality == "led"
    assert light.on == find_visit(ctx, visit).starts_at.astimezone(ctx.zone).date()
    assert "mid cheek" in light.zones and by_agent["microcurrent"].zones
    given_ = kept.did["led"].given
    assert given_ and given_.done == pytest.approx(light.amount, rel=0.01), "the record says the same in both places"
    assert not {one.modality for one in kept.exposures} & {"cleanse", "finish"}, "what every visit has is not kept"


def test_an_addition_leaves_what_was_given_and_a_recount_says_the_same(ctx: Context) -> None:
    visit, client = closed(ctx)
    before = lines(ctx.db, client)
    amending.add(later(ctx, hours=2), visit, {"what": "Pinker in the evening.", "because": "She rang.", "redness": "2"})
    assert lines(ctx.db, client) == before and before
    exposures.write(ctx.db, client, visit, [Exposed(agent="lamp")])
    assert recount(ctx.db) >= 1
    assert lines(ctx.db, client) == before, "the records are what counts"


def test_so_far_back_is_read_that_nothing_which_waits_is_missed() -> None:
    """The longest that any skin waits: half as long again as the longest of all."""
    assert max(max(*one.again, one.course, one.others, one.dark) for one in agents().values()) * 1.5 < READ_BACK_DAYS


def test_every_line_of_the_demo_is_what_its_record_says(ctx: Context) -> None:
    """The table as it was written, visit by visit, against the records."""
    seen = 0
    for visit, client, at in exposures.closed_visits(ctx.db):
        told = [one.model_dump() for one in given_in(ctx.db, visit, at, ctx.zone)]
        assert [one for of, one in lines(ctx.db, client) if of == visit] == told
        seen += len(told)
    assert seen > 50


def test_a_record_from_before_says_which_work_and_where_and_no_amount(ctx: Context) -> None:
    visit, client = closed(ctx)
    with ctx.saving("close", visit):
        file = open_file(ctx, visit, "read notes")
        kept = file.body(CloseBody)
        assert kept
        did = {"micro_needling": kept.did["led"], "led": kept.did["led"]}
        file.keep(ctx, kept.model_copy(update={"exposures": None, "did": did}))
    recount(ctx.db)
    told = [one.given for one in exposures.of_client(ctx.db, client)]
    assert {one.agent: one.modality for one in told} == {"needles": "micro_needling", "led": "led"}
    assert all((one.degree, one.amount, one.measured) == (None, None, False) for one in told)


def test_the_next_plan_reads_it_and_waits(ctx: Context) -> None:
    """Needled elsewhere twelve days ago on the cheeks: no abrasion there for two days more; the chin is free."""
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    client = find_visit(ctx, visit).client_id
    form = {"agent": "needles", "on": f"{ctx.today - timedelta(days=12)}", "by": "Dr Hale", "zone.mid cheek": "on"}
    given.write_elsewhere(ctx, client, form)
    page = planning.edit(ctx, visit, "add", {"modality": "diamond"})
    told = [one for one in page.computed.clashes if one.rule == "agent.needles"]
    assert len(told) == 1 and "Needles (Dr Hale) was 12 days ago" in told[0].words and told[0].absolute
    opens = ctx.today + timedelta(days=2)
    assert told[0].action == f"Open from {opens:%-d %b %Y}, or today off mid cheek."
    kept = given.given_page(ctx, client)
    again = ctx.today + timedelta(days=30)  # nobody looked at her phototype yet: as long as for the darkest
    assert [(one.what, one.where, one.on) for one in kept.openings] == [("Needles", "mid cheek", again)]
    (line,) = kept.elsewhere
    given.take_back(ctx, client, str(line.id))
    assert given.given_page(ctx, client).elsewhere == [] == given.given_page(ctx, client).openings
    with pytest.raises(NotFound):
        given.take_back(ctx, client, str(line.id))


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({"by": "Dr Hale"}, "agent"),
        ({"agent": "gold dust", "by": "Dr Hale"}, "agent"),
        ({"agent": "needles"}, "by"),
        ({"agent": "needles", "by": "Dr Hale", "on": "2199-01-01"}, "on"),
        ({"agent": "needles", "by": "Dr Hale", "on": "yesterday"}, "on"),
        ({"agent": "needles", "by": "Dr Hale", "zone.tail": "on"}, "zones"),
    ],
)
def test_what_cannot_be_read_is_told_beside_its_field_and_not_kept(
    ctx: Context, form: dict[str, str], field: str
) -> None:
    client = find_visit(ctx, new_visit(ctx)).client_id
    with pytest.raises(BadInput) as wrong:
        given.write_elsewhere(ctx, client, form)
    assert set(wrong.value.fields) == {field} and exposures.of_client(ctx.db, client) == []


def test_who_may_not_read_notes_may_neither_see_nor_write_it(ctx: Context) -> None:
    client = find_visit(ctx, new_visit(ctx)).client_id
    desk = as_(ctx, "joost")
    for act in (
        lambda: given.given_page(desk, client),
        lambda: given.write_elsewhere(desk, client, {"agent": "needles", "by": "x"}),
        lambda: given.take_back(desk, client, "x"),
    ):
        with pytest.raises(Denied):
            act()


def test_a_visits_own_lines_are_not_taken_back(ctx: Context) -> None:
    _visit, client = closed(ctx)
    line = exposures.of_client(ctx.db, client)[0]
    with pytest.raises(NotFound):
        given.take_back(ctx, client, str(line.id))
    assert exposures.of_client(ctx.db, client)[0] == line


def test_two_records_that_become_one_are_one_history(ctx: Context) -> None:
    (_, one), (_, other) = closed(ctx, "Ada One"), closed(later(ctx, hours=3), "Ada Two")
    both = lines(ctx.db, one) + lines(ctx.db, other)
    with ctx.saving("put records together", one) as db:
        records.merge(db, one, other)
    assert sorted(map(str, lines(ctx.db, one))) == sorted(map(str, both)) and lines(ctx.db, other) == []


def test_the_page_tells_each_skin_its_days_and_answers(ctx: Context) -> None:
    visit, client = closed(ctx)
    page = given.given_page(ctx, client)
    told = {(one.where, one.what): one.times for one in page.lines}
    assert {what for _, what in told} == {"Light-emitting panel", "Microcurrent lift"}
    (once,) = next(times for (_, what), times in told.items() if what == "Light-emitting panel")
    assert (
        once.answer == 1
        and any("red light" in words for words in once.amounts)
        and once.on == find_visit(ctx, visit).starts_at.date()
    )
    assert page.openings == []


def test_what_two_stages_of_a_day_gave_is_told_as_one_amount(ctx: Context) -> None:
    visit, client = closed(ctx)
    of = {"modality": "led", "zones": ("chin",), "on": ctx.today, "measured": True}
    twice = [Exposed(agent="red light", amount=2.0, unit="J/cm²", **of)] * 2
    exposures.write(ctx.db, client, visit, [*twice, Exposed(agent="wet", degree=1, **of)])
    ((once,),) = [one.times for one in given.given_page(ctx, client).lines]
    assert once.amounts == ("4 J/cm² red light",), "what has no amount of its own is not told as unknown"
    exposures.write(ctx.db, client, visit, [*twice, Exposed(agent="red light", unit="J/cm²", **of)])
    ((once,),) = [one.times for one in given.given_page(ctx, client).lines]
    assert once.amounts == ("amount unknown",)
