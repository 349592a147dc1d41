"""After the treatment: what is asked before a visit is sealed, what is kept, sent and asked, and what the next plan
makes of it.
"""

import re
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

import psycopg
import pytest

from builders.work import (
    AGREED,
    GRADED,
    as_,
    ask_nothing,
    later,
    lift_and_light,
    looked_twice,
    new_visit,
    setting,
    tap_of,
    treated,
)
from merak.core.client.scales import SCALES
from merak.core.errors import BadInput
from merak.demo.portrait import portrait
from merak.records.bodies.task import SaidAfter
from merak.records.tables import Client, Visit
from merak.services.after import (
    amending,
    answering,
    closing,
    follow_ups,
    outbox,
    outcomes,
    registering,
    returning,
    sending,
    tasks,
)
from merak.services.clients import clients, progress
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied, Sealed
from merak.services.treatment import treating
from merak.services.visit import asking, consenting, day, picturing, planning, scaling
from merak.services.visit.file import find_visit, open_file

BASE = "https://studio.example/"
ANSWERS = {
    "redness": "0",
    "swelling": "0",
    "pain": "0",
    "settled_h": "1",
    "mark": "none",
    "kept": "yes",
    "improvement": "1",
    "satisfaction": "8",
    "call": "no",
}


def reached(ctx: Context, visit: UUID, **form: str) -> Client:
    client = ctx.db.get(Client, find_visit(ctx, visit).client_id)
    assert client
    clients.reach(ctx, client.id, {"email": "a@b.example", "phone": "", "language": "en", **form})
    return client


def finished(ctx: Context, redness: int = 1, name: str = "", email: bool = True) -> UUID:
    """A visit of lifting and light, done as planned and closed."""
    visit = new_visit(ctx, name) if name else new_visit(ctx)
    if open_file(ctx, visit).previous:
        asking.confirm_carried(ctx, visit)
        asking.save_answers(ctx, visit, {"since": "none", "changes": "none"})
    else:
        ask_nothing(ctx, visit)
    treated(ctx, visit)
    if email:
        reached(ctx, visit)
    looked_twice(later(ctx, minutes=50), visit, redness)
    closing.close(later(ctx, hours=1), visit, GRADED | {"senior": "Adaeze"}, BASE)
    return visit


