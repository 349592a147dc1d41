"""Ceilings speak of sums: what stages give to the same skin, in one step or in several, is one dose."""

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.briefs import EVERY_LICENCE, brief, plan_of
from builders.machines import machine
from merak.core.after.exposures import given_by
from merak.core.client import Findings
from merak.core.knowledge import rule
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.exposed import Exposed
from merak.core.modality.exposure import Exposure, sums
from merak.core.plan.brief import Brief, workable
from merak.core.plan.facts import Machine
from merak.core.plan.fitting import Clash
from merak.core.plan.stage import Stage, begin, compute
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

DONE = {name: Before(on=date(2026, 9, 1)) for name in ("peel", "pulsed_light")}
WHO = brief(returning=True, licences=EVERY_LICENCE, senior=True, findings=Findings(phototype=2), slot=480, history=DONE)
#: What may be done as often as one likes.
BETWEEN = "wash wipe towel alcohol antisepsis saline mist gloves mirror photograph try_out call_senior clean_tool"
FREE = {"cleanse", "tone", "dry", "soften", "extract", "mask", "finish", "touch", *BETWEEN.split()}
#: Modality → agent, rule of the most in one visit, whether it counts for the whole client.
AGENTS = {
    "cold": [("cold", "cold.longest")],
    "crystal": [("abrasion", "crystal.passes"), ("powder", "crystal.timer")],
    "diamond": [("abrasion", "diamond.passes")],
    "ear_clips": [("current through the ears", "ear_clips.longest")],
    "enzyme": [("enzyme", "enzyme.longest"), ("abrasion", "acid.abraded")],
    "focused_lifting": [("lines at 3 mm", "focused_lifting.passes")],
    "galvanic_softening": [
        ("direct current", "galvanic.ceiling.dose"),
        ("direct current on a place", "galvanic.ceiling.dose_density"),
    ],
    "iontophoresis": [
        ("direct current", "galvanic.ceiling.dose"),
        ("direct current on a place", "galvanic.ceiling.dose_density"),
    ],
    "led": [("light", "led.ceiling.minutes"), ("red light", "led.ceiling.red_fluence")],
    "micro_needling": [("punctures", "micro_needling.density.most")],
    "microcurrent": [("microcurrent", "microcurrent.face_time")],
    "muscle_stimulation": [("muscle current", "muscle_stimulation.minutes")],
    "nano": [("nano rounds", "nano.rounds")],
    "numbing": [("numbing", "numbing.label")],
    "oxygen_airbrush": [("oxygen airbrush", "oxygen_airbrush.passes")],
    "oxygen_jet": [("oxygen jet", "oxygen.longest")],
    "oxygen_mask": [("oxygen foam", "oxygen_mask.newcomer")],
    "peel": [("acid", "acid.longest"), ("abrasion", "acid.abraded")],
    "pulsed_light": [("lamp passes", "pulsed_light.passes")],
    "rf_bulk": [("heat", "rf_bulk.dose.stop")],
    "rf_fractional": [("pins", "rf_fractional.passes")],
    "spatula": [("spatula", "spatula.longest")],
    "ultrasound": [("sound", "ultrasound.longest")],
    "wet_abrasion": [("wet work", "wet_abrasion.longest")],
}
BY_BODY = {"direct current", "microcurrent", "numbing"}


def stage(modality: str, zones: tuple[str, ...] = (), **settings: object) -> Stage:
    found = begin(WHO, modality, "s1", {})
    return found.model_copy(update={"zones": zones}).with_settings(found.values | settings)


def steps(*stages: Stage, apart: bool = False) -> VisitPlan:
    """These stages, each with an id of its own, in one step or in a step each."""
    own = [one.model_copy(update={"id": f"s{n + 1}"}) for n, one in enumerate(stages)]
    return visit_plan(WHO, Plan(steps=tuple(map(step_of, own)) if apart else (step_of(*own),)))


def summed(*stages: Stage, apart: bool = False) -> list[Clash]:
    rules = {"plan.twice", *(rule for agents in AGENTS.values() for _, rule in agents)}
    return [one for one in steps(*stages, apart=apart).clashes if one.rule in rules]


