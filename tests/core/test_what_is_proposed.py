"""What a proposal is made of: what each thing brings, what is left out and by which rule, what runs beside what."""

from datetime import timedelta
from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, TODAY, brief
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.modality.before import Before
from merak.core.modality.exposure import Exposure
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Wish
from merak.core.plan.proposals import Candidate, Gain, Problem, Proposal, best, overlaps, proposals, score, seconds_of
from merak.core.plan.screening import Answer
from merak.core.plan.stage import Stage
from merak.core.plan.step import step_of

RESTED = {name: Before(on=TODAY - timedelta(days=90), at=1.0) for name in ("peel", "pulsed_light")}


def graded(grades: dict[str, dict[str, int]] | None = None, **changes: Any) -> Brief:
    """A returning client, phototype II, seen by somebody who holds every licence, with all the time there is."""
    findings = Findings(phototype=2, sensitive=False, grades=grades or {})
    usual = {"returning": True, "licences": EVERY_LICENCE, "senior": True, "slot": 480, "findings": findings}
    return brief(**(usual | changes))


def kinds(who: Brief) -> dict[str, Proposal]:
    return {kind: one for one in proposals(who) for kind in (one.kind, *one.also)}


def names(one: Proposal) -> list[str]:
    return [step.modality for step in one.plan.steps]


def left_out(one: Proposal) -> dict[str, tuple[str, str]]:
    return {left.title: (left.why, left.rule) for left in one.left_out}


def test_a_skin_without_a_finding_is_calmed_and_no_more() -> None:
    """Light (fair, first choice) 10 × 2, mask (weak, second) 10 × 1 × 0.8: 28. A third calming thing counts nothing."""
    (only,) = proposals(graded())
    assert (only.kind, only.also) == ("gentle", ("balanced", "strongest")), "kinds that come to the same are told once"
    assert names(only) == ["cleanse", "tone", "mask", "led", "finish"]
    assert only.score == 28
    assert [(one.modality, one.condition, one.evidence) for one in only.supports] == [
        ("mask", "settle", "weak"),
        ("led", "settle", "fair"),
    ]
    assert left_out(only) == {
        "Cold head": ("Light-emitting panel and Mask already do more for the same.", "propose.two")
    }
    assert only.feel == ("Light-emitting panel: light through closed eyes",), "what is felt, and what has no load: not"
    assert only.settle_h == 0


def test_a_wish_that_is_not_graded_counts_as_one_and_is_doubled() -> None:
    """Microcurrent for laxity: 10 × 1 × weak 1 × 0.8 for the second choice × 2 for the wish = 16, beside the 28."""
    only = kinds(graded(wish=Wish(goals=("laxity",))))["gentle"]
    assert ("microcurrent", "laxity", "weak") in [(one.modality, one.condition, one.evidence) for one in only.supports]
    assert "laxity" not in [one.condition for one in kinds(graded())["gentle"].supports], "no wish, no finding"
    # Bulk radiofrequency brings 40, for two of load at 15 each.
    assert names(only) == ["cleanse", "tone", "rf_bulk", "microcurrent", "mask", "led", "finish"]
    assert only.score == 28 + 16 + 40 - 30
    assert "Microcurrent lift: nothing, or just felt" in only.feel and only.settle_h == 3


def test_a_graded_wish_counts_its_grade_twice() -> None:
    plain, wished = (
        kinds(graded({"laxity": {"right jawline": 2}}, wish=Wish(goals=goals)))["strongest"]
        for goals in ((), ("laxity",))
    )
    # Focused lifting is third (0.6): not as much as bulk radiofrequency 2 × 10 × 2 and microcurrent 2 × 10 × 0.8.
    # Balanced and strongest come to the same, and are told once with the balanced one's price: 6 for each of two points
    # of load. A gentle one warms a step lower.
    assert plain.also == wished.also == ("strongest",)
    assert plain.score == 28 + 40 + 16 - 12 and wished.score == 28 + 2 * (40 + 16) - 12


def test_the_price_of_load_is_what_the_kinds_differ_in() -> None:
    found = kinds(graded({"congestion": {"right mid cheek": 2}, "acne": {"right mid cheek": 2}}))
    loads = {kind: one.computed.numbers["visit.load"].value for kind, one in found.items()}
    assert loads["gentle"] == loads["balanced"] == 3 and loads["strongest"] == 4
    # Wet abrasion 2 × 10 × fair 2, extraction (fourth: 0.4) 16 for congestion, (third: 0.6) 12 for acne, light 40 and
    # 20, mask 8; less the load of 3 at 15 and at 6.
    assert found["gentle"].score == 40 + 16 + 12 + 40 + 20 + 8 - 3 * 15
    assert found["balanced"].score == 40 + 16 + 12 + 40 + 20 + 8 - 3 * 6
    # Galvanic softening (second: 0.8) and the oxygen mask (second: 0.8) instead of extraction: 16 + 16.
    assert found["strongest"].score == 40 + 16 + 16 + 40 + 20 + 8
    gentle, balanced = (
        {stage.modality: stage.settings for stage in found[kind].plan.stages} for kind in ("gentle", "balanced")
    )
    assert gentle["wet_abrasion"].at == balanced["wet_abrasion"].at - 1, "a gentle plan is a step down"
    assert gentle["extract"] != balanced["extract"] and gentle["led"] == balanced["led"], "where it has a load"
    assert gentle["cleanse"] == balanced["cleanse"], "housekeeping is housekeeping"


