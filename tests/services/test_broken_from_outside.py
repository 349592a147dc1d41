"""A treatment that runs cannot be broken from outside; what is sent twice counts once; who taps, and when, is not
theirs to say.
"""

import os
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from uuid import UUID, uuid4

import httpx
import psycopg
import pytest

from builders.server import Server, sign_in
from builders.visits import agreed, booked, sent, tap
from builders.visits import begun as begun_by
from builders.work import (
    AGREED,
    GRADED,
    MONDAY,
    as_,
    ask_nothing,
    at,
    begun,
    later,
    lift_and_light,
    looked_twice,
    new_visit,
    person,
    tap_of,
    tapped,
)
from merak.core.errors import BadInput
from merak.core.plan.screening import questions
from merak.records import visits
from merak.records.tables import Client
from merak.services.after import closing, registering, returning
from merak.services.clients import clients
from merak.services.context import Context, OutOfTurn
from merak.services.permission import Denied
from merak.services.studio import machines, practice
from merak.services.treatment import adverse, instruments, treating
from merak.services.treatment.standing import state_of
from merak.services.visit import consenting, day, looking, planning
from merak.services.visit.file import find_visit, open_file


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def test_a_running_treatment_keeps_its_machine_and_its_booking(ctx: Context) -> None:
    visit = begun(ctx, "microcurrent", "finish")
    n = at(ctx, visit, "strokes")
    machine = treating.run_of(ctx, visit).acts[n].machine
    owner, front = as_(ctx, "marit"), as_(ctx, "joost")
    with pytest.raises(OutOfTurn, match="under way"):
        machines.put_away(owner, machine)
    with pytest.raises(OutOfTurn, match="running"):
        day.cancel(front, visit)
    assert find_visit(ctx, visit).status == "booked"
    # Whatever becomes of the machine otherwise, no tap is lost with it.
    ctx.db.connection().exec_driver_sql("UPDATE device SET active = false WHERE id = %(id)s", {"id": machine})
    try:
        for kind in ("count", "pause", "resume", "halt", "stop"):
            run = treating.record(ctx, visit, [tap_of(kind, ctx.now)])
        assert run.state.status == "stopped" and instruments.at_work(ctx, run) is None
    finally:
        machines.take_out(owner, machine)
    with pytest.raises(OutOfTurn, match="treated"):
        day.cancel(front, visit)


def test_a_cancelled_visit_frees_its_time_and_can_be_taken_back(ctx: Context) -> None:
    start = MONDAY + timedelta(days=305, hours=1)
    first = new_visit(ctx, start=start)
    with pytest.raises(BadInput, match="Another visit"):
        new_visit(ctx, start=start + timedelta(minutes=20))
    day.cancel(ctx, first)
    assert [row.visit.status for row in day.day_sheet(ctx, start.date())] == ["cancelled"]
    second = new_visit(ctx, start=start + timedelta(minutes=20))
    with pytest.raises(OutOfTurn, match="booked then by now"):
        day.take_back(ctx, first)
    day.cancel(ctx, second)
    day.take_back(ctx, first)
    assert {row.visit.id: row.visit.status for row in day.day_sheet(ctx, start.date())} == {
        first: "booked",
        second: "cancelled",
    }
    visits.set_status(ctx.db, first, "closed")
    assert find_visit(ctx, new_visit(ctx, start=start)).status == "booked", "what is closed is over"


def test_two_at_once_book_one_time_once(ctx: Context, adaeze: httpx.Client) -> None:
    therapist = next(one for one in day.therapists(ctx) if one.name.startswith("Adaeze"))
    on = date.today() + timedelta(days=600)
    on += timedelta(days=(8 - on.isoweekday()) % 7)
    form = {"day": f"{on}", "time": "10:00", "minutes": "60", "therapist": str(therapist.id), "born": "1990-01-01"}
    with ThreadPoolExecutor(6) as pool:
        answers = list(
            pool.map(
                lambda n: adaeze.post("/visits", data=form | {"name": f"Rival Invented {n}"}).status_code, range(6)
            )
        )
    assert sorted(answers) == [200, *[422] * 5]
    # One form sent six times at once, with its own key: one booking, one client.
    form |= {"time": "14:00", "name": "Impatient Invented", "once": uuid4().hex}
    with ThreadPoolExecutor(6) as pool:
        answers = list(pool.map(lambda _: adaeze.post("/visits", data=form).status_code, range(6)))
    assert set(answers) == {200}, "each is shown how it stands"
    found = (
        ctx.db.connection().exec_driver_sql("SELECT count(*) FROM client WHERE name = 'Impatient Invented'").scalar()
    )
    sheet = adaeze.get(f"/?on={on}").text
    assert found == 1 and sheet.count("Impatient Invented</a>") == 1
    assert adaeze.post("/visits", data=form | {"name": ""}).status_code == 422, (
        "what says something else is another form"
    )