@pytest.mark.parametrize("modality", sorted(name for name in MODALITIES if name != "physician_resurfacing"))
def test_what_is_not_free_says_what_adds_up(modality: str) -> None:
    found = compute(WHO, stage(modality)).dose.given
    assert [(one.agent, one.rule) for one in found] == AGENTS.get(modality, [])
    assert {one.agent for one in found if one.by == "body"} == {a for a, _ in AGENTS.get(modality, [])} & BY_BODY
    assert (modality in FREE) == (modality not in AGENTS)


@pytest.mark.parametrize("apart", [False, True])
@pytest.mark.parametrize("modality", sorted(AGENTS))
def test_the_sum_holds_where_each_does(modality: str, apart: bool) -> None:
    """As often as its amount fits into the limit nothing is said; once more is refused, by the limit's own rule."""
    able = workable(WHO, modality)
    zone = max(able, key=lambda one: able[one])  # where any tip has room
    one = stage(modality, () if modality == "microcurrent" else (zone,))  # its lines run from zone to zone
    given_ = max(compute(WHO, one).exposures[zone], key=lambda each: each.counted / each.limit)
    fits = int(given_.limit / given_.counted + 1e-9)
    if fits > 18:
        pytest.skip("it fits more often than a hand would repeat it")
    assert not summed(*[one] * fits, apart=apart)
    (clash, *rest) = summed(*[one] * (fits + 1), apart=apart)
    assert clash.rule == given_.rule and given_.agent in clash.words.lower()
    assert {one.rule for one in rest} <= {rule for _, rule in AGENTS[modality]}


@pytest.mark.parametrize("modality", ["led", "ultrasound", "rf_bulk", "peel", "nano", "numbing"])
def test_other_skin_is_another_dose(modality: str) -> None:
    one, other, *_ = (zone for zone in workable(WHO, modality) if zone in ("chin", "mid cheek", "lower cheek"))
    (first,) = {each.limit / each.counted for each in compute(WHO, stage(modality, (one,))).exposures[one][:1]}
    times = min(int(first) + 1, 12)
    met = summed(*[stage(modality, (one,))] * times)
    apart = summed(*[stage(modality, (one if n % 2 else other,)) for n in range(times)])
    assert len(met) >= (times < 12) and (bool(apart) == bool(met) if modality == "numbing" else not apart or times > 2)


def test_what_is_not_known_counts_as_the_worst() -> None:
    """Through a mask nobody knows the fluence: once it is left to the clock, twice it would be more than is allowed."""
    veiled = stage("led", cover="sheet mask")
    assert not summed(veiled)
    (clash,) = summed(veiled, veiled)
    assert clash.rule == "led.ceiling.red_fluence" and "unknown + unknown" in clash.words


def test_other_colours_are_other_light_but_the_same_minutes() -> None:
    red, amber = stage("led", minutes=21), stage("led", minutes=21, colour="amber")
    assert {one.rule for one in summed(red, amber)} == {"led.ceiling.minutes"}
    assert not summed(stage("led", minutes=5), stage("led", minutes=5, colour="amber"))


def test_one_agent_of_two_modalities() -> None:
    """Direct current softens and drives in: it is one charge through the same skin."""
    ion, soft = stage("iontophoresis", ("mid cheek",)), stage("galvanic_softening", ("mid cheek",))
    each = [{e.agent: e.counted for e in compute(WHO, one).dose.given}["direct current"] for one in (ion, soft)]
    both = steps(ion, soft, apart=True).numbers
    assert both["sums-s1.direct current"].value == both["sums-s2.direct current"].value == pytest.approx(sum(each))


def test_a_second_depth_is_not_the_same_line_again() -> None:
    """Page and practice: deep and shallow lines over one cheek, each three to five times."""
    cheek = ("mid cheek", "lower cheek")
    deep, shallow = stage("focused_lifting", cheek, depth_mm=4.5), stage("focused_lifting", cheek, depth_mm=3.0)
    assert not summed(deep, shallow)
    assert {one.rule for one in summed(deep, deep)} == {"focused_lifting.passes"}


