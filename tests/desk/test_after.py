"""After the treatment: what is asked before a visit is sealed, what is kept, sent and asked, and what the next plan makes of it."""

import re
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

import psycopg
import pytest

from builders.work import AGREED, GRADED, as_, ask_nothing, later, lift_and_light, looked_twice, new_visit, setting, treated
from merak.core.errors import BadInput
from merak.demo.portrait import portrait
from merak.desk import (
    amending,
    answering,
    asking,
    clients,
    closing,
    consenting,
    day,
    follow_ups,
    outbox,
    outcomes,
    picturing,
    planning,
    progress,
    registering,
    returning,
    sending,
    tasks,
    treating,
)
from merak.desk.desk import Desk, NotFound, OutOfTurn
from merak.desk.file import find_visit, open_file
from merak.desk.permission import Denied, Sealed
from merak.records.tables import Client, Visit

BASE = "https://studio.example/"
ANSWERS = {
    "redness": "0", "swelling": "0", "pain": "0", "settled_h": "1", "mark": "none", "kept": "yes", "improvement": "1", "satisfaction": "8",
    "call": "no",
}  # fmt: skip


def reached(desk: Desk, visit: UUID, **form: str) -> Client:
    client = desk.db.get(Client, find_visit(desk, visit).client_id)
    assert client
    clients.reach(desk, client.id, {"email": "a@b.example", "phone": "", "language": "en", **form})
    return client


def finished(desk: Desk, redness: int = 1, name: str = "", email: bool = True) -> UUID:
    """A visit of lifting and light, done as planned and closed."""
    visit = new_visit(desk, name) if name else new_visit(desk)
    if open_file(desk, visit).previous:
        asking.confirm_carried(desk, visit)
        asking.save_answers(desk, visit, {"since": "none", "changes": "none"})
    else:
        ask_nothing(desk, visit)
    treated(desk, visit)
    if email:
        reached(desk, visit)
    looked_twice(later(desk, minutes=50), visit, redness)
    closing.close(later(desk, hours=1), visit, GRADED | {"senior": "Adaeze"}, BASE)
    return visit


def again(desk: Desk, first: UUID, days: int = 8) -> tuple[Desk, UUID]:
    """The same client's next visit, its safety questions answered."""
    at = later(desk, days=days)
    second = new_visit(at, day.listed(find_visit(desk, first).client))
    asking.confirm_carried(at, second)
    asking.save_answers(at, second, {"since": "none", "changes": "none"})
    return at, second


def asked(desk: Desk, visit: UUID, follow: str) -> tasks.Due:
    return next(one for one in tasks.left_by(desk, visit, "x") if one.task.body.get("follow") == follow)


def link(desk: Desk, visit: UUID, follow: str) -> str:
    task = asked(desk, visit, follow).task
    letter = next(one.message for one in outbox.outbox(desk) if one.message.task_id == task.id)
    return str(re.search(rf"{BASE}answer/(\S+)", letter.words)[1])  # type: ignore[index]


def opened(desk: Desk, visit: UUID) -> None:
    """Time goes by until every question of a visit is due: the clock at the client's own page is the real one."""
    for task in tasks.left_by(desk, visit, "x"):
        task.task.due_at = datetime.now(UTC) - timedelta(hours=1)
    desk.db.commit()


