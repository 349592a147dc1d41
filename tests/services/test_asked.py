"""Ask and look: whatever is typed is kept or told beside its field, and what was good is kept all the same."""

from datetime import UTC, timedelta
from uuid import UUID

import pytest

from builders.work import MONDAY, as_, ask_nothing, later, new_visit
from merak.core.client.scales import SCALES
from merak.core.client.tone import ASKED
from merak.core.errors import BadInput
from merak.core.knowledge import Question, book
from merak.services.clients import lettering
from merak.services.context import Context, NotFound
from merak.services.permission import Denied
from merak.services.visit import asking, day, looking, scaling


def test_good_answers_are_kept_when_another_is_wrong(ctx: Context) -> None:
    visit = new_visit(ctx)
    page = asking.save_answers(
        ctx,
        visit,
        {
            "heart": "yes",
            "epilepsy": "perhaps",
            "oral_retinoid": "yes",
            "oral_retinoid.on": f"{ctx.today + timedelta(days=1)}",
            "gold": "no",
        },
    )
    assert set(page.wrong) == {"epilepsy", "oral_retinoid"} and page.typed["epilepsy"] == "perhaps"
    kept = page.file.answers
    assert (kept["heart"].option, kept["gold"].option) == ("yes", "no")
    assert "epilepsy" not in kept and "oral_retinoid" not in kept
    again = asking.save_answers(ctx, visit, {"epilepsy": "no"})
    assert again.wrong == {} and set(again.file.answers) == {"heart", "gold", "epilepsy"}, "the rest stays as it was"


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("31.02.2031", "not a date"),
        ("yesterday", "not a date"),
        ("1984-04-02", "Between 2 Apr 1985"),
        ("2099-01-01", "future"),
    ],
)
def test_a_date_that_cannot_be_is_told(ctx: Context, typed: str, words: str) -> None:
    page = asking.save_answers(ctx, new_visit(ctx), {"injections": "relaxant", "injections.on": typed})
    assert "injections" in page.wrong and words in page.wrong["injections"] and "injections" not in page.file.answers


def test_zones_and_dates_go_with_the_options_that_ask_for_them(ctx: Context) -> None:
    visit = new_visit(ctx)
    form = {
        "injections": "relaxant",
        "injections.on": f"{ctx.today - timedelta(days=3)}",
        "injections.zone.forehead": "on",
        "injections.zone.elsewhere": "on",
        "heart": "no",
        "heart.zone.forehead": "on",
        "heart.on": f"{ctx.today}",
    }
    answers = asking.save_answers(ctx, visit, form).file.answers
    assert answers["injections"].zones == ("forehead",) and answers["injections"].on
    assert answers["heart"].zones == () and answers["heart"].on is None


def test_the_rest_under_a_heading_was_asked_and_is_nothing(ctx: Context) -> None:
    visit = new_visit(ctx)
    asking.save_answers(ctx, visit, {"heart": "yes"})
    page = asking.asked(ctx, visit)
    headings = page.headings
    health = next(name for name, found in headings.items() if "heart" in {one.id for one in found})
    before = page.unanswered
    after = asking.rest_is_none(ctx, visit, health, {"epilepsy": "yes", "clotting": "perhaps"})
    kept = after.file.answers
    assert (kept["heart"].option, kept["epilepsy"].option) == ("yes", "yes"), "what was said stays"
    assert "clotting" not in kept, "what cannot be read is not taken for nothing"
    others = [one for one in headings[health] if one.id not in ("heart", "epilepsy", "clotting")]
    assert all(kept[one.id].option == one.options[0].id for one in others)
    assert after.unanswered == before - len(others) - 1
    untouched = next(found for name, found in headings.items() if name != health)
    assert untouched[0].id not in kept


def test_letters_are_asked_for_once_for_each_answer(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, diabetes="yes", heart="yes", gold="yes")
    page = asking.asked(ctx, visit)
    rules = [rule for rule, _ in page.letters_asked]
    assert rules.count("screening.diabetes") == 1 and "screening.heart" in rules
    assert "screening.gold" not in rules, "nobody lifts a never"
    standing = next(at for at in page.board if at.modality == "rf_bulk")
    assert standing.verdict == "no"
    assert {page.may_lift(reason) for reason in standing.reasons if reason.verdict == "no"} == {"needs a letter"}
    assert (asking.named("led_blue"), asking.named("led")) == ("blue light", "Light-emitting panel")


