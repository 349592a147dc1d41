"""The studio's own rule book: whatever an owner puts in it, nothing that was published as a limit is opened."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import merak.server  # noqa: F401  (whatever reads the rule book has to be there)
from builders.briefs import brief, planned
from merak.core import closed
from merak.core.knowledge import Rule, book, edition, number, published, published_edition, rule, told, written
from merak.core.knowledge.current import by_book, working_by
from merak.core.knowledge.own import ORDER, STRICTER, OwnRules, OwnVerdict, edition_words, faults, made, working_with
from merak.core.plan.screening import Answer, subjects
from merak.core.remembered import remembered

RULES = {one.id: one for one in published().rule}
CHANGEABLE = sorted(one for one, rule_ in RULES.items() if rule_.changeable)
OPTIONS = [
    (question.id, option.id)
    for question in published().question
    for option in question.options[1:]
    if not question.when and not question.since
]

#: Limits by hand, and the side that is the strict one: heat, current, charge, light, acid, needles, numbing, waits.
STRICT_SIDE = {
    "less": """
        rf_bulk.stop rf_bulk.target.most rf_bulk.hold.most rf_bulk.dwell rf_bulk.dose.stop chair.heat.stop
        chair.pain.stop microcurrent.ceiling.current galvanic.ceiling.density galvanic.ceiling.current
        galvanic.ceiling.dose
        galvanic.ceiling.dose_density led.ceiling.minutes led.ceiling.red_fluence led.ceiling.blue_fluence
        led.ceiling.near_infrared_fluence led.ceiling.amber_fluence led.surface ultrasound.ceiling ultrasound.longest
        acid.percent acid.longest acid.longest.strong acid.salicylic enzyme.longest oxygen_mask.longest oxygen.longest
        numbing.mg_kg numbing.mg numbing.label micro_needling.most micro_needling.thin micro_needling.density.most
        micro_needling.unlicensed pulsed_light.ceiling pulsed_light.ceiling.dark pulsed_light.never pulsed_light.passes
        pulsed_light.vessel rf_fractional.pin.most rf_fractional.pulse.most rf_fractional.passes rf_fractional.step.most
        focused_lifting.line.most focused_lifting.passes crystal.passes diamond.passes diamond.suction
        wet_abrasion.longest wet_abrasion.acid.most wet_abrasion.infuse.most wet_abrasion.peel.most spatula.longest
        cold.longest touch.longest muscle_stimulation.most.arm muscle_stimulation.most.thigh muscle_stimulation.pulse
        budget.base screening.letter_valid chair.spot.valid titration.fifth device.unknown_share
    """,
    "more": """
        cold.coldest acid.ph course.incident course.incident.strong course.gap_least event.never
        event.better pulsed_light.spot pulsed_light.spot.dark rf_fractional.spot acid.spot pulsed_light.delay.least
        pulsed_light.delay.dark pulsed_light.delay.darker pulsed_light.filter.3 pulsed_light.filter.4
        pulsed_light.filter.5 pulsed_light.width.least focused_lifting.clear screening.age outcomes.least
    """,
}


def own(**values: float) -> OwnRules:
    return OwnRules(version=1, values={name.replace("__", "."): value for name, value in values.items()})


@pytest.mark.parametrize("side", ["less", "more"])
def test_a_limit_is_only_made_stricter(side: str) -> None:
    for rule_id in STRICT_SIDE[side].split():
        limit = RULES[rule_id]
        assert limit.stricter == side, rule_id
        assert limit.value is not None
        eased = limit.value + (0.001 if side == "less" else -0.001)
        assert rule_id in faults(OwnRules(values={rule_id: eased})), rule_id


def test_what_no_house_default_is_moves_to_its_stricter_side_only_and_facts_not_at_all() -> None:
    for rule_id, one in RULES.items():
        if one.mark != "H" and one.changeable:
            assert one.stricter, rule_id
        if not one.changeable and one.value is not None:
            assert rule_id in faults(OwnRules(values={rule_id: one.value})), rule_id
    for fact in ("sun.sed", "grid.round_bound", "product.fingertip.area", "pulsed_light.melanin.3", "neck.round"):
        assert not RULES[fact].changeable, fact
    assert faults(own(rf_fractional__passes=1.5)) == {"rf_fractional.passes": "A whole number, please."}
    assert faults(OwnRules(values={"nobody.knows": 1})) == {"nobody.knows": "There is no such rule."}


@given(st.sampled_from(CHANGEABLE), st.floats(allow_nan=False, allow_infinity=False, width=32))
def test_any_number_is_refused_or_lies_within_its_bounds(rule_id: str, value: float) -> None:
    least, most = RULES[rule_id].bounds
    inside = least <= value <= most
    said = faults(OwnRules(values={rule_id: value})).get(rule_id, "")
    assert inside or "please" in said
    if said and inside:
        assert "may not lie" in said or "whole number" in said, "within its bounds, and beyond another rule"
    taken = next(one for one in made(OwnRules(values={rule_id: value})).rule if one.id == rule_id)
    assert taken.value is not None and least <= taken.value <= most, "also where it was kept before a bound moved"


@settings(max_examples=40)
@given(st.lists(st.sampled_from(CHANGEABLE), unique=True), st.data())
def test_whatever_is_kept_stays_in_its_order_and_closed(names: list[str], data: st.DataObject) -> None:
    kept = OwnRules(version=3, values={one: data.draw(st.floats(*RULES[one].bounds)) for one in names})
    changed = made(kept)
    values = {one.id: one.value for one in changed.rule}
    for one in changed.rule:
        assert all((values[one.id] or 0) <= (values[other] or 0) for other in one.under), one.id
    assert {str(fault) for fault in closed.faults(changed)} == set()


def test_what_lies_under_one_that_lies_under_another_comes_down_with_it() -> None:
    """The ceiling alone is changed: the usual lies under it, the start under the usual."""
    changed = {one.id: one.value for one in made(OwnRules(version=3, values={"ultrasound.ceiling": 0.25})).rule}
    assert [changed[f"ultrasound.{name}"] for name in ("ceiling", "usual", "start")] == [0.25, 0.25, 0.25]


def test_one_rule_never_passes_another() -> None:
    assert faults(own(chair__pain__stop=4, chair__pain__lower=4)) == {}, "as high is not above"
    assert set(faults(own(chair__pain__stop=4, rf_bulk__stop=41))) == {"rf_bulk.stop"}, "its target may reach 42"
    told_so = faults(own(event__better=30, event__never=31))
    assert set(told_so) == {"event.better", "event.never"} and "above 30 days" in told_so["event.never"]
    assert "below 31 days" in told_so["event.better"] and "Change that one first" in told_so["event.better"]


def test_words_say_the_studios_number_and_where_the_published_one_went() -> None:
    with working_with(own(rf_bulk__stop=42.5, budget__base=4)):
        assert number("rf_bulk.stop") == 42.5 and "42.5 °C" in rule("rf_bulk.stop").words
        assert rule("budget.base").words.endswith("Here: 4 points of load.")
        assert rule("rf_bulk.stop").source == "The studio’s own; published: 43 °C (Common practice)"
        assert edition() != published_edition() and edition_words(edition()).endswith("own rules in version 1")
    assert number("rf_bulk.stop") == 43 and edition() == published_edition()
    assert edition_words(published_edition()) == f"rule book {published_edition()[:8]}" and edition_words("") == ""


def test_two_studios_of_one_version_are_two_editions() -> None:
    one, other = own(chair__pain__stop=6), own(chair__pain__stop=5)
    assert one.edition != other.edition and one.edition.partition("+")[2].startswith("1.")
    assert OwnRules().edition == "" and OwnRules(version=4).empty


def test_what_was_remembered_by_one_book_is_not_told_by_another() -> None:
    asked: list[float] = []

    def stop(_: int) -> float:
        asked.append(number("rf_bulk.stop"))
        return asked[-1]

    for kept in (by_book()(stop), remembered(4)(stop)):
        asked.clear()
        seen = []
        for values in ({}, {"rf_bulk.stop": 42.0}, {}, {"rf_bulk.stop": 42.0}, {"rf_bulk.stop": 41.0}):
            with working_with(OwnRules(version=1, values=values)):
                seen.append(kept(1))
        assert seen == [43, 42, 43, 42, 41] and asked == [43, 42, 41]


def test_only_a_few_books_are_remembered() -> None:
    made_: list[str] = []

    @by_book(2)
    def named() -> str:
        made_.append(edition())
        return made_[-1]

    for n in range(9):
        with working_by(f"{n}", published()):
            assert named() == f"{n}"
    with working_by("0", published()):
        named()
    assert made_ == [*map(str, range(9)), "0"], "the first was let go"


def test_a_lowered_ceiling_reaches_the_plan() -> None:
    assert planned(brief(), "led", minutes=15).startable
    with working_with(own(led__ceiling__minutes=14, led__start_minutes=14)):
        stopped = planned(brief(), "led", minutes=15)
        assert not stopped.startable and "led.ceiling.minutes" in {one.rule for one in stopped.refused.values()}
    assert planned(brief(), "led", minutes=15).startable


@settings(max_examples=60)
@given(st.sampled_from(OPTIONS), st.sampled_from(subjects()), st.sampled_from(STRICTER))
def test_no_verdict_of_the_studio_makes_anything_milder(answer: tuple[str, str], on: str, verdict: str) -> None:
    question, option = answer
    who = {question: Answer(option=option)}
    before = {name: one.verdict for name, one in brief(who).board.items()}
    said = OwnVerdict.model_validate(
        {"question": question, "option": option, "on": on, "verdict": verdict, "reason": "so"}
    )
    with working_with(OwnRules(version=1, verdicts=(said,))):
        after = {name: one.verdict for name, one in brief(who).board.items()}
    assert all(ORDER.index(after[name]) >= ORDER.index(before[name]) for name in before)
    assert ORDER.index(after[on]) >= ORDER.index(verdict), "what the owner asked for holds"
    assert {name for name in before if after[name] != before[name]} <= {on}, "and nothing else moved"


def test_a_verdict_that_is_not_stricter_is_refused() -> None:
    def said(**of: str) -> str:
        base = {"question": "pregnancy", "option": "pregnant", "on": "microcurrent", "verdict": "never", "reason": "so"}
        return next(iter(faults(OwnRules(verdicts=(OwnVerdict.model_validate(base | of),))).values()), "")

    assert said() == ""
    assert "only made stricter" in said(verdict="letter") and "only made stricter" in said(verdict="no")
    assert "no such modality" in said(on="nothing")
    assert "no such answer" in said(option="no") and "no such answer" in said(question="unheard")


def test_the_first_answer_changes_nothing_whatever_was_kept() -> None:
    question = next(one for one in published().question if one.id == "pregnancy")
    kept = OwnVerdict(question="pregnancy", option=question.options[0].id, on="led", verdict="never", reason="so")
    changed = next(one for one in made(OwnRules(verdicts=(kept,))).question if one.id == "pregnancy")
    assert changed.options[0].rulings == ()


def test_what_was_kept_of_a_rule_that_is_gone_is_left_out() -> None:
    changed = made(OwnRules(values={"gone.rule": 3, "sun.sed": 5}))
    assert {one.id: one.value for one in changed.rule} == {one.id: one.value for one in book().rule}


def test_every_bound_that_cannot_be_is_noticed() -> None:
    """Held at load: a bound that does not hold its own number, a limit that may be eased, an order that is broken."""
    whole = {one.id: one for one in written().rule}

    def noticed(rule_id: str, **changed: object) -> str:
        spoilt = whole[rule_id].model_copy(update=changed)
        rules: tuple[Rule, ...] = tuple(spoilt if one.id == rule_id else one for one in written().rule)
        return " ".join(str(fault) for fault in closed.faults(told(written().model_copy(update={"rule": rules}))))

    assert "from 44 to" in noticed("rf_bulk.stop", least=44.0)
    assert "stricter side only" in noticed("rf_bulk.stop", most=45.0)
    assert "stricter side only" in noticed("rf_bulk.stop", stricter="")
    assert "lies above “rf_bulk.stop”" in noticed("rf_bulk.target.most", value=43.5)
    assert "rf_bulk.stpo" in noticed("rf_bulk.target.most", under=("rf_bulk.stpo",))
    assert "may be put lower than this one" in noticed("galvanic.start", least=0.1)
    assert "not marked as signed" in noticed("led.missed", least=-1.0)
    assert "no number that a studio could change" in noticed("wet_abrasion.pustules", value=None, words="x")
