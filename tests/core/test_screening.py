"""Each answer acts on each modality by itself; what stops, stops in the core."""

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders.answers import an_answer
from builders.briefs import TODAY, brief, nothing_found
from merak.core.client import Findings
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import published
from merak.core.knowledge.current import working_by
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.screening import (
    STOPPING,
    VERDICTS,
    Answer,
    Letter,
    Override,
    Reason,
    Report,
    Standing,
    board,
    demand,
    override,
    questions,
    state_of,
    subjects,
)
from merak.core.plan.stage import Stage, begin
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, visit_plan


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
        ("metal", "body", None, "letter", "go"),
        ("diabetes", "yes", None, "letter", "go"),
        ("injections", "relaxant", 5, "wait", "go"),
        ("injections", "relaxant", 14, "go", "go"),
        ("filler", "hyaluronic", 20, "wait", "go"),
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
        assert all(reason.reason and reason.action and reason.rule for reason in at.reasons)


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
        _ = brief({"filler": Answer(option="hyaluronic", on=TODAY + timedelta(days=1))}).board
    assert list(unknown.value.fields) == ["heart"]
    assert list(future.value.fields) == ["filler"]


ANY_ANSWERS = st.fixed_dictionaries({q.id: an_answer(q.id) for q in questions(True)})
PLANNABLE = tuple(name for name in subjects() if name in MODALITIES)


@settings(max_examples=60)
@given(ANY_ANSWERS, st.integers(5, 90))
def test_no_plan_holds_what_an_answer_stops(answers: dict[str, Answer], age: int) -> None:
    who = brief(answers, returning=True, born=date(TODAY.year - age, 1, 1))
    for modality in PLANNABLE:
        at = who.board[modality]
        worst = max(
            (reason.verdict for reason in at.reasons if not (reason.zones and reason.stops)),
            key=VERDICTS.index,
            default=at.verdict,
        )
        assert at.verdict == worst, "the most careful verdict wins"
        if at.verdict in STOPPING:
            step = step_of(Stage(id="s1", modality=modality, settings={}))
            with pytest.raises(Refused):
                begin(who, modality, "s1", {})
            assert not visit_plan(who, Plan(steps=(step,))).startable


def lifting(verdict: str, **given: object) -> Standing:
    question, option = {
        "letter": ("diabetes", "yes"),
        "no": ("heart", "yes"),
        "wait": ("surgery", "recent"),
        "never": ("implants", "implanted"),
    }[verdict]
    answer = Answer(option=option, on=TODAY - timedelta(days=10) if verdict == "wait" else None)
    return brief({question: answer}, **given).board["microcurrent"]


LETTER = {
    rule: Letter(rule=rule, received=TODAY, until=TODAY + timedelta(days=30))
    for rule in ("screening.diabetes", "screening.heart", "screening.surgery", "screening.implants")
}
AT = datetime(2026, 11, 25, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    ("verdict", "letter", "senior", "after"),
    [
        ("letter", True, False, "change"),
        ("letter", False, True, "change"),
        ("no", True, False, "no"),
        ("no", False, True, "no"),
        ("no", True, True, "change"),
        ("never", True, True, "never"),
    ],
)
def test_what_a_letter_and_a_senior_may_lift(verdict: str, letter: bool, senior: bool, after: str) -> None:
    rule = {"letter": "screening.diabetes", "no": "screening.heart", "never": "screening.implants"}[verdict]
    stands = next(one for one in lifting(verdict).reasons if one.rule == rule)
    word = Override(
        rule=rule, modality="microcurrent", words=state_of(stands), reason="seen and discussed", by="Adaeze", at=AT
    )
    standing = lifting(verdict, letters=(LETTER[rule],) if letter else (), overrides=(word,) if senior else ())
    assert standing.verdict == after
    if after == "change":
        (reason,) = standing.reasons
        assert reason.was == verdict and ("Adaeze" in reason.lifted) == senior
    run_out = Letter(rule=rule, received=TODAY - timedelta(days=400), until=TODAY - timedelta(days=1))
    assert lifting(verdict, letters=(run_out,)).verdict == verdict, "a letter that has run out lifts nothing"


def test_nobody_overrides_a_never_and_no_only_with_a_letter() -> None:
    def tried(verdict: str, rule: str, letters: tuple[Letter, ...] = (), why: str = "seen and discussed") -> Override:
        return override("microcurrent", verdict, rule, lifting(verdict), letters, why, "Adaeze", AT, TODAY)

    with pytest.raises(Refused, match="nobody overrides"):
        tried("never", "screening.implants", (LETTER["screening.implants"],))
    with pytest.raises(Refused, match="letter"):
        tried("no", "screening.heart")
    assert tried("no", "screening.heart", (LETTER["screening.heart"],)).reason == "seen and discussed"
    assert tried("wait", "screening.surgery").words.startswith("wait: ")
    with pytest.raises(BadInput):
        tried("wait", "screening.surgery", why="ok")