def test_the_sums_stand_beside_the_numbers_of_each_step() -> None:
    found = steps(stage("led", minutes=5), stage("led", minutes=6)).numbers["sums-s1.light"]
    assert (found.value, found.unit, [one.value for one in found.inputs]) == (11, "min", [5, 6])
    assert not any(key.startswith("sums-") for key in steps(stage("led")).numbers), "alone it is its own sum"


AMOUNTS = st.lists(st.none() | st.floats(0, 10), min_size=2, max_size=5)


@given(AMOUNTS, st.floats(1, 20))
def test_sums_are_of_all_parts_and_as_careful_as_the_most_careful(amounts: list[float | None], most: float) -> None:
    parts = [Exposure("heat", amount, "min", "rf_bulk.dose.stop", most + n) for n, amount in enumerate(amounts)]
    (found,) = sums((f"s{n}", {"chin": (part,)}) for n, part in enumerate(parts))
    whole = sum(most + n if amount is None else amount for n, amount in enumerate(amounts))
    assert found.amount == pytest.approx(whole) and found.least.limit == most
    assert found.past == (whole > most * (1 + 1e-6))


def test_the_whole_client_is_counted_once_a_stage() -> None:
    cream = Exposure("numbing", 0.4, "", "numbing.label", 1, "body")
    (found,) = sums([("s1", {"chin": (cream,), "lips": (cream,)}), ("s2", {"chin": (cream,)})])
    assert found.zones == () and found.amount == pytest.approx(0.8) and not found.past


def test_zones_that_get_the_same_are_told_as_one() -> None:
    here, there = (Exposure("heat", amount, "min", "rf_bulk.dose.stop", 10) for amount in (2, 3))
    same = (here,)
    first = ("s1", {"chin": same, "forehead": same, "temple": (there,)})
    found = {one.zones: one.amount for one in sums([first, ("s2", {"chin": same, "forehead": same})])}
    assert found == {("chin", "forehead"): 4}, "what one stage gives alone is no sum"


def test_what_a_class_does_not_say_is_not_known_there() -> None:
    """A dose that says nothing of heat over bone gives an unknown amount there, not none."""
    worked = compute(WHO, stage("rf_bulk", ("forehead", "mid cheek")))
    bone = tuple(one._replace(dose=one.dose._replace(given=())) for one in worked.classes)
    there = replace(worked, classes=bone).exposures
    assert [one.amount for one in there["mid cheek"]] == [one.amount for one in worked.dose.given] != [None]
    assert [(one.agent, one.amount) for one in there["forehead"]] == [("heat", None)]


def test_heat_that_cannot_be_computed_adds_up_at_its_worst() -> None:
    """A machine that was never measured: once by hand and reading, twice on the same skin refused by heat's rule."""
    bare = brief(
        **{**WHO.facts.model_dump(include={"returning", "senior", "slot"}), "licences": EVERY_LICENCE},
        machines=(Machine(id="m", card=machine("rf_bulk", calibration=())),),
    )
    (one,) = plan_of(bare, "rf_bulk").stages
    both = visit_plan(bare, Plan(steps=(step_of(one, one.model_copy(update={"id": "s2"})),)))
    assert compute(bare, one).dose.given[0].amount is None
    assert "rf_bulk.dose.stop" in {clash.rule for clash in both.clashes}


@pytest.mark.parametrize("work", ["enzyme", "peel"])
@pytest.mark.parametrize(
    ("passes", "zone", "refused"), [(1, "chin", False), (2, "chin", True), (2, "lower cheek", False)]
)
def test_what_dissolves_bears_one_pass_of_diamond_on_its_skin_before_it_or_after(
    work: str, passes: int, zone: str, refused: bool
) -> None:
    tip, liquid = stage("diamond", ("chin",), passes=passes), stage(work, (zone,))
    for both in ((tip, liquid), (liquid, tip)):
        assert ("acid.abraded" in {one.rule for one in summed(*both, apart=True)}) == refused