def test_a_refused_form_may_be_sent_once_more_as_it_is(adaeze: httpx.Client) -> None:
    form = {"name": "Nobody Invented", "once": uuid4().hex}
    assert [adaeze.post("/visits", data=form).status_code for _ in range(2)] == [422, 422]


def test_the_same_person_is_offered_and_no_second_record_made_in_silence(ctx: Context) -> None:
    first = new_visit(ctx, name="Rosa Núñez Invented", start=MONDAY + timedelta(days=310))
    known = find_visit(ctx, first).client_id
    with pytest.raises(day.SameClient) as offered:
        new_visit(ctx, name="rosa  nunez invented", start=MONDAY + timedelta(days=311))
    assert [one.id for one in offered.value.known] == [known]
    same = new_visit(ctx, name="rosa nunez invented", start=MONDAY + timedelta(days=311), whose=str(known))
    assert find_visit(ctx, same).client_id == known
    other = new_visit(ctx, name="Rosa Nunez Invented", start=MONDAY + timedelta(days=311, hours=2), whose="new")
    assert find_visit(ctx, other).client_id != known
    rows = day.day_sheet(ctx, (MONDAY + timedelta(days=311)).date())
    assert [row.alike for row in rows] == [True, True], "told apart by their birth years"


def test_people_of_one_name_are_told_apart(ctx: Context) -> None:
    owner = as_(ctx, "marit")
    with pytest.raises(BadInput) as twice:
        practice.add_person(owner, person(" adaeze  OKONJO", "ADAEZE", "long enough for now", "assistant"))
    assert set(twice.value.fields) == {"name", "login"}
    columns = "id, name, login, password_hash, role, active"
    into = f"INSERT INTO person ({columns}) VALUES (gen_random_uuid(), 'ADAEZE okonjo', 'z', '', 'owner', true)"
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db, pytest.raises(psycopg.errors.UniqueViolation):
        db.execute(into)


def test_an_access_that_was_ended_is_given_back(ctx: Context) -> None:
    owner = as_(ctx, "marit")
    lin = next(one for one in practice.staff(owner) if one.login == "lin")
    practice.end_access(owner, str(lin.id))
    assert not next(one for one in practice.staff(owner) if one.login == "lin").active
    practice.give_back(owner, str(lin.id))
    assert next(one for one in practice.staff(owner) if one.login == "lin").active


def test_a_taps_id_belongs_to_one_visit(ctx: Context) -> None:
    one, other = begun(ctx, "microcurrent", "finish"), begun(ctx, "microcurrent", "finish")
    n = at(ctx, one, "strokes")
    at(ctx, other, "strokes")
    mine = tap_of("count", ctx.now)
    assert treating.record(ctx, one, [mine, mine]).state.runs[n].strokes == 1
    with pytest.raises(BadInput, match="another visit"):
        treating.record(ctx, other, [tap_of("count", ctx.now), mine])
    assert treating.run_of(ctx, other).state.runs[n].strokes == 0, "none of what came with it"


def test_a_backdated_tap_reads_no_spot_and_breaks_no_closing(ctx: Context) -> None:
    """Pins wait five minutes for their spot; a tap that says it was placed an hour ago, before anything had begun, was
    placed now.
    """
    visit = begun(ctx, "numbing", "rf_fractional", "finish", rf_fractional="mid cheek")
    n = at(ctx, visit, "pulses")
    for told in (ctx.now - timedelta(hours=1), datetime(1, 1, 1, tzinfo=UTC)):
        run = treating.record(ctx, visit, [tap_of("spot", told, act=n, data={"zone": "right jawline"})])
        run = tapped(ctx, visit, "spot_read", act=n, redness=1, swelling=0, pain=0, mark=False)
        assert run.state.runs[n].spots[-1].answer is None and run.state.runs[n].spots[-1].placed == ctx.now
    kept = ctx.db.connection().exec_driver_sql(
        "SELECT at, clock ->> 'marked', clock ->> 'told' FROM treat_event WHERE visit_id = %(visit)s AND kind = 'spot'"
        " ORDER BY seq",
        {"visit": visit},
    )
    for at_, marked, told_ in kept:
        assert at_ == ctx.now and marked == "before the treatment began" and datetime.fromisoformat(told_) < ctx.now, (
            "kept with both times"
        )
    tapped(ctx, visit, "stop", words="pain")
    assert closing.closing(ctx, visit).ended == ctx.now