@pytest.mark.parametrize(
    ("changes", "kind", "titled", "rule"),
    [
        ({"history": RESTED}, "gentle", "Pulsed light", "propose.load_gentle"),
        ({}, "strongest", "Pulsed light", "chair.spot.first"),
        ({}, "strongest", "Peel", "chair.spot.first"),
        ({"history": RESTED, "licences": frozenset()}, "strongest", "Pulsed light", "plan.licence"),
        ({"history": RESTED, "wish": Wish(event=TODAY + timedelta(days=20))}, "strongest", "Peel", "event.better"),
        ({"history": RESTED, "wish": Wish(event=TODAY)}, "strongest", "Peel", "event.better"),
        (
            {"machines": (), "licences": EVERY_LICENCE, "history": RESTED},
            "strongest",
            "Pulsed light",
            "plan.machine",
        ),
    ],
)
def test_what_is_not_of_this_kind_or_not_today_says_by_which_rule(
    changes: dict[str, Any], kind: str, titled: str, rule: str
) -> None:
    one = kinds(graded({"pigment": {"right mid cheek": 3}}, **changes))[kind]
    assert left_out(one)[titled][1] == rule


@pytest.mark.parametrize("event", [None, -1, 21])
def test_an_event_that_is_over_or_three_weeks_off_leaves_nothing_out(event: int | None) -> None:
    """21 days between something strong and an event are enough."""
    day = None if event is None else TODAY + timedelta(days=event)
    one = kinds(graded({"pigment": {"right mid cheek": 3}}, history=RESTED, wish=Wish(event=day)))["strongest"]
    assert "event.better" not in {rule for _, rule in left_out(one).values()}
    assert {"pulsed_light", "peel"} & set(names(one))


def test_what_is_needed_comes_with_what_needs_it_and_not_without() -> None:
    """Diamond abrasion wants a dry skin; numbing comes with needles; nobody dries a skin for light alone."""
    scarred = kinds(graded({"scars": {"right mid cheek": 2}, "pigment": {"right mid cheek": 3}}))["balanced"]
    works = [stage.modality for stage in scarred.plan.stages]
    assert works[works.index("diamond") - 1] == "dry" and "dry" not in names(scarred), "in the step that asks for it"
    assert "Dry" not in left_out(scarred), "what brings nothing of itself is not missed"
    assert not {"dry", "numbing", "soften"} & set(names(kinds(graded())["strongest"]))
    numbed = kinds(graded({"scars": {"right mid cheek": 4}}, wish=Wish(goals=("scars",))))["strongest"]
    assert "numbing" in names(numbed) and {"rf_fractional", "micro_needling"} & set(names(numbed))


def test_what_only_helps_is_never_told_as_left_out() -> None:
    """Acne: extraction needs softening. What a studio cannot do of it, and what goes with neither, is not told."""
    left = left_out(kinds(graded({"acne": {"right mid cheek": 2}}))["gentle"])
    assert "Pulsed light" not in left and "Fractional radiofrequency" not in left
    without = left_out(kinds(graded({"acne": {"right mid cheek": 2}}, machines=()))["gentle"])
    assert not {"Galvanic softening", "Wet abrasion"} & set(without) and "Light-emitting panel" in without


def test_where_it_goes_is_where_it_was_graded_or_everywhere() -> None:
    one = kinds(graded({"congestion": {"right mid cheek": 2, "nose tip and wings": 1}}))["balanced"]
    zones = {step.modality: set(step.zones) for step in one.plan.steps}
    assert zones["extract"] == {"mid cheek"}, "where it may go"
    assert zones["wet_abrasion"] == set() == zones["led"]


def test_what_does_not_go_with_what_is_there_names_the_rule_of_the_two() -> None:
    one = kinds(graded({"scars": {"right mid cheek": 2}, "pigment": {"right mid cheek": 3}}))["balanced"]
    left = left_out(one)
    assert left["Micro needling"] == (
        "Not with Diamond abrasion: One strong thing a visit.",
        "fit.one_strong",
    )
    assert left["Fractional radiofrequency"][1] == "fit.abrade_heat"