def test_what_differs_is_explained_and_a_strong_answer_asks_for_a_senior(desk: Desk) -> None:
    visit = new_visit(desk)
    ask_nothing(desk, visit)
    lift_and_light(desk, visit)
    consenting.consent(desk, visit, AGREED)
    treating.begin(desk, visit)
    steps = treating.run_of(desk, visit).steps
    taps = [treating.Tap(uuid4(), "start", desk.now)]
    for number, step in enumerate(steps):
        taps += [treating.Tap(uuid4(), "count", desk.now) for _ in range(step.strokes - (step.side == "left"))]
        taps.append(treating.Tap(uuid4(), "next" if number + 1 < len(steps) else "finish", desk.now + timedelta(minutes=8 * number)))
    treating.record(later(desk, hours=2), visit, taps)
    looked_twice(desk, visit, redness=3)
    page = closing.closing(desk, visit)
    assert any("only" in one.words and "counted" in one.words for one in page.differences)
    form = {key: value for key, value in GRADED.items() if key != "why.all"}
    with pytest.raises(BadInput) as missing:
        closing.close(desk, visit, form)
    assert {f"why.{one.step}" for one in page.differences} | {"senior"} == set(missing.value.fields)
    with pytest.raises(BadInput) as other:
        closing.close(desk, visit, form | {"why.all": "other", "senior": "Adaeze"})
    assert list(other.value.fields) == ["note"], "“see the note” needs one"
    closed = closing.close(desk, visit, form | {"why.all": "client", "senior": "Adaeze", "note": "Left side hurried."})
    body = closed.file.body("close")
    assert set(body["why"].values()) == {"client"} and body["redness"] == 3 and body["senior"] == "Adaeze"
    assert any("left" in told["title"] for told in body["differences"])
    share = body["did"]["microcurrent"]["given"]
    assert share["share"] < 1 and share["done"] == pytest.approx(share["planned"] * share["share"], rel=0.02)
    assert {"heat", "sweat"} <= {line.topic for line in closed.sheet.lines}, "a skin that answered strongly keeps cool"
    (line,) = [one for one in registering.register(desk).lines if one.visit == visit]
    assert (line.body["grade"], line.body["what"], line.body["told"]) == (3, "redness", "Adaeze")


def test_remedies_are_asked_for_ordered_and_done_in_that_order(desk: Desk) -> None:
    visit = new_visit(desk)
    ask_nothing(desk, visit)
    treated(desk, visit)
    lin, adaeze = as_(desk, "lin"), as_(desk, "adaeze")
    answering.tap(lin, visit, "1", "redness", "left chin")
    cloth = next(one.id for one in answering.offered(open_file(desk, visit), ("microcurrent",)) if one.id == "remedy.cool_cloth")
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
    (held,) = answering.answer_of(open_file(desk, visit)).remedies
    assert held.zones == ("left chin",) and held.ordered and held.done
    assert (held.ordered.by, held.done.by) == ("Adaeze Okonjo", "Lin Farrow")
    with pytest.raises(BadInput):
        answering.tap(lin, visit, "1", "redness", "left ear")


def test_a_sealed_record_takes_additions_with_who_when_and_why(desk: Desk) -> None:
    visit = finished(desk)
    with pytest.raises(Sealed):
        answering.tap(desk, visit, "1", "redness", "left chin")
    before = closing.closing(desk, visit).sheet
    with pytest.raises(BadInput) as missing:
        amending.add(desk, visit, {"redness": "9"})
    assert set(missing.value.fields) == {"what", "because", "redness"}
    amending.add(later(desk, days=1), visit, {"what": "The chin was red, too.", "because": "seen on the photograph", "redness": "3"})
    page = closing.closing(later(desk, days=2), visit)
    (added,) = page.file.body("close")["added"]
    assert added["what"] == "The chin was red, too. Redness 1 → 3." and added["by"] == "Adaeze Okonjo" and added["why"]
    assert page.file.records["close"].version == 2 and page.sheet.lines == before.lines, "the sheet stays as it was handed over"
    open_one = new_visit(desk)
    with pytest.raises(OutOfTurn):
        amending.add(desk, open_one, {"what": "x", "because": "y"})