def test_what_gives_nothing_adds_up_to_nothing() -> None:
    peels = steps(stage("peel", ("chin",), minutes=1), stage("peel", ("chin",), minutes=1)).numbers
    assert not [key for key in peels if key.endswith(".abrasion")]


def given_earlier(one: Stage, share: float = 1.0) -> tuple[Exposed, ...]:
    """What a stage gave in a visit of the same day, as the close keeps it."""
    found = compute(WHO, one)
    return given_by(one.modality, found.footing.counts, found.exposures, found.areas, share, WHO.facts.today)


def after(before: tuple[Exposed, ...], *stages: Stage) -> list[Clash]:
    """What is past a sum where some of it was given before."""
    who = Brief(WHO.facts.model_copy(update={"exposed": before}))
    own = [one.model_copy(update={"id": f"s{n + 1}"}) for n, one in enumerate(stages)]
    rules = {rule for agents in AGENTS.values() for _, rule in agents}
    return [one for one in visit_plan(who, Plan(steps=(step_of(*own),))).clashes if one.rule in rules]


@pytest.mark.parametrize("modality", sorted(AGENTS))
def test_a_day_in_two_visits_is_given_no_more_than_one_visit(modality: str) -> None:
    """As often as it fits in one visit it fits in two of a day, whichever is first; once more is refused in both."""
    able = workable(WHO, modality)
    zone = max(able, key=lambda one: able[one])
    one = stage(modality, () if modality == "microcurrent" else (zone,))
    most = max(compute(WHO, one).exposures[zone], key=lambda each: each.counted / each.limit)
    fits = int(most.limit / most.counted + 1e-9)
    if fits > 18:
        pytest.skip("it fits more often than a hand would repeat it")
    before = given_earlier(one)
    assert not after(before * (fits - 1), one) and (fits == 1 or not after(before, *[one] * (fits - 1)))
    for found in (after(before * fits, one), after(before, *[one] * fits)):
        told = next(clash for clash in found if clash.rule == most.rule)
        assert "earlier today" in told.words and told.absolute == rule(most.rule).absolute


def test_what_was_given_to_other_skin_or_on_another_day_leaves_today_free() -> None:
    light = stage("led", ("chin",), minutes=15)
    before = given_earlier(light)
    assert after(before, light)
    assert not after(before, stage("led", ("mid cheek",), minutes=15))
    yesterday = tuple(one.model_copy(update={"on": WHO.facts.today - timedelta(days=1)}) for one in before)
    assert not after(yesterday, light)
    right = tuple(one.model_copy(update={"zones": ("right chin",)}) for one in before)
    assert after(right, light) and not after(right, stage("led", ("left chin",), minutes=15))


def test_what_nobody_measured_or_dated_counts_as_all_that_there_may_be() -> None:
    light = stage("led", ("chin",), minutes=1)
    assert not after(given_earlier(light), light)
    for unknown in ({"amount": None}, {"amount": None, "on": None}):
        (told, *_) = after(tuple(one.model_copy(update=unknown) for one in given_earlier(light)), light)
        assert "unknown" in told.words


def test_what_was_given_says_nothing_against_what_is_not_planned() -> None:
    before = given_earlier(stage("led", ("chin",), minutes=15)) * 3
    assert not after(before, stage("cold", ("chin",)))


@given(st.permutations(["led", "ultrasound", "cold", "nano"]))
def test_the_order_of_visits_changes_no_sum(order: list[str]) -> None:
    """Four visits of a day, the last of them planned: the same is past, whichever came first."""
    before = [one for name in order for one in given_earlier(stage(name, ("chin",)))]
    found = {one.rule for one in after(tuple(before), stage("led", ("chin",)), stage("ultrasound", ("chin",)))}
    straight = [one for name in sorted(order) for one in given_earlier(stage(name, ("chin",)))]
    assert found == {
        one.rule for one in after(tuple(straight), stage("led", ("chin",)), stage("ultrasound", ("chin",)))
    }