def test_a_wish_is_kept_as_far_as_it_can_be_read(ctx: Context) -> None:
    visit = new_visit(ctx)
    form = {
        "wish.goals": "",
        "wish.goal.laxity": "on",
        "wish.goal.flying": "on",
        "wish.event": f"{ctx.today + timedelta(days=30)}",
        "wish.minutes": "45",
        "wish.money": "dear",
    }
    page = asking.save_answers(ctx, visit, form)
    wish = page.file.wish
    assert (wish.goals, wish.minutes, wish.money) == (("laxity",), 45, None)
    assert wish.event == ctx.today + timedelta(days=30) and "wish.money" in page.wrong
    for bad in ({"wish.minutes": "4"}, {"wish.minutes": "481"}, {"wish.money": "-1"}, {"wish.event": "soon"}):
        told = asking.save_answers(ctx, visit, bad)
        assert set(told.wrong) == set(bad) and told.file.wish == wish
    much_later = later(ctx, days=40)
    same = asking.save_answers(much_later, visit, {"wish.event": f"{wish.event}", "wish.minutes": "60"})
    assert same.wrong == {} and same.file.wish.minutes == 60, "an event that stood may be past by now"
    past = asking.save_answers(much_later, visit, {"wish.event": f"{ctx.today + timedelta(days=31)}"})
    assert "wish.event" in past.wrong


LINES = {f"points.{one.id}": "2" for one in ASKED}


@pytest.mark.parametrize(
    ("points", "kind"), [("0", 1), ("1", 2), ("2", 3), ("3", 5), ("4", 6)], ids=lambda value: str(value)
)
def test_the_questionnaire_gives_the_phototype(ctx: Context, points: str, kind: int) -> None:
    """Ten lines of 0 to 4: up to 6 is I, 13 II, 20 III, 27 IV, 34 V, more VI."""
    visit = new_visit(ctx)
    page = scaling.take_phototype(ctx, visit, {"by": "questions"} | dict.fromkeys(LINES, points))
    assert page.wrong == {} and page.sum and page.sum.value == 10 * int(points)
    assert looking.looked(ctx, visit).findings.phototype == kind


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({"by": "questions"}, "points.eyes"),
        ({"by": "questions"} | LINES | {"points.last": "5"}, "points.last"),
        ({"by": "questions"} | LINES | {"points.last": "often"}, "points.last"),
        ({"by": "tone"}, "tone"),
        ({"by": "tone", "tone.l": "60", "tone.a": "8", "tone.b": "light"}, "tone"),
        ({"by": "tone", "tone.l": "60", "tone.a": "8", "tone.b": "0"}, "tone"),
        ({"by": "tone", "tone.l": "101", "tone.a": "8", "tone.b": "12"}, "tone"),
        ({"by": "tone", "tone.l": "60", "tone.a": "129", "tone.b": "12"}, "tone"),
    ],
)
def test_a_phototype_that_cannot_be_is_told_and_nothing_is_changed(
    ctx: Context, form: dict[str, str], field: str
) -> None:
    visit = new_visit(ctx)
    looking.save_findings(ctx, visit, {"phototype": "4"})
    page = scaling.take_phototype(ctx, visit, form)
    assert field in page.wrong and page.typed == form
    assert looking.looked(ctx, visit).findings.phototype == 4


def test_a_measured_tone_is_a_phototype_too(ctx: Context) -> None:
    """L* 60, b* 15: atan(10 ÷ 15) is 33.7°, an intermediate tone."""
    visit = new_visit(ctx)
    page = scaling.take_phototype(ctx, visit, {"by": "tone", "tone.l": "60", "tone.a": "10", "tone.b": "15"})
    assert page.tone and page.tone[0] == "intermediate" and round(page.tone[2].value or 0, 1) == 33.7
    assert looking.looked(ctx, visit).findings.phototype == page.tone[1] == 3


def test_a_scale_is_scored_kept_and_seen_next_time(ctx: Context) -> None:
    visit = new_visit(ctx)
    empty = scaling.scales(ctx, visit)
    assert {one.scale.id for one in empty.sheets} == set(SCALES) and not any(one.scored for one in empty.sheets)
    page = scaling.score(ctx, visit, "acne", {f"acne.{name}": "2" for name in SCALES["acne"].entry.model_fields})
    one = next(sheet for sheet in page.sheets if sheet.scale.id == "acne")
    # Papules everywhere: 2 × (2 + 2 + 2 + 1 + 1 + 3).
    assert one.wrong == {} and one.scored and one.scored.score.value == 22 and one.scored.band == "moderate"
    wrong = scaling.score(ctx, visit, "acne", {"acne.forehead": "9"})
    told = next(sheet for sheet in wrong.sheets if sheet.scale.id == "acne")
    assert "acne.forehead" in told.wrong and told.scored and told.scored.score.value == 22, "what was kept stays"
    with pytest.raises(NotFound):
        scaling.score(ctx, visit, "charm", {})
    with pytest.raises(Denied):
        scaling.score(as_(ctx, "joost"), visit, "acne", {})