def test_follow_ups_are_left_sent_and_answered_once_by_the_secret_address(desk: Desk) -> None:
    visit = finished(desk)
    kinds = [one.task.body["follow"] for one in tasks.left_by(desk, visit, "x")]
    assert kinds == ["day1", "day7"]
    letters = outbox.sent_of(desk, visit, "x")
    assert [one.state for one in letters] == ["waits", "waits"] and all(BASE in one.message.words for one in letters)
    token = link(desk, visit, "day1")
    assert follow_ups.asked_by(token, "early").state == "early"
    opened(desk, visit)
    page = follow_ups.asked_by(token, "a")
    assert page.state == "open" and page.language == "en" and {one.field for one in page.questions} >= {"redness", "mark"}
    wrong = follow_ups.asked_by(token, "a", {"redness": "0", "note": "kept"})
    assert "mark" in wrong.wrong and wrong.form["note"] == "kept" and wrong.state == "open", "nothing typed is lost"
    assert follow_ups.asked_by(token, "a", ANSWERS).state == "done" == follow_ups.asked_by(token, "a", ANSWERS | {"redness": "4"}).state
    desk.db.expire_all()
    kept = asked(desk, visit, "day1").task
    assert kept.answer and kept.answer["said"]["redness"] == 0 and kept.done_by is None, "the first answer stands, and it was the client"
    with pytest.raises(OutOfTurn):
        tasks.finish(desk, kept.id, ANSWERS)
    with pytest.raises(NotFound):
        follow_ups.asked_by(token[:-1] + ("a" if token[-1] != "a" else "b"), "a")
    with pytest.raises(follow_ups.TooMany):
        for _ in range(70):
            follow_ups.asked_by(token, "hammering")
    late = asked(desk, visit, "day7").task
    late.due_at = datetime.now(UTC) - timedelta(days=15)
    desk.db.commit()
    assert follow_ups.asked_by(link(desk, visit, "day7"), "b").state == "gone"


def test_a_bad_answer_raises_the_senior_and_stops_the_course(desk: Desk) -> None:
    visit = finished(desk)
    opened(desk, visit)
    page = follow_ups.asked_by(link(desk, visit, "day1"), "c", ANSWERS | {"mark": "blister", "note": "on the cheek"})
    assert page.alarm and page.state == "done"
    now = Desk(desk.db, desk.me, datetime.now(UTC))
    raised = next(one for one in tasks.due(now) if one.task.kind == "raise" and one.task.visit_id == visit)
    assert raised.now and "blister" in raised.words
    with pytest.raises(Denied):
        tasks.finish(as_(now, "tomas"), raised.task.id, {"note": "called", "doctor": "yes"})
    done = tasks.finish(as_(now, "adaeze"), raised.task.id, {"note": "called", "doctor": "yes"})
    assert done.said and done.said.note == "on the cheek"
    (line,) = [one for one in registering.register(desk).lines if one.visit == visit]
    assert line.body["what"] == "a blister or burn" and line.body["devices"] and line.body["source"] == "follow-up"
    at, second = again(desk, visit)
    board = open_file(at, second).brief.board
    assert any(
        "left a blister or burn" in words for row in day.day_sheet(at, find_visit(desk, second).starts_at.date()) for _, words in row.flags
    )
    assert board["microcurrent"].verdict == board["led"].verdict == "letter", "what left a mark waits for a doctor's word"
    assert board["rf_bulk"].verdict == "go"


def test_a_second_bad_answer_keeps_what_was_done_about_the_first(desk: Desk) -> None:
    visit = finished(desk)
    opened(desk, visit)
    follow_ups.asked_by(link(desk, visit, "day1"), "e", ANSWERS | {"pain": "6"})
    (line,) = [one for one in registering.register(desk).lines if one.visit == visit]
    assert line.body["what"] == "pain" and line.body["grade"] == 0
    settled = f"{find_visit(desk, visit).starts_at.date()}"
    form = {"grade": "2", "settled": settled, "tell": "nobody", "done": "cool cloth", "told": "Marit"}
    registering.correct(later(desk, days=90), line.id, form)
    follow_ups.asked_by(link(desk, visit, "day7"), "e", ANSWERS | {"settled_h": "0", "redness": "3"})
    (line,) = [one for one in registering.register(desk).lines if one.visit == visit]
    assert (line.version, line.body["grade"], line.body["what"]) == (3, 3, "redness or swelling")
    assert (line.body["done"], line.body["told"], line.body["settled"]) == ("cool cloth", "Marit", ""), "open again, nothing forgotten"