def test_what_a_visit_scored_is_drawn_and_nothing_else_of_its_record(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    scaling.score(ctx, visit, "ageing", {"ageing.type": "3"})
    scaling.score(ctx, visit, "scars", {"scars.grade": "2"})
    treated(ctx, visit)
    looked_twice(later(ctx, minutes=50), visit)
    closing.close(later(ctx, hours=1), visit, GRADED, BASE)
    header, lines = progress.table(ctx, find_visit(ctx, visit).client_id)
    told = {line[1]: line[2] for line in lines}
    assert (told[SCALES["ageing"].title], told[SCALES["scars"].title]) == (3.0, 2.0) and len(header) == 4


def test_a_machine_that_nobody_said_was_cleaned_holds_up_whoever_comes_next(ctx: Context) -> None:
    first = finished(ctx, name="Cleaned Invented", email=False)
    tools = {name: ticked for _, name, ticked in closing.closing(ctx, first).tools}
    assert tools == {"two-probe lift unit": False}, "light touches nobody"
    after, second = again(ctx, first)
    page = lift_and_light(after, second)
    assert treating.uncleaned(after, open_file(after, second), page.plan) == ["two-probe lift unit"]
    consenting.consent(after, second, AGREED)
    with pytest.raises(OutOfTurn, match="Clean first: two-probe lift unit"):
        treating.begin(after, second, cleaned=False)
    treating.begin(after, second, cleaned=True)


def test_a_machine_that_was_ticked_is_ready(ctx: Context) -> None:
    ctx = later(ctx, days=15)  # after what others close
    first = new_visit(ctx, "Ready Invented")
    ask_nothing(ctx, first)
    treated(ctx, first)
    looked_twice(later(ctx, minutes=50), first)
    ((key, _, _),) = closing.closing(ctx, first).tools
    closing.close(later(ctx, hours=1), first, GRADED | {f"cleaned.{key}": "on"})
    assert [ticked for _, _, ticked in closing.closing(ctx, first).tools] == [True]
    after, second = again(ctx, first, days=1)
    assert treating.uncleaned(after, open_file(after, second), lift_and_light(after, second).plan) == []


def again(ctx: Context, first: UUID, days: int = 8) -> tuple[Context, UUID]:
    """The same client's next visit, its safety questions answered."""
    at = later(ctx, days=days)
    second = new_visit(at, day.listed(find_visit(ctx, first).client))
    asking.confirm_carried(at, second)
    asking.save_answers(at, second, {"since": "none", "changes": "none"})
    return at, second


def asked(ctx: Context, visit: UUID, follow: str) -> tasks.Due:
    return next(one for one in tasks.left_by(ctx, visit, "x") if getattr(one.task.about, "follow", "") == follow)


def link(ctx: Context, visit: UUID, follow: str) -> str:
    task = asked(ctx, visit, follow).task
    letter = next(one.message for one in outbox.outbox(ctx) if one.message.task_id == task.id)
    return str(re.search(rf"{BASE}answer/(\S+)", letter.words)[1])  # type: ignore[index]


def opened(ctx: Context, visit: UUID) -> None:
    """Time goes by until every question of a visit is due: the clock at the client's own page is the real one."""
    for task in tasks.left_by(ctx, visit, "x"):
        task.task.due_at = datetime.now(UTC) - timedelta(hours=1)
    ctx.db.commit()


def test_what_differs_is_explained_and_a_strong_answer_asks_for_a_senior(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    acts = treating.run_of(ctx, visit).acts
    taps = [tap_of("start", ctx.now)]
    for number, act in enumerate(acts):
        taps += [tap_of("count", ctx.now) for _ in range(act.strokes - (act.side == "left"))]
        taps.append(tap_of("next" if number + 1 < len(acts) else "finish", ctx.now + timedelta(minutes=8 * number)))
    treating.record(later(ctx, hours=2), visit, taps)
    looked_twice(ctx, visit, redness=3)
    page = closing.closing(ctx, visit)
    assert any("only" in one.words and "counted" in one.words for one in page.differences)
    form = {key: value for key, value in GRADED.items() if key != "why.all"}
    with pytest.raises(BadInput) as missing:
        closing.close(ctx, visit, form)
    assert {f"why.{one.act}" for one in page.differences} | {"senior"} == set(missing.value.fields)
    with pytest.raises(BadInput) as other:
        closing.close(ctx, visit, form | {"why.all": "other", "senior": "Adaeze"})
    assert list(other.value.fields) == ["note"], "“see the note” needs one"
    closing.close(ctx, visit, form | {"why.all": "client", "senior": "Adaeze", "note": "Left side hurried."})
    closed = closing.closing(ctx, visit)
    kept = closed.kept
    assert set(kept.why.values()) == {"client"} and kept.redness == 3 and kept.senior == "Adaeze"
    assert any("left" in told.title for told in kept.differences)
    share = kept.did["microcurrent"].given
    assert (
        share
        and share.planned
        and share.share < 1
        and share.done == pytest.approx(share.planned * share.share, rel=0.02)
    )
    assert {"heat", "sweat"} <= {line.topic for line in closed.sheet.lines}, "a skin that answered strongly keeps cool"
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    assert (line.body.grade, line.body.what, line.body.told) == (3, "redness", "Adaeze")


def test_remedies_are_asked_for_ordered_and_done_in_that_order(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    treated(ctx, visit)
    lin, adaeze = as_(ctx, "lin"), as_(ctx, "adaeze")
    answering.tap(lin, visit, "1", "redness", "left chin")
    cloth = next(
        one.id for one in answering.offered(open_file(ctx, visit), ("microcurrent",)) if one.id == "remedy.cool_cloth"
    )
    with pytest.raises(OutOfTurn):
        answering.soothe(lin, visit, cloth, "done")
    with pytest.raises(Denied):
        answering.soothe(lin, visit, cloth, "order")
    answering.soothe(lin, visit, cloth, "ask")
    answering.soothe(lin, visit, cloth, "ask")
    waiting = [one for one in tasks.due(adaeze) if one.task.visit_id == visit]
    assert len(waiting) == 1 and "Cool, damp cloth" in waiting[0].words, "it is on the day sheet, once"
    with pytest.raises(OutOfTurn):
        tasks.finish(lin, waiting[0].task.id, {"note": "done", "doctor": "no"})
    answering.soothe(adaeze, visit, cloth, "order")
    assert not [one for one in tasks.due(adaeze) if one.task.visit_id == visit]
    answering.soothe(lin, visit, cloth, "done")
    (held,) = answering.answer_of(open_file(ctx, visit)).remedies
    assert held.zones == ("left chin",) and held.ordered and held.done
    assert (held.ordered.by, held.done.by) == ("Adaeze Okonjo", "Lin Farrow")
    with pytest.raises(BadInput):
        answering.tap(lin, visit, "1", "redness", "left ear")


def test_a_sealed_record_takes_additions_with_who_when_and_why(ctx: Context) -> None:
    visit = finished(ctx)
    with pytest.raises(Sealed):
        answering.tap(ctx, visit, "1", "redness", "left chin")
    before = closing.closing(ctx, visit).sheet
    with pytest.raises(BadInput) as missing:
        amending.add(ctx, visit, {"redness": "9"})
    assert set(missing.value.fields) == {"what", "because", "redness"}
    amending.add(
        later(ctx, days=1),
        visit,
        {"what": "The chin was red, too.", "because": "seen on the photograph", "redness": "3"},
    )
    page = closing.closing(later(ctx, days=2), visit)
    (added,) = page.kept.added
    assert added.what == "The chin was red, too. Redness 1 → 3." and added.by == "Adaeze Okonjo" and added.why
    assert page.file.records["close"].version == 2 and page.sheet.lines == before.lines, (
        "the sheet stays as it was handed over"
    )
    open_one = new_visit(ctx)
    with pytest.raises(OutOfTurn):
        amending.add(ctx, open_one, {"what": "x", "because": "y"})


def test_follow_ups_are_left_sent_and_answered_once_by_the_secret_address(ctx: Context) -> None:
    visit = finished(ctx)
    kinds = [one.task.about.follow for one in tasks.left_by(ctx, visit, "x")]  # type: ignore[union-attr]
    assert kinds == ["day1", "day7"]
    letters = outbox.sent_of(ctx, visit, "x")
    assert [one.state for one in letters] == ["waits", "waits"] and all(BASE in one.message.words for one in letters)
    token = link(ctx, visit, "day1")
    assert follow_ups.asked_by(token, "early").state == "early"
    opened(ctx, visit)
    page = follow_ups.asked_by(token, "a")
    assert (
        page.state == "open" and page.language == "en" and {one.field for one in page.questions} >= {"redness", "mark"}
    )
    wrong = follow_ups.asked_by(token, "a", {"redness": "0", "note": "kept"})
    assert "mark" in wrong.wrong and wrong.form["note"] == "kept" and wrong.state == "open", "nothing typed is lost"
    assert (
        follow_ups.asked_by(token, "a", ANSWERS).state
        == "done"
        == follow_ups.asked_by(token, "a", ANSWERS | {"redness": "4"}).state
    )
    ctx.db.expire_all()
    kept = asked(ctx, visit, "day1").task
    assert kept.answer and kept.answer["said"]["redness"] == 0 and kept.done_by is None, (
        "the first answer stands, and it was the client"
    )
    with pytest.raises(OutOfTurn):
        tasks.finish(ctx, kept.id, ANSWERS)
    with pytest.raises(NotFound):
        follow_ups.asked_by(token[:-1] + ("a" if token[-1] != "a" else "b"), "a")
    with pytest.raises(follow_ups.TooMany):
        for _ in range(70):
            follow_ups.asked_by(token, "hammering")
    late = asked(ctx, visit, "day7").task
    late.due_at = datetime.now(UTC) - timedelta(days=15)
    ctx.db.commit()
    assert follow_ups.asked_by(link(ctx, visit, "day7"), "b").state == "gone"


def test_a_bad_answer_raises_the_senior_and_stops_the_course(ctx: Context) -> None:
    visit = finished(ctx)
    opened(ctx, visit)
    page = follow_ups.asked_by(link(ctx, visit, "day1"), "c", ANSWERS | {"mark": "blister", "note": "on the cheek"})
    assert page.alarm and page.state == "done"
    now = Context(ctx.db, ctx.me, datetime.now(UTC))
    raised = next(one for one in tasks.due(now) if one.task.kind == "raise" and one.task.visit_id == visit)
    assert raised.now and "blister" in raised.words
    with pytest.raises(Denied):
        tasks.finish(as_(now, "tomas"), raised.task.id, {"note": "called", "doctor": "yes"})
    done = tasks.finish(as_(now, "adaeze"), raised.task.id, {"note": "called", "doctor": "yes"})
    assert done.said and done.said.note == "on the cheek"
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    assert line.body.what == "a blister or burn" and line.body.devices and line.body.source == "follow-up"
    at, second = again(ctx, visit)
    board = open_file(at, second).brief.board
    assert any(
        "left a blister or burn" in words
        for row in day.day_sheet(at, find_visit(ctx, second).starts_at.date())
        for _, words in row.flags
    )
    assert board["microcurrent"].verdict == board["led"].verdict == "letter", (
        "what left a mark waits for a doctor's word"
    )
    assert board["rf_bulk"].verdict == "go"


def test_a_second_bad_answer_keeps_what_was_done_about_the_first(ctx: Context) -> None:
    visit = finished(ctx)
    opened(ctx, visit)
    follow_ups.asked_by(link(ctx, visit, "day1"), "e", ANSWERS | {"pain": "6"})
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    assert line.body.what == "pain" and line.body.grade == 0
    settled = f"{find_visit(ctx, visit).starts_at.date()}"
    form = {"grade": "2", "settled": settled, "tell": "nobody", "done": "cool cloth", "told": "Marit"}
    registering.correct(later(ctx, days=90), line.id, form)
    follow_ups.asked_by(link(ctx, visit, "day7"), "e", ANSWERS | {"settled_h": "0", "redness": "3"})
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    assert (line.version, line.body.grade, line.body.what) == (3, 3, "redness or swelling")
    assert (line.body.done, line.body.told, line.body.settled) == ("cool cloth", "Marit", ""), (
        "open again, nothing forgotten"
    )


def test_a_mark_that_is_told_of_an_earlier_visit_still_stops_the_next(ctx: Context) -> None:
    first = finished(ctx)
    second = finished(later(ctx, days=8), name=day.listed(find_visit(ctx, first).client))
    for when, verdict in (
        (find_visit(ctx, second).starts_at + timedelta(hours=9), "letter"),
        (find_visit(ctx, second).starts_at, "go"),
    ):
        task = asked(ctx, first, "day7").task
        task.answer = {"said": {"mark": "colour"}}
        task.done_at = when - timedelta(hours=1)
        ctx.db.commit()
        at = later(ctx, days=16)
        third = new_visit(at, day.listed(find_visit(ctx, first).client))
        asking.confirm_carried(at, third)
        asking.save_answers(at, third, {"since": "none", "changes": "none"})
        assert open_file(at, third).brief.board["microcurrent"].verdict == verdict
        day.cancel(at, third)


def test_answers_move_the_next_plans_start_values_with_their_reason(ctx: Context) -> None:
    calm, red = finished(ctx), finished(ctx)
    for visit, said in ((calm, {}), (red, {"redness": "2", "settled_h": "24"})):
        opened(ctx, visit)
        follow_ups.asked_by(link(ctx, visit, "day1"), "d", ANSWERS | said)
    levels = {}
    for visit in (calm, red):
        at, second = again(ctx, visit)
        page = lift_and_light(at, second)
        levels[visit] = float(setting(page, "microcurrent", "level"))
        words = [one.words for of in page.computed.cautions.values() for one in of]
        levels[visit, "words"] = next(one for one in words if one.startswith("Last time"))  # type: ignore[index]
    assert levels[red] == levels[calm] - 1, "it settled late: one level down"
    assert "later than expected" in levels[red, "words"] and "gentler" in levels[red, "words"]  # type: ignore[index]
    assert "as then" in levels[calm, "words"] and "the same again" in levels[calm, "words"]  # type: ignore[index]


def test_the_question_before_a_session_comes_and_goes_with_its_booking(ctx: Context) -> None:
    visit = finished(ctx)
    gap = later(ctx, hours=2)
    page = returning.returning(gap, visit)
    following = returning.book(gap, visit, page.form, BASE)
    before = asked(ctx, visit, "before")
    assert before.due.hour == 10 and (following.starts_at.astimezone(ctx.zone).date() - before.due.date()).days == 1
    day.cancel(as_(gap, "joost"), following.id)
    assert asked(ctx, visit, "before").task.came == SaidAfter(dropped=True)
    assert {
        one.message.recalled for one in outbox.sent_of(ctx, visit, "x") if one.message.task_id == before.task.id
    } == {True}


def test_the_sheet_is_sent_in_the_clients_language_or_says_why_not(ctx: Context) -> None:
    visit = finished(ctx, email=False)
    assert not outbox.sent_of(ctx, visit, "x")
    with pytest.raises(BadInput, match="neither a mail address nor a telephone"):
        sending.send_sheet(ctx, visit)
    with pytest.raises(BadInput):
        reached(ctx, visit, email="nobody")
    reached(ctx, visit, language="pt", phone="+351 900 000 000", email="")
    sending.send_sheet(ctx, visit)
    (sent,) = outbox.sent_of(ctx, visit, "x")
    assert (
        sent.message.channel == "text"
        and "Protetor solar" in sent.message.words
        and sent.message.attached.endswith("lang=pt")
    )
    with pytest.raises(Denied):
        outbox.outbox(as_(ctx, "joost"))


def test_the_register_keeps_versions_and_asks_for_what_is_wrong(ctx: Context) -> None:
    visit = finished(ctx, redness=4)
    (line,) = [one for one in registering.register(ctx).lines if one.visit == visit]
    with pytest.raises(BadInput) as wrong:
        registering.correct(ctx, line.id, {"grade": "7", "settled": "2001-01-01", "tell": "moon"})
    assert set(wrong.value.fields) == {"grade", "settled", "tell"}
    settled = f"{find_visit(ctx, visit).starts_at.date() + timedelta(days=1)}"
    registering.correct(
        later(ctx, days=90),
        line.id,
        {"grade": "3", "settled": settled, "tell": "maker", "done": "cool cloth", "told": "M."},
    )
    page = registering.reaction(ctx, line.id)
    assert [one.version for one in page.versions] == [2, 1] and page.line.body.settled == settled
    assert page.versions[1].body.grade == 4, "the first version stands as it was"
    with pytest.raises(NotFound):
        registering.reaction(ctx, uuid4())


def test_progress_lays_energy_beside_the_answer_and_names_nobody_in_outcomes(ctx: Context) -> None:
    first = finished(ctx)
    client = find_visit(ctx, first).client
    finished(later(ctx, days=8), name=day.listed(client))
    page = progress.progress(ctx, client.id)
    lift = [row for row in page.rows if row.modality == "Microcurrent lift"]
    assert len(lift) == 2 and all(
        row.unit == "mC" and row.done == pytest.approx(row.planned) and row.redness == 1 for row in lift
    )
    assert any(curve.y == "of 4" for curve in page.curves) and page.doses
    header, lines = progress.table(ctx, client.id)
    assert (
        header == ["day", "measure", "value", "unit"]
        and ["Redness at close" in str(one) for one in lines].count(True) == 2
    )
    with pytest.raises(Denied):
        progress.progress(as_(ctx, "joost"), client.id)
    told = outcomes.outcomes(ctx)
    assert told and all(one.mean is None or one.clients >= 5 for one in told)
    names = [name for (name,) in ctx.db.query(Client.name)]
    assert not any(name in str(outcomes.table(ctx)) for name in names)


def test_the_client_page_shows_the_front_desk_no_more_than_it_may_know(ctx: Context) -> None:
    visit = finished(ctx)
    client = find_visit(ctx, visit).client_id
    mine, theirs = (clients.client_page(one, client).visits[0] for one in (ctx, as_(ctx, "joost")))
    assert mine.did and mine.answer == "redness 1, swelling 0"
    assert not theirs.did and not theirs.answer and not theirs.note
    with pytest.raises(NotFound):
        clients.client_page(ctx, uuid4())


def test_photographs_after_lie_beside_those_before(ctx: Context) -> None:
    visit = new_visit(ctx)
    content, landmarks = portrait(0, 0, 0)
    picturing.add_photo(ctx, visit, "front", content)
    picturing.mark_landmarks(ctx, visit, "front", landmarks)
    after, clicked = portrait(20, 2, 4)
    assert picturing.add_photo(ctx, visit, "front", after, "after").moment == "after"
    page = picturing.mark_landmarks(ctx, visit, "front", clicked, "after")
    assert (
        page.laid
        and page.laid.off < 3
        and page.against
        and page.against.file == picturing.pictured(ctx, visit).photo.file
    )  # type: ignore[union-attr]
    with pytest.raises(BadInput):
        picturing.add_photo(ctx, visit, "front", after, "between")


def test_links_are_kept_only_as_hashes(ctx: Context, demo: str) -> None:
    visit = finished(ctx)
    token = link(ctx, visit, "day1")
    with psycopg.connect(demo) as db:
        held = db.execute("SELECT link_hash FROM task WHERE visit_id = %s", [visit]).fetchall()
        said = db.execute("SELECT string_agg(action || thing, ' ') FROM audit").fetchone()
    assert len(held) == 2 and all(len(one) == 64 and one != token for (one,) in held)
    assert said and token not in str(said[0])
    assert ctx.db.query(Visit).filter(Visit.id == visit).one().status == "closed"
    assert planning.planned(ctx, visit).file.visit.status == "closed"