def test_a_word_about_one_place_and_day_lifts_no_other() -> None:
    def waxed(on: date, *zones: str) -> dict[str, Answer]:
        return {"filler": Answer(option="hyaluronic", on=on, zones=zones)}

    then = TODAY - timedelta(days=10)
    stands = brief(waxed(then, "chin")).board["microcurrent"]
    word = override("microcurrent", "wait", "screening.filler", stands, (), "looked at, healed", "Adaeze", AT, TODAY)
    assert word.words == f"wait: hyaluronic, to {then + timedelta(days=28):%-d %b %Y}, in chin"

    def closed(answers: dict[str, Answer]) -> set[str]:
        return set(brief(answers, overrides=(word,)).board["microcurrent"].closed)

    assert closed(waxed(then, "chin")) == set()
    assert closed(waxed(then + timedelta(days=1), "chin")) == {"chin"}, "another day"
    assert closed(waxed(then, "chin", "lips")) == {"chin", "lips"}, "more places"


def test_a_word_about_a_scratch_lifts_no_fever() -> None:
    """Both wait under the same question; the word is about the answer that it was given for."""
    scratch = brief({"infection": Answer(option="skin", zones=("chin",))}).board["microcurrent"]
    word = override("microcurrent", "wait", "screening.infection", scratch, (), "a dry scratch", "Adaeze", AT, TODAY)
    allowed = brief({"infection": Answer(option="skin", zones=("chin",))}, overrides=(word,)).board["microcurrent"]
    assert allowed.closed == {} and allowed.verdict == "change"
    fever = brief({"infection": Answer(option="yes")}, overrides=(word,)).board["microcurrent"]
    assert fever.verdict == "wait" and fever.until is None


def test_only_what_matters_to_the_studio_is_asked() -> None:
    asked = {question.id for question in questions(False, {"microcurrent"})}
    assert "gold" not in asked and "eyes" not in asked and "heart" in asked and "since" not in asked
    assert "gold" in {question.id for question in questions(False, {"pulsed_light"})}


def test_findings_act_like_answers() -> None:
    spots = brief(findings=Findings(grades={"acne": {"right chin": 1}}, phototype=6)).board
    assert (
        spots["pulsed_light"].verdict == "never"
        and list(spots["touch"].closed) == ["chin"]
        and spots["touch"].verdict == "change"
    )


def test_a_letter_about_a_mole_says_nothing_of_cancer() -> None:
    mole = brief({"malignancy": Answer(option="mole")})
    (about,) = {one.answer for one in mole.board["rf_bulk"].reasons if one.rule == "screening.malignancy"}
    letter = Letter(
        rule="screening.malignancy", answer=about, received=TODAY, until=TODAY + timedelta(days=300), note="harmless"
    )
    assert brief({"malignancy": Answer(option="mole")}, letters=(letter,)).board["rf_bulk"].verdict == "change"
    cancer = brief({"malignancy": Answer(option="yes")}, letters=(letter,)).board["rf_bulk"]
    assert cancer.verdict == "no" and not any(one.lifted for one in cancer.reasons)
    with pytest.raises(Refused, match="letter"):
        override("rf_bulk", "no", "screening.malignancy", cancer, (letter,), "seen and discussed", "Adaeze", AT, TODAY)
    of_before = letter.model_copy(update={"answer": ""})
    lifted = brief({"malignancy": Answer(option="mole")}, letters=(of_before,)).board["rf_bulk"]
    assert lifted.verdict == "change", "letters from before they named one stand as they were read"


def test_everything_that_a_plan_can_hold_has_a_verdict_and_nothing_else() -> None:
    assert {"microcurrent", "led", "touch", "led_blue", "strong_suction"} <= set(subjects())
    assert not {"physician_resurfacing", "cleanse", "tone", "finish"} & set(subjects())


def test_several_answers_stand_only_where_several_are_asked_for() -> None:
    two = Answer(option="relaxant", on=TODAY, also=(Answer(option="none"),))
    assert [one.option for one in two.each] == ["relaxant", "none"] and not any(one.also for one in two.each)
    assert Answer(option="no").each == (Answer(option="no"),)
    with pytest.raises(BadInput, match="One answer to"):
        _ = brief({"diabetes": Answer(option="yes", also=(Answer(option="numb"),))}).board
    assert brief({"allergy": Answer(option="amide", also=(Answer(option="other"),))}).board["led"].verdict == "change"