def test_a_mark_that_is_told_of_an_earlier_visit_still_stops_the_next(desk: Desk) -> None:
    first = finished(desk)
    second = finished(later(desk, days=8), name=day.listed(find_visit(desk, first).client))
    for when, verdict in ((find_visit(desk, second).starts_at + timedelta(hours=9), "letter"), (find_visit(desk, second).starts_at, "go")):
        task = asked(desk, first, "day7").task
        task.answer = {"said": {"mark": "colour"}}
        task.done_at = when - timedelta(hours=1)
        desk.db.commit()
        at = later(desk, days=16)
        third = new_visit(at, day.listed(find_visit(desk, first).client))
        asking.confirm_carried(at, third)
        asking.save_answers(at, third, {"since": "none", "changes": "none"})
        assert open_file(at, third).brief.board["microcurrent"].verdict == verdict
        day.cancel(at, third)


def test_answers_move_the_next_plans_start_values_with_their_reason(desk: Desk) -> None:
    calm, red = finished(desk), finished(desk)
    for visit, said in ((calm, {}), (red, {"redness": "2", "settled_h": "24"})):
        opened(desk, visit)
        follow_ups.asked_by(link(desk, visit, "day1"), "d", ANSWERS | said)
    levels = {}
    for visit in (calm, red):
        at, second = again(desk, visit)
        page = lift_and_light(at, second)
        levels[visit] = float(setting(page, "microcurrent", "level"))
        words = [one.words for of in page.computed.cautions.values() for one in of]
        levels[visit, "words"] = next(one for one in words if one.startswith("Last time"))  # type: ignore[index]
    assert levels[red] == levels[calm] - 1, "it settled late: one level down"
    assert "later than expected" in levels[red, "words"] and "gentler" in levels[red, "words"]  # type: ignore[index]
    assert "as then" in levels[calm, "words"] and "the same again" in levels[calm, "words"]  # type: ignore[index]


def test_the_question_before_a_session_comes_and_goes_with_its_booking(desk: Desk) -> None:
    visit = finished(desk)
    gap = later(desk, hours=2)
    page = returning.returning(gap, visit)
    following = returning.book(gap, visit, page.form, BASE)
    before = asked(desk, visit, "before")
    assert before.due.hour == 10 and (following.starts_at.astimezone(desk.zone).date() - before.due.date()).days == 1
    day.cancel(as_(gap, "joost"), following.id)
    assert asked(desk, visit, "before").task.answer == {"dropped": True}
    assert {one.message.recalled for one in outbox.sent_of(desk, visit, "x") if one.message.task_id == before.task.id} == {True}


def test_the_sheet_is_sent_in_the_clients_language_or_says_why_not(desk: Desk) -> None:
    visit = finished(desk, email=False)
    assert not outbox.sent_of(desk, visit, "x")
    with pytest.raises(BadInput, match="neither a mail address nor a telephone"):
        sending.send_sheet(desk, visit)
    with pytest.raises(BadInput):
        reached(desk, visit, email="nobody")
    reached(desk, visit, language="pt", phone="+351 900 000 000", email="")
    sending.send_sheet(desk, visit)
    (sent,) = outbox.sent_of(desk, visit, "x")
    assert sent.message.channel == "text" and "Protetor solar" in sent.message.words and sent.message.attached.endswith("lang=pt")
    with pytest.raises(Denied):
        outbox.outbox(as_(desk, "joost"))