def test_every_time_a_browser_tells_is_held_on_the_server(adaeze: httpx.Client, ctx: Context) -> None:
    """The same from outside: told times, page loads and their steady clocks, over the real API."""
    visit = begun_by(adaeze, booked(adaeze, "Clockwork Invented"), "microcurrent", "finish")
    sent(adaeze, visit, ("start", 600))
    load = str(uuid4())

    def tapped_at(kind: str, mono: float, sent_mono: float) -> dict[str, object]:
        one = tap(kind, 0) | {"at": "0001-01-01T00:00:00Z", "load": load, "mono_s": mono}
        answer = adaeze.post(
            f"/api/visits/{visit}/run", json={"taps": [one], "sent": {"load": load, "mono_s": sent_mono}}
        )
        assert answer.status_code == 200
        return answer.json()  # type: ignore[no-any-return]

    tapped_at("next", 100, 400)  # made five minutes before it was sent
    worked = tapped_at("count", 400, 400)["acts"][1]["worked_s"]  # type: ignore[index]
    assert 299 <= worked <= 302, "its own clock tells, whatever its calendar says"
    rows = ctx.db.connection().exec_driver_sql(
        "SELECT clock ->> 'marked' FROM treat_event WHERE visit_id = %(v)s", {"v": visit}
    )
    assert {row[0] for row in rows} == {None}
    tapped_at("count", 9000, 9000)
    row = (
        ctx.db.connection()
        .exec_driver_sql(
            "SELECT clock ->> 'marked', abs(extract(epoch FROM now() - at)) FROM treat_event WHERE visit_id = %(v)s"
            " ORDER BY seq DESC",
            {"v": visit},
        )
        .first()
    )
    assert row and row[0] == "after it arrived" and row[1] < 20


def test_the_servers_own_clock_may_jump(ctx: Context) -> None:
    visit = begun(ctx, "microcurrent", "finish")
    at(ctx, visit, "strokes")
    before = treating.run_of(ctx, visit).state.runs[1].seconds(ctx.now)
    for hours in (2, -3):
        jumped = Context(ctx.db, ctx.me, ctx.now + timedelta(hours=hours, seconds=60), timedelta(hours=hours))
        assert treating.treatment_time(jumped, visit) == ctx.now + timedelta(seconds=60)
        seconds = state_of(treating.run_of(jumped, visit))["acts"][1]["worked_s"]
        assert seconds == pytest.approx(before + 60), "a jump is no time"


