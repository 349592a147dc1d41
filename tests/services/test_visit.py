"""What a person does, through the services, on the real PostgreSQL: each rule of order, each thing carried over,
nothing lost.
"""

from datetime import UTC, date, datetime, timedelta
from uuid import uuid4

import pytest

from builders.work import (
    AGREED,
    GRADED,
    MONDAY,
    as_,
    ask_nothing,
    later,
    lift_and_light,
    looked_twice,
    new_visit,
    person,
    setting,
    step_of,
    tap_of,
    treated,
    typed,
)
from merak.core.errors import BadInput
from merak.records import taps
from merak.services.after import closing, returning, tasks
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied, Sealed
from merak.services.studio import machines, practice, signing_in
from merak.services.treatment import treating
from merak.services.visit import allowing, asking, consenting, day, looking, planning


def test_last_time_is_carried_into_the_next_visit(ctx: Context) -> None:
    first = new_visit(ctx)
    ask_nothing(ctx, first)
    looking.save_findings(
        ctx,
        first,
        {"phototype": "4", "sensitive": "no", "ear_to_ear_mm": "290", "brow_right_mm": "10", "brow_left_mm": "12"},
    )
    treated(ctx, first, shift=1.0)
    looked_twice(later(ctx, minutes=50), first)
    closing.close(later(ctx, hours=1), first, GRADED)
    name = day.listed(day.find_visit(ctx, first).client)
    second = new_visit(later(ctx, days=4), name)
    page = asking.asked(ctx, second)
    assert page.file.last and page.file.last.redness == 1
    assert "Microcurrent lift 4" in page.file.last.ended
    assert page.unconfirmed == len(page.file.carried) > 10 and not page.file.answers, (
        "carried answers wait to be confirmed"
    )
    asking.confirm_carried(ctx, second)
    assert "still open" in planning.edit(ctx, second, "add", {"modality": "microcurrent"}).refusal, (
        "what is asked afresh is still open"
    )
    asking.save_answers(ctx, second, {"since": "none", "changes": "none"})
    assert setting(lift_and_light(ctx, second), "microcurrent", "level") == "4"
    assert page.file.history["microcurrent"].at == 4 and page.file.history["led"].on == page.file.last.on
    findings = looking.looked(ctx, second).findings
    assert (findings.phototype, findings.ear_to_ear_mm, findings.brow_right_mm) == (4, 290, None), (
        "heights are measured anew"
    )
    asking.save_answers(ctx, second, {"since": "longer"})
    planning.edit(ctx, second, "clear", {})
    assert setting(lift_and_light(ctx, second), "microcurrent", "level") == "3", "one level lower after a long reaction"