@pytest.mark.parametrize(
    ("changes", "titled", "rule"),
    [
        ({"slot": 20}, "Microcurrent lift", "plan.slot"),
        ({"wish": Wish(minutes=20)}, "Microcurrent lift", "plan.slot"),
        ({"wish": Wish(money=40)}, "Microcurrent lift", "plan.price"),
        (
            {"findings": Findings(phototype=6, sensitive=True, grades={"laxity": {"right jawline": 2}})},
            "Bulk radiofrequency",
            "budget.load",
        ),
    ],
)
def test_a_limit_that_would_be_passed_is_named(changes: dict[str, Any], titled: str, rule: str) -> None:
    one = kinds(graded({"laxity": {"right jawline": 2}}, **changes))["gentle"]
    assert left_out(one)[titled][1] == rule, left_out(one)


def test_a_plan_may_cost_just_what_was_named_and_take_just_the_time_there_is() -> None:
    plain = kinds(graded())["gentle"]
    cost, minutes = plain.computed.numbers["visit.price"].value, plain.computed.seconds / 60
    assert cost == 40 and minutes == 2.5 + 0.5 + 16.95 + 2.5
    assert names(kinds(graded(wish=Wish(money=40), slot=23))["gentle"]) == names(plain)
    assert names(kinds(graded(wish=Wish(money=39)))["gentle"]) != names(plain)
    assert names(kinds(graded(slot=22))["gentle"]) != names(plain)


@pytest.mark.parametrize(
    ("changes", "rule"),
    [
        ({"slot": 29}, "propose.two"),
        ({"slot": 28}, "plan.slot"),
        ({"wish": Wish(money=55)}, "propose.two"),
        ({"wish": Wish(money=54)}, "plan.price"),
        ({"wish": Wish(goals=("congestion",)), "findings": Findings(sensitive=True, phototype=2)}, "propose.two"),
    ],
)
def test_what_would_just_fit_is_left_out_for_what_it_brings(changes: dict[str, Any], rule: str) -> None:
    """The cold head: six minutes and 15 beside the 22½ minutes and 40 of light and mask; no load, and none is left."""
    one = kinds(graded(**changes))["gentle"]
    assert left_out(one)["Cold head"][1] == rule


def test_what_was_done_too_lately_and_what_has_no_help_says_so() -> None:
    """Pulsed light keeps two weeks from peels and needles; what needs numbing where nothing numbs is not to be had."""
    lately = RESTED | {"pulsed_light": Before(on=TODAY - timedelta(days=5), at=10.0)}
    pigment = {"pigment": {"right mid cheek": 3}}
    why, rule = left_out(kinds(graded(pigment, history=lately))["strongest"])["Peel"]
    assert rule == "agent.lamp" and "was 5 days ago" in why
    for history in (RESTED, RESTED | {"pulsed_light": Before(at=10.0)}):
        left = left_out(kinds(graded(pigment, history=history))["strongest"])
        assert "agent.lamp" not in {by for _, by in left.values()}, "long ago, or on no day that is known"


def test_needles_without_numbing_only_by_the_school_that_goes_without() -> None:
    """Numbing is open to nobody who bears none of it; shallow needles go without where the house does."""
    unable: dict[str, Any] = {"answers": {"allergy": Answer(option="amide")}, "licences": frozenset()}
    scars = {"scars": {"right mid cheek": 4}}
    numb = kinds(graded(scars, **unable))["strongest"]
    assert left_out(numb)["Micro needling"][1] == "skin.numbed", left_out(numb)
    without = kinds(graded(scars, methods={"numbing": "none"}, **unable))["strongest"]
    assert left_out(without).get("Micro needling", ("", ""))[1] != "skin.numbed"


def test_one_guest_beside_each_host_the_pair_that_saves_most() -> None:
    """Light for ten minutes inside the mask's fifteen; the cold head, shorter, stands by itself."""
    one = kinds(graded({"redness": {"right mid cheek": 2}}))["gentle"]
    beside = {step.modality: step.beside for step in one.plan.steps if step.beside}
    mask = next(step.id for step in one.plan.steps if step.modality == "mask")
    assert "cold" in names(one), "which might run beside the mask as well"
    assert beside == {"led": mask}
    alone = kinds(graded(wish=Wish(goals=("laxity",)), slot=45, licences=frozenset()))["balanced"]
    assert "mask" not in names(alone) and [step.beside for step in alone.plan.steps if step.modality == "led"] == [""]


def candidate(name: str, seconds: int, gains: tuple[Gain, ...] = ()) -> Candidate:
    return Candidate(step_of(Stage(id=name, modality="tone")), gains, seconds, 0, 0, frozenset())