def test_an_incident_reaches_everything_that_follows(ctx: Context) -> None:
    """Written at the chair: the close, the register, the client, the next date, Ask's last time, the day sheet, the
    next plan.
    """
    visit = new_visit(ctx, name="Singed Invented", minutes="120", start=MONDAY + timedelta(days=330))
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"phototype": "2", "arrived": "washed"})
    page = planning.edit(ctx, visit, "add", {"modality": "rf_bulk"})
    planning.edit(ctx, visit, "add", {"modality": "finish"})
    planning.edit(ctx, visit, "zones", {"step": page.plan.steps[0].id, "zone.mid cheek": "on"})
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    tapped(ctx, visit, "start")
    n = at(ctx, visit, "sections")
    for data in ({}, {"card": "Burn"}, {"card": "Burn", "done": "  "}, {"done": "cooled"}):
        with pytest.raises(BadInput):
            tapped(ctx, visit, "incident", 2.0, act=n, **data)
    by_mistake = (
        tapped(ctx, visit, "incident", 1.0, act=n, card="Faint", done="nothing, wrong card").state.incidents[-1].id
    )
    tapped(ctx, visit, "incident", 2.0, act=n, card="Burn", done="cooled for 20 minutes", zone="right mid cheek")
    with pytest.raises(BadInput):
        tapped(ctx, visit, "strike", words="no", incident=by_mistake)
    run = tapped(ctx, visit, "strike", words="the wrong card was open", incident=by_mistake)
    assert [bool(one.struck) for one in run.state.incidents] == [
        True,
        False,
    ] and "Adaeze Okonjo: the wrong" in run.state.incidents[0].struck
    tapped(ctx, visit, "stop", words="heat")
    looked_twice(ctx, visit, 1)
    closing.close(ctx, visit, GRADED | {"senior": "Adaeze"})
    closed = closing.closing(ctx, visit)
    assert [one.model_dump() for one in closed.kept.incidents] == [
        {"card": "Burn", "zone": "right mid cheek", "grade": 2, "modality": "rf_bulk", "done": "cooled for 20 minutes"}
    ]
    lines = [one for one in registering.register(ctx).lines if one.visit == visit]
    assert [line.body.what for line in lines] == ["Burn"], "what was struck out is no reaction"
    back = returning.returning(ctx, visit)
    assert (
        back.proposal
        and (back.proposal.at.date() - find_visit(ctx, visit).starts_at.date()).days >= 7
        and "incident" in back.proposal.why
    )
    with pytest.raises(BadInput, match="7 days"):
        returning.book(ctx, visit, {"day": f"{(MONDAY + timedelta(days=335)).date()}", "time": "11:00"})

    ahead = later(ctx, days=370)
    second = new_visit(ahead, day.listed(find_visit(ctx, visit).client), start=MONDAY + timedelta(days=370, hours=1))
    ask_nothing(ahead, second)
    file = open_file(ahead, second)
    assert file.last and file.last.incidents == ("Burn, grade 2, right mid cheek",)
    assert file.brief.board["rf_bulk"].verdict == "letter"
    page = planning.edit(ahead, second, "add", {"modality": "rf_bulk"})
    assert "until a doctor has had a word" in page.refusal and not page.plan.steps
    seen = clients.client_page(ahead, find_visit(ctx, visit).client_id).visits[-1]
    assert seen.answer.startswith("Burn, grade 2, right mid cheek")
    flags = next(
        row.flags for row in day.day_sheet(ahead, find_visit(ahead, second).starts_at.date()) if row.visit.id == second
    )
    assert ("stop", "incident last time: Burn, grade 2, right mid cheek") in flags
    assert adverse.cards("rf_bulk")[0].title == "Burn"


def test_consent_is_given_for_what_was_on_the_screen(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    seen = planning.planned(ctx, visit).file.shown
    step = planning.planned(ctx, visit).plan.steps[1].id
    planning.edit(as_(ctx, "marit"), visit, "set", {"step": step, f"{step}.level": "2", "changed": f"{step}.level"})
    with pytest.raises(consenting.NotAsShown) as changed:
        consenting.consent(ctx, visit, AGREED, seen)
    assert changed.value.page.plan.stages[1].settings.level == 2, "shown again as it stands"
    assert not open_file(ctx, visit).consented
    assert consenting.consent(ctx, visit, AGREED, open_file(ctx, visit).shown).file.consented


def test_a_visit_of_another_day_is_not_begun_unasked(adaeze: httpx.Client) -> None:
    visit = booked(adaeze, "Early Invented")
    adaeze.post(f"/visits/{visit}/ask/confirm")
    adaeze.post(
        f"/visits/{visit}/ask", data={q.id: q.options[0].id for q in questions(True)}, headers={"hx-request": "true"}
    )
    adaeze.post(f"/visits/{visit}/plan/add", data={"modality": "microcurrent"}, headers={"hx-request": "true"})
    assert "Begin it today all the same" in agreed(adaeze, visit).text
    refused = adaeze.post(f"/visits/{visit}/treat/begin")
    assert refused.status_code == 409 and "not for today" in refused.text


def test_two_records_of_one_person_are_put_together(ctx: Context) -> None:
    one = new_visit(ctx, name="Double Invented", start=MONDAY + timedelta(days=320))
    two = new_visit(ctx, name="double invented", start=MONDAY + timedelta(days=321), whose="new")
    keep, other = (find_visit(ctx, visit).client_id for visit in (one, two))
    assert [double.id for double in clients.client_page(ctx, keep).doubles] == [other]
    with pytest.raises(Denied):
        clients.merge(as_(ctx, "lin"), keep, f"{other}")
    clients.merge(ctx, keep, f"{other}")
    ctx.db.expire_all()
    assert find_visit(ctx, two).client_id == keep and clients.client_page(ctx, keep).doubles == []
    assert {one.id for one in clients.client_page(ctx, keep).visits} == {str(one), str(two)}
    gone = ctx.db.get(Client, other)
    assert gone and gone.merged_into == keep and day.listed(gone) not in day.client_list(ctx)
    assert isinstance(keep, UUID)