def test_the_register_keeps_versions_and_asks_for_what_is_wrong(desk: Desk) -> None:
    visit = finished(desk, redness=4)
    (line,) = [one for one in registering.register(desk).lines if one.visit == visit]
    with pytest.raises(BadInput) as wrong:
        registering.correct(desk, line.id, {"grade": "7", "settled": "2001-01-01", "tell": "moon"})
    assert set(wrong.value.fields) == {"grade", "settled", "tell"}
    settled = f"{find_visit(desk, visit).starts_at.date() + timedelta(days=1)}"
    registering.correct(
        later(desk, days=90), line.id, {"grade": "3", "settled": settled, "tell": "maker", "done": "cool cloth", "told": "M."}
    )
    page = registering.reaction(desk, line.id)
    assert [one.version for one in page.versions] == [2, 1] and page.line.body["settled"] == settled
    assert page.versions[1].body["grade"] == 4, "the first version stands as it was"
    with pytest.raises(NotFound):
        registering.reaction(desk, uuid4())


def test_progress_lays_energy_beside_the_answer_and_names_nobody_in_outcomes(desk: Desk) -> None:
    first = finished(desk)
    client = find_visit(desk, first).client
    finished(later(desk, days=8), name=day.listed(client))
    page = progress.progress(desk, client.id)
    lift = [row for row in page.rows if row.modality == "Microcurrent lift"]
    assert len(lift) == 2 and all(row.unit == "mC" and row.done == pytest.approx(row.planned) and row.redness == 1 for row in lift)
    assert any(curve.y == "of 4" for curve in page.curves) and page.doses
    header, lines = progress.table(desk, client.id)
    assert header == ["day", "measure", "value", "unit"] and ["Redness at close" in str(one) for one in lines].count(True) == 2
    with pytest.raises(Denied):
        progress.progress(as_(desk, "joost"), client.id)
    told = outcomes.outcomes(desk)
    assert told and all(one.mean is None or one.clients >= 5 for one in told)
    names = [name for (name,) in desk.db.query(Client.name)]
    assert not any(name in str(outcomes.table(desk)) for name in names)


def test_the_client_page_shows_the_front_desk_no_more_than_it_may_know(desk: Desk) -> None:
    visit = finished(desk)
    client = find_visit(desk, visit).client_id
    mine, theirs = (clients.client_page(one, client).visits[0] for one in (desk, as_(desk, "joost")))
    assert mine.did and mine.answer == "redness 1, swelling 0"
    assert not theirs.did and not theirs.answer and not theirs.note
    with pytest.raises(NotFound):
        clients.client_page(desk, uuid4())


def test_photographs_after_lie_beside_those_before(desk: Desk) -> None:
    visit = new_visit(desk)
    content, landmarks = portrait(0, 0, 0)
    picturing.add_photo(desk, visit, "front", content)
    picturing.mark_landmarks(desk, visit, "front", landmarks)
    after, clicked = portrait(20, 2, 4)
    assert picturing.add_photo(desk, visit, "front", after, "after").moment == "after"
    page = picturing.mark_landmarks(desk, visit, "front", clicked, "after")
    assert page.laid and page.laid.off < 3 and page.against and page.against.file == picturing.pictured(desk, visit).photo.file  # type: ignore[union-attr]
    with pytest.raises(BadInput):
        picturing.add_photo(desk, visit, "front", after, "between")


def test_links_are_kept_only_as_hashes(desk: Desk, demo: str) -> None:
    visit = finished(desk)
    token = link(desk, visit, "day1")
    with psycopg.connect(demo) as db:
        held = db.execute("SELECT link_hash FROM task WHERE visit_id = %s", [visit]).fetchall()
        said = db.execute("SELECT string_agg(action || thing, ' ') FROM audit").fetchone()
    assert len(held) == 2 and all(len(one) == 64 and one != token for (one,) in held)
    assert said and token not in str(said[0])
    assert desk.db.query(Visit).filter(Visit.id == visit).one().status == "closed"
    assert planning.planned(desk, visit).file.visit.status == "closed"