def test_a_letter_of_the_day_of_a_mark_speaks_for_it_and_one_from_before_does_not() -> None:
    on = TODAY - timedelta(days=10)
    for days, verdict in ((0, "change"), (1, "change"), (-1, "letter")):
        letter = Letter(rule="titration.stop", received=on + timedelta(days=days), until=TODAY + timedelta(days=90))
        answers, born = nothing_found(), date(1980, 5, 1)
        found = board(answers, born, TODAY, False, letters=(letter,), marked={"led": ("a blister or burn", on)})
        assert found["led"].verdict == verdict and found["touch"].verdict == "go", days


def test_a_minor_is_told_what_may_be_and_who_has_to_be_there() -> None:
    almost = date(TODAY.year - 18, TODAY.month, TODAY.day + 1)
    (energy,), (mask,) = (brief(born=almost).board[name].reasons for name in ("microcurrent", "mask"))
    assert (energy.verdict, energy.reason) == ("no", "No energy, nothing that opens the skin under 18.")
    assert energy.action == "Cleansing, masks, light with a guardian."
    assert (mask.verdict, mask.reason) == ("change", "A minor does not consent alone.")
    assert mask.action == "A guardian is present and signs."


def test_the_most_careful_reason_stands_first_and_what_closes_places_last() -> None:
    said = {
        "allergy": Answer(option="other"),
        "diabetes": Answer(option="yes"),
        "injections": Answer(option="relaxant", on=TODAY, zones=("chin",)),
        "filler": Answer(option="hyaluronic", on=TODAY, zones=("chin", "lips")),
    }
    standing = brief(said).board["microcurrent"]
    assert [one.verdict for one in standing.reasons] == ["letter", "change", "wait", "wait"]
    assert standing.verdict == "letter" and set(standing.closed) == {"chin", "lips"}
    assert standing.closed["chin"].rule == "screening.injections", "of two alike the one that is asked first"


def test_what_nobody_has_judged_is_closed_to_everybody() -> None:
    """A modality that screening does not list is never, whatever is answered."""
    (screened,) = [group for group in published().group if group.id == "SCREENED"]
    less = screened.model_copy(update={"members": tuple(name for name in screened.members if name != "mask")})
    groups = tuple(less if group.id == "SCREENED" else group for group in published().group)
    with working_by("unjudged", published().model_copy(update={"group": groups})):
        standing = board(nothing_found(), date(1980, 5, 1), TODAY, False)
    (reason,) = standing["mask"].reasons
    assert (reason.verdict, reason.reason, reason.action) == ("never", screened.words, screened.reason)
    assert standing["led"].verdict == "go"


def test_a_wait_without_a_date_has_no_end_and_asks_for_it() -> None:
    """Two weeks after a relaxant; with its day the wait has an end, without it the day is asked for."""

    def of(on: date | None) -> Reason:
        found = brief({"injections": Answer(option="relaxant", on=on)}).board["microcurrent"].reasons
        return next(one for one in found if one.rule == "screening.injections")

    asked, known = of(None), of(TODAY - timedelta(days=3))
    assert asked.undated and asked.action.startswith("When was it?") and asked.until is None
    assert not known.undated and known.until == TODAY + timedelta(days=11) and known.action != asked.action
    findings = Findings(grades={"acne": {"right chin": 4}})
    seen = [one for one in brief(findings=findings).board["touch"].reasons if one.rule.startswith("sign")]
    assert not any(one.undated for one in seen), "what is seen today needs no date"


def test_an_open_report_gives_way_to_nobodys_word() -> None:
    """Neither a senior's nor a doctor's: it is closed, or it stands."""
    report = Report(modality="led", what="Burn", on=TODAY - timedelta(days=9))
    word = Override(
        rule="titration.report",
        modality="led",
        words="wait",
        by="Marit",
        at=datetime(2026, 11, 25, 9, tzinfo=UTC),
        reason="seen",
    )
    letter = Letter(rule="titration.report", received=TODAY, until=TODAY + timedelta(days=90))
    found = board(
        nothing_found(), date(1980, 5, 1), TODAY, False, letters=(letter,), overrides=(word,), reports=(report,)
    )
    assert found["led"].verdict == "wait" and found["touch"].verdict == "go"
    assert "Burn" in found["led"].reasons[0].reason