def test_consent_is_to_this_plan_and_no_other(ctx: Context) -> None:
    visit = new_visit(ctx)
    with pytest.raises(OutOfTurn):
        consenting.consent(ctx, visit, AGREED)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    assert consenting.consent(ctx, visit, {"agreed": "no"}).file.consented is False
    assert consenting.consent(ctx, visit, AGREED).file.consented
    typed(ctx, visit, "microcurrent", "level", "4")
    assert not planning.planned(ctx, visit).file.consented
    with pytest.raises(OutOfTurn, match="not agreed"):
        treating.begin(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    looking.tap_zone(ctx, visit, "laxity", "left chin")
    assert not planning.planned(ctx, visit).file.consented, "a finding changed"
    consenting.consent(ctx, visit, AGREED)
    asking.save_answers(ctx, visit, {"implants": "implanted"})
    with pytest.raises(OutOfTurn):
        treating.begin(ctx, visit)
    page = planning.planned(ctx, visit)
    assert page.computed.stopped[step_of(page, "microcurrent")].words.startswith("never")
    planning.edit(ctx, visit, "remove", {"step": step_of(page, "microcurrent")})
    assert planning.planned(ctx, visit).settled, "light stays"


def test_typed_values_lead_their_twins_and_are_never_lost(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    start = planning.planned(ctx, visit)
    assert setting(typed(ctx, visit, "microcurrent", "level", "3,5"), "microcurrent", "current") == "188", (
        "a comma is a point"
    )
    assert setting(typed(ctx, visit, "microcurrent", "current", "300"), "microcurrent", "level") == "5"
    assert setting(typed(ctx, visit, "led", "fluence", "48"), "led", "minutes") == "12.9"
    nearer = typed(ctx, visit, "led", "distance_cm", "5")
    assert (setting(nearer, "led", "fluence"), setting(nearer, "led", "minutes")) == ("74.3", "12.9"), (
        "the clock stays, the dose follows"
    )
    for modality, name, value, words in (
        ("microcurrent", "level", "much", "not a number"),
        ("microcurrent", "current", "5000", "measured from 40 to 1150"),
        ("microcurrent", "current", "NaN", "“NaN” is not a number that fits here"),
        ("microcurrent", "current", "1e309", "“1e309” is not a number that fits here"),
        ("microcurrent", "current", "-inf", "“-inf” is not a number that fits here"),
        ("microcurrent", "repeats", "0", "from 1 up"),
        ("led", "minutes", "300", "120 at most"),
        ("microcurrent", "path.low", "", "At least one line"),
    ):
        page = typed(ctx, visit, modality, name, value)
        key = f"{step_of(page, modality)}.{'paths' if name == 'path.low' else name}"
        assert words in page.slips[key], name
        assert not page.settled
        again = planning.planned(ctx, visit)
        assert name == "path.low" or setting(again, modality, name) == value, "still there on the next load"
        planning.edit(ctx, visit, "undo", {})
    for _ in range(4):
        planning.edit(ctx, visit, "undo", {})
    back = planning.planned(ctx, visit)
    assert back.plan == start.plan and not back.draft.typed
    redone = planning.edit(ctx, visit, "redo", {})
    assert setting(redone, "microcurrent", "level") == "3.5"


def test_the_run_keeps_its_order_and_its_people(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    with pytest.raises(OutOfTurn, match="not begun"):
        treating.record(ctx, visit, [])
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    ordered = treating.run_of(ctx, visit).acts
    typed(ctx, visit, "microcurrent", "repeats", "9")
    treating.begin(ctx, visit)
    assert treating.run_of(ctx, visit).acts == ordered, "the order was written once"
    early = tap_of("start", ctx.now + timedelta(days=9))
    run = treating.record(ctx, visit, [early, early])
    assert run.state.status == "running"
    assert run.state.started and run.state.started <= ctx.now + timedelta(seconds=1), "no tap is later than its arrival"
    assistant = as_(later(ctx, seconds=30), "lin")
    treating.record(assistant, visit, [tap_of("next", assistant.now)])
    rows = taps.since(ctx.db, visit)
    assert [row.by for row in rows] == [ctx.me.name, assistant.me.name], "who did what"
    with pytest.raises(BadInput):
        treating.record(ctx, visit, [tap_of("photo", ctx.now)])
    with pytest.raises(NotFound):
        treating.run_of(ctx, uuid4())


def test_closing_asks_for_what_is_missing_and_seals(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    treating.record(ctx, visit, [tap_of("start", ctx.now)])
    with pytest.raises(OutOfTurn, match="still running"):
        closing.close(ctx, visit, GRADED)
    treating.record(ctx, visit, [tap_of("stop", ctx.now, None, "pain")])
    with pytest.raises(BadInput) as missing:
        closing.close(ctx, visit, {"pain": "11", "note": "kept", "lot.0": "L1", "product.1": "serum", "left.1": "on"})
    assert set(missing.value.fields) == {"answer", "pain", "comfort", "product.0", "lot.1", "explained"}, (
        "a stop explains what was left out"
    )
    looked_twice(ctx, visit)
    closing.close(ctx, visit, GRADED)
    closed = closing.closing(ctx, visit)
    assert closed.kept.stopped == "pain" and "led" not in closed.kept.did
    assert not any("light" in line.words or "muscle" in line.words for line in closed.sheet.lines), (
        "what was not begun is not spoken of"
    )
    for write in (
        lambda: asking.save_answers(ctx, visit, {"heart": "yes"}),
        lambda: looking.tap_zone(ctx, visit, "laxity", "left chin"),
        lambda: planning.edit(ctx, visit, "clear", {}),
        lambda: allowing.allow(ctx, visit, {"what": "plan", "key": "", "reason": "why not, after all"}),
        lambda: treating.record(ctx, visit, [tap_of("count", ctx.now)]),
        lambda: closing.close(ctx, visit, GRADED),
    ):
        with pytest.raises(Sealed):
            write()


def test_a_visit_without_a_treatment_needs_a_why(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, infection="yes")
    with pytest.raises(BadInput) as missing:
        closing.close(ctx, visit, {"explained": "declined", "note": "  "})
    assert list(missing.value.fields) == ["note"]
    closing.close(ctx, visit, {"explained": "declined", "note": "cold sore"})
    closed = closing.closing(ctx, visit)
    assert {line.topic for line in closed.sheet.lines} == {"sun", "call", "cleanse", "emergency"}
    assert not tasks.left_by(ctx, visit, "x"), "nothing was done, nothing is asked afterwards"


def test_the_return_keeps_the_gap_the_hours_and_other_visits(ctx: Context) -> None:
    start = MONDAY.replace(hour=9) + timedelta(days=200)
    visit = new_visit(ctx, start=start)
    there = Context(ctx.db, ctx.me, start.astimezone(UTC))
    page = returning.returning(there, visit)
    assert page.proposal and page.proposal.at == start + timedelta(days=3)
    new_visit(ctx, start=start + timedelta(days=3))
    moved = returning.returning(there, visit).proposal
    assert (
        moved
        and moved.at.date() == page.proposal.at.date()
        and abs(moved.at - page.proposal.at) >= timedelta(minutes=50)
    )

    def booked_for(when: datetime) -> dict[str, str]:
        with pytest.raises(BadInput) as wrong:
            returning.book(there, visit, {"day": f"{when:%Y-%m-%d}", "time": f"{when:%H:%M}"})
        return wrong.value.fields

    assert "past" in booked_for(start - timedelta(days=1))["day"]
    assert "At least 3 days" in booked_for(start + timedelta(days=2))["day"]
    assert "Another visit" in booked_for(start + timedelta(days=3))["time"]
    assert "open from" in booked_for(start.replace(hour=22) + timedelta(days=4))["time"]
    form = {"day": f"{moved.at:%Y-%m-%d}", "time": f"{moved.at:%H:%M}"}
    once, twice = returning.book(there, visit, form), returning.book(there, visit, form)
    assert once.id == twice.id and once.session_no == 2, "sent twice, booked once"
    assert b"Invented" not in returning.calendar_file(there, visit)
    day.cancel(as_(there, "joost"), once.id)
    assert returning.returning(there, visit).booked is None
    with pytest.raises(NotFound):
        returning.calendar_file(there, visit)


def test_the_day_sheet_tells_what_each_role_may_know(ctx: Context) -> None:
    start = MONDAY.replace(hour=12) + timedelta(days=300)
    visit = new_visit(ctx, start=start, born="2020-01-01", name="Young Invented")
    there = Context(ctx.db, ctx.me, start.astimezone(UTC))
    (row,) = day.day_sheet(there, start.date())
    assert {"under 18", "first visit"} <= {words for _, words in row.flags} and any(
        words.startswith("no: ") for _, words in row.flags
    )
    assert row.phase == "ask"
    ask_nothing(ctx, visit)
    assert day.day_sheet(there, start.date())[0].phase == "look"
    (bare,) = day.day_sheet(as_(there, "joost"), start.date())
    assert bare.flags == [] and bare.visit.client.name == "Young Invented"
    assert day.day_sheet(there, date(2031, 1, 1)) == []


def test_a_booking_says_all_that_is_wrong_at_once(ctx: Context) -> None:
    with pytest.raises(BadInput) as wrong:
        day.add_visit(ctx, {"name": "", "day": "soon", "minutes": "5", "therapist": "nobody"})
    assert set(wrong.value.fields) == {"name", "day", "time", "minutes", "therapist"}
    with pytest.raises(BadInput) as unborn:
        new_visit(ctx, born="2099-01-01")
    assert list(unborn.value.fields) == ["born"]
    taken = MONDAY + timedelta(days=400)
    new_visit(ctx, start=taken)
    with pytest.raises(BadInput) as full:
        new_visit(Context(ctx.db, ctx.me, taken.astimezone(UTC)), start=taken + timedelta(minutes=30))
    assert "Another visit" in full.value.fields["time"], "not even a walk-in sits on another's lap"
    night = MONDAY.replace(hour=22) + timedelta(days=401)
    assert new_visit(Context(ctx.db, ctx.me, night.astimezone(UTC)), start=night), "a walk-in may come late"


def test_only_the_owner_runs_the_practice(ctx: Context) -> None:
    with pytest.raises(Denied):
        practice.add_person(ctx, person("A", "a", "long enough", "therapist"))
    owner = as_(ctx, "marit")
    with pytest.raises(BadInput) as wrong:
        practice.add_person(owner, person(" ", "lin", "short", "king", "90"))
    assert set(wrong.value.fields) == {"name", "login", "password", "role", "finger_mm"}
    practice.add_person(owner, person("New Hand", "newhand", "long enough", "assistant", "14,5"))
    hand = next(p for p in practice.staff(owner) if p.login == "newhand")
    assert hand.finger_mm == 14.5
    token = signing_in.sign_in("newhand", "long enough", "here")
    with signing_in.at_work(token) as theirs:
        assert theirs and theirs.me.role == "assistant"
    practice.end_access(owner, str(hand.id))
    with signing_in.at_work(token) as nobody:
        assert nobody is None, "signed out at once"
    with pytest.raises(signing_in.SignInFailed):
        signing_in.sign_in("newhand", "long enough", "here")
    with pytest.raises(OutOfTurn):
        practice.end_access(owner, str(owner.me.id))


@pytest.mark.parametrize(
    ("form", "fields"),
    [
        (
            {"modality": "microcurrent", "name": "", "contact_cm2": "0", "points": "1 x"},
            {"name", "points", "contact_cm2"},
        ),
        ({"modality": "microcurrent", "name": "unit", "contact_cm2": "1", "points": "1 50\n2 40"}, {"points"}),
        ({"modality": "led", "name": "panel", "wavelength_nm": "415", "points": "10 40"}, {"wavelength_nm"}),
        ({"modality": "led", "name": "panel", "points": "0 40"}, {"points"}),
        ({"modality": "laser", "name": "x"}, {"modality"}),
    ],
)
def test_a_machine_that_cannot_be_is_told_by_field(ctx: Context, form: dict[str, str], fields: set[str]) -> None:
    with pytest.raises(BadInput) as wrong:
        machines.add_device(as_(ctx, "marit"), form)
    assert set(wrong.value.fields) == fields


def test_a_machine_is_added_and_put_away(ctx: Context) -> None:
    owner = as_(ctx, "marit")
    machines.add_device(
        owner, {"modality": "microcurrent", "name": "spare", "contact_cm2": "1,5", "points": "5 300\n1 50"}
    )
    spare, card = machines.in_use(owner)[-1]
    assert (card.name, card.contact_cm2, card.calibration) == ("spare", 1.5, ((1, 50), (5, 300)))
    machines.put_away(owner, str(spare))
    assert spare not in {device for device, _ in machines.in_use(owner)}
