"""Each answer acts on each modality by itself; what stops, stops in the core."""

from datetime import date, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import book
from merak.core.modality import led, microcurrent
from merak.core.plan.screening import STOPPING, VERDICTS, Answer, board, demand, questions
from merak.core.plan.visit_plan import Choice, start_choice, visit_plan
from tests.core.making import TODAY, brief, nothing_found


@pytest.mark.parametrize(
    ("question", "option", "days_ago", "lift", "light"),
    [
        ("implants", "implanted", None, "never", "go"),
        ("implants", "worn", None, "change", "change"),
        ("pregnancy", "pregnant", None, "no", "letter"),
        ("pregnancy", "breastfeeding", None, "no", "go"),
        ("heart", "yes", None, "no", "go"),
        ("epilepsy", "yes", None, "letter", "change"),
        ("malignancy", "yes", None, "no", "letter"),
        ("malignancy", "mole", None, "letter", "letter"),
        ("immunity", "lupus", None, "letter", "no"),
        ("infection", "yes", 2, "wait", "wait"),
        ("metal", "path", None, "no", "go"),
        ("diabetes", "yes", None, "letter", "go"),
        ("injections", "relaxant", 5, "wait", "go"),
        ("injections", "relaxant", 14, "go", "go"),
        ("injections", "filler", 20, "wait", "go"),
        ("injections", "relaxant", None, "wait", "go"),
        ("light_medicine", "taking", None, "go", "letter"),
        ("light_medicine", "photodynamic", 30, "go", "wait"),
        ("eyes", "yes", None, "go", "letter"),
    ],
)
def test_verdicts(question: str, option: str, days_ago: int | None, lift: str, light: str) -> None:
    on = None if days_ago is None else TODAY - timedelta(days=days_ago)
    standing = brief({question: Answer(option=option, on=on)}).board
    assert (standing["microcurrent"].verdict, standing["led"].verdict) == (lift, light)
    for at in standing.values():
        assert at.plannable == (at.verdict in ("go", "change"))
        assert all(reason.reason and reason.act and reason.rule for reason in at.reasons)


def test_waiting_tells_until_when() -> None:
    standing = brief({"injections": Answer(option="relaxant", on=TODAY - timedelta(days=5))}).board["microcurrent"]
    assert standing.until == TODAY + timedelta(days=9)
    with pytest.raises(Refused, match="4 December 2026"):
        demand(standing)


def test_a_minor_gets_no_current_from_the_day_before_eighteen() -> None:
    almost, just = date(TODAY.year - 18, TODAY.month, TODAY.day + 1), date(TODAY.year - 18, TODAY.month, TODAY.day)
    assert brief(born=almost).board["microcurrent"].verdict == "no"
    assert brief(born=just).board["microcurrent"].verdict == "go"


def test_an_open_question_stops_planning_but_no_verdict() -> None:
    answers = nothing_found()
    del answers["heart"]
    standing = board(answers, date(1980, 5, 1), TODAY, False)
    assert standing["microcurrent"].verdict == "go"
    assert not standing["microcurrent"].plannable
    assert standing["led"].plannable, "the heart question does not act on light"


def test_bad_answers_are_told_by_question() -> None:
    with pytest.raises(BadInput) as unknown:
        _ = brief({"heart": Answer(option="perhaps")}).board
    with pytest.raises(BadInput) as future:
        _ = brief({"injections": Answer(option="filler", on=TODAY + timedelta(days=1))}).board
    assert list(unknown.value.fields) == ["heart"]
    assert list(future.value.fields) == ["injections"]


def an_answer(question_id: str) -> st.SearchStrategy[Answer]:
    options = next(q.options for q in book().question if q.id == question_id)
    days = st.none() | st.integers(0, 400).map(lambda n: TODAY - timedelta(days=n))
    return st.builds(Answer, option=st.sampled_from([option.id for option in options]), on=days)


ANY_ANSWERS = st.fixed_dictionaries({q.id: an_answer(q.id) for q in questions(True)})


@settings(max_examples=150, deadline=None)
@given(ANY_ANSWERS, st.integers(5, 90))
def test_no_plan_holds_what_an_answer_stops(answers: dict[str, Answer], age: int) -> None:
    who = brief(answers, returning=True, born=date(TODAY.year - age, 1, 1))
    standing = who.board
    choice, _ = start_choice(who)
    steps = {step.modality for step in visit_plan(who, choice).steps}
    asked = {"microcurrent": Choice(microcurrent=microcurrent.Settings(level=1)), "led": Choice(led=led.Settings(minutes=1))}
    for modality, at in standing.items():
        worst = max((reason.verdict for reason in at.reasons), key=VERDICTS.index, default="go")
        assert at.verdict == worst, "the most careful verdict wins"
        assert (modality in steps) == at.plannable
        if at.verdict in STOPPING:
            with pytest.raises(Refused):
                visit_plan(who, asked[modality])