def test_a_second_answer_hides_nothing_of_the_first(ctx: Context) -> None:
    """Amide and shellfish: choosing one more leaves the one that was there."""
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, allergy="amide")
    assert [row.key for row in asking.asked(ctx, visit).rows(question("allergy"))] == ["allergy", "allergy~2"]
    offered = asking.asked(ctx, visit).rows(question("allergy"))[1].options
    assert "amide" not in [one.id for one in offered] and len(offered) > 1, "not the same once more"
    page = asking.save_answers(ctx, visit, {"allergy~2": "shellfish"})
    answer = page.file.answers["allergy"]
    assert [one.option for one in answer.each] == ["amide", "shellfish"]
    assert page.file.brief.board["numbing"].verdict == "letter" and page.file.brief.board["mask"].verdict == "change"
    page = asking.save_answers(ctx, visit, {"allergy": "amide", "allergy~2": "", "allergy~3": ""})
    assert [one.option for one in page.file.answers["allergy"].each] == ["amide"]
    asking.save_answers(ctx, visit, {"allergy~2": "other"})
    page = asking.save_answers(ctx, visit, {"allergy": "no"})
    page = asking.save_answers(ctx, visit, {"allergy~2": "shellfish"})
    assert [one.option for one in page.file.answers["allergy"].each] == ["shellfish"], "what is told now is not lost"
    page = asking.save_answers(ctx, visit, {"allergy": "no"})
    assert [one.option for one in page.file.answers["allergy"].each] == ["no"], "nothing is nothing"


def test_each_injection_keeps_its_own_zone_and_date(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    days = [ctx.today - timedelta(days=n) for n in (3, 10)]
    form = {
        "injections": "relaxant",
        "injections.on": f"{days[0]}",
        "injections.zone.forehead": "on",
        "injections~2": "relaxant",
        "injections~2.on": f"{days[1]}",
        "injections~2.zone.chin": "on",
    }
    page = asking.save_answers(ctx, visit, form)
    closed = page.file.brief.board["microcurrent"].closed
    assert {zone: reason.until for zone, reason in closed.items()} == {
        "forehead": days[0] + timedelta(days=14),
        "chin": days[1] + timedelta(days=14),
    }
    wrong = asking.save_answers(ctx, visit, form | {"injections~2.on": "lately"})
    assert list(wrong.wrong) == ["injections~2"] and wrong.slipped == {"injections"}
    assert len(wrong.file.answers["injections"].each) == 2, "what stood stays"
    rows = wrong.rows(question("injections"))
    assert [bool(row.wrong) for row in rows] == [False, True, False] and rows[1].options[0].id == "relaxant"


def test_no_more_answers_than_there_are_rows_and_one_where_one_is_asked_for(ctx: Context) -> None:
    visit = new_visit(ctx)
    many = {f"allergy~{n}": "other" for n in range(2, 20)}
    page = asking.save_answers(ctx, visit, {"allergy": "amide", "epilepsy": "yes", "epilepsy~2": "no"} | many)
    assert [one.option for one in page.file.answers["allergy"].each] == ["amide", "other"], "the same twice is once"
    assert page.file.answers["epilepsy"].also == ()
    assert asking.keys_of(question("epilepsy")) == ("epilepsy",) and len(asking.keys_of(question("allergy"))) == 8


def question(name: str) -> Question:
    return next(one for one in book().question if one.id == name)


def test_a_letter_is_asked_for_about_each_answer_and_once(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, malignancy="mole", diabetes="yes")
    words = dict(asking.asked(ctx, visit).letters_asked)
    mole = words["screening.malignancy"]
    assert "mole" in mole
    for _ in range(2):
        lettering.ask_for(ctx, visit, "screening.malignancy", mole)
    page = asking.asked(ctx, visit)
    assert [(one.answer, one.state) for one in page.letters] == [(mole, "asked for")]
    assert page.letters[0].about.endswith(f"? {mole}"), "the question and the answer"
    assert [rule for rule, _ in page.letters_asked] == ["screening.diabetes"]
    with pytest.raises(BadInput, match="about what"):
        lettering.ask_for(ctx, visit, "screening.gold")
    lettering.receive(ctx, visit, UUID(page.letters[0].id), {"says": "yes", "note": "in the folder"}, None)
    assert asking.asked(ctx, visit).file.brief.board["rf_fractional"].verdict != "never"
    changed = asking.save_answers(ctx, visit, {"malignancy": "yes"})
    assert "screening.malignancy" in dict(changed.letters_asked), "what was written of a mole says nothing of this"
    assert changed.file.brief.board["rf_bulk"].verdict == "no"


def test_that_nobody_has_looked_yet_is_no_news_on_the_day_sheet(ctx: Context) -> None:
    start = MONDAY.replace(hour=12) + timedelta(days=301)
    there = Context(ctx.db, ctx.me, start.astimezone(UTC))
    visit = new_visit(there, start=start)
    ask_nothing(there, visit)
    assert asking.asked(there, visit).file.brief.board["pulsed_light"].verdict == "wait"
    (row,) = day.day_sheet(there, start.date())
    assert ("know", "first visit") in row.flags and not any("Pulsed light" in words for _, words in row.flags)
    asking.save_answers(there, visit, {"gold": "yes"})
    (row,) = day.day_sheet(there, start.date())
    assert any(words.startswith("never") and "Pulsed light" in words for _, words in row.flags)