def test_time_is_saved_only_where_both_are_there() -> None:
    """Ten and six minutes, of which four run at once."""
    both = (candidate("a", 600), candidate("b", 360))
    problem = Problem(both, frozenset(), (), {(0, 1): 240}, 0, 0, 0, 0)
    assert [seconds_of(problem, taken) for taken in ((), (0,), (1,), (0, 1))] == [0, 600, 360, 720]


def test_two_things_count_for_one_condition_and_no_third() -> None:
    three = tuple(candidate(str(n), 0, (Gain("oil", n, "fair"),)) for n in (5, 9, 7))
    problem = Problem(three, frozenset(), (), {}, 0, 0, 0, 0)
    assert score(problem, (0, 1, 2)) == 16 and score(problem, (0, 2)) == 12


def test_of_equals_the_better_shown_may_take_its_ten_minutes_longer() -> None:
    def chosen(longer_s: int, points: int = 24) -> tuple[int, ...]:
        weak, fair = Gain("congestion", 24, "weak"), Gain("congestion", points, "fair")
        two = (candidate("a", 360, (weak,)), candidate("b", 360 + longer_s, (fair,)))
        return best(Problem(two, frozenset({(0, 1)}), (), {}, 9000, 0, 0, 0))

    assert chosen(590) == (1,) and chosen(610) == (0,)
    assert chosen(0, 23) == (0,), "a point more counts before anything that is shown"


def test_what_skin_is_not_yet_fit_for_is_left_out_and_the_rest_proposed() -> None:
    """Abraded two days ago: no current, and no heat before a week is over; needled yesterday: not even a cleanse.
    Nobody looked how the skin arrived.
    """

    def after(work: str, days: int) -> Brief:
        known = {work: Before(on=TODAY - timedelta(days=days))}
        return graded({"laxity": {"right jawline": 3}}, history=known, returning=True, arrived="")

    found = kinds(after("crystal", 2))["balanced"]
    assert "rf_bulk" not in names(found) and "led" in names(found) and found.computed.startable
    assert left_out(found)["Microcurrent lift"][1] == "skin.thinned"
    assert left_out(found)["Bulk radiofrequency"] == (
        f"Dry abrasion was 2 days ago, {TODAY - timedelta(days=2):%-d %b}."
        f" Open from {TODAY + timedelta(days=5):%-d %b %Y}.",
        "agent.dry_abrasion",
    )
    assert "rf_bulk" not in names(kinds(after("crystal", 6))["balanced"])
    assert "rf_bulk" in names(kinds(after("crystal", 7))["balanced"])
    with pytest.raises(Refused, match="Too early after Micro needling"):
        proposals(after("micro_needling", 1))


def test_what_was_done_elsewhere_nobody_knows_when_is_not_planned_past() -> None:
    """Waxed is told: current and heat wait there, and light does not."""
    waxed = {**graded().facts.answers, "wax": Answer(option="yes")}
    found = kinds(graded({"laxity": {"right jawline": 3}}, answers=waxed))["balanced"]
    assert "rf_bulk" not in names(found) and found.computed.startable
    assert left_out(found)["Bulk radiofrequency"][1] == "skin.thinned"


def could(modality: str, seconds: int, hands_s: int) -> Candidate:
    return Candidate(step_of(Stage(id="s1", modality=modality)), (), seconds, 0, 0, frozenset(), hands_s)


def test_a_host_has_one_guest_and_only_one_that_saves_time() -> None:
    """(host, guest): the mask's own ten minutes hold the light, which saves more than the cold head."""
    mask, light, cold = could("mask", 720, 120), could("led", 600, 60), could("cold", 300, 60)
    assert overlaps((mask, light, cold), {}) == {(0, 1): 600}
    assert overlaps((mask, cold), {}) == {}, "what comes before is not put off to save a minute"
    assert overlaps((could("mask", 120, 120), light), {}) == {}, "a host without a time of its own"
    assert overlaps((could("muscle_stimulation", 1800, 300), light, mask), {}) == {(0, 2): 720}


def test_two_that_give_too_much_together_are_kept_apart() -> None:
    """Each alone may be; on the same skin their sum may not."""

    def giving(agent: str, amount: float, zone: str) -> Candidate:
        there = {zone: (Exposure(agent, amount, "min", "led.ceiling.minutes", 10),)}
        return could("led", 60, 0)._replace(given=((f"{agent}{amount}{zone}", there),))

    six = giving("light", 6, "chin")
    assert six.too_much_with(giving("light", 5, "chin")) and not six.too_much_with(giving("light", 4, "chin"))
    assert not six.too_much_with(giving("light", 5, "forehead")) and not six.too_much_with(giving("sound", 9, "chin"))
