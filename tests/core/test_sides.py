"""A zone on one side alone: a name of its own wherever zones are named, skin of its own wherever it is summed."""

from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.chair import acts, as_step, somebody, worked
from builders.orders import at, run
from merak.core.acts import Act, Part
from merak.core.after.differences import differences
from merak.core.body.plate import all_zones, bare, keys_of, keys_on, named, sided, where_words
from merak.core.errors import Refused
from merak.core.knowledge import Manner
from merak.core.plan.fitting import Placed
from merak.core.plan.stage import Beyond, Stage, compute, moved
from merak.core.plan.step import begin_step, step_of, whole
from merak.core.plan.sums import together
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force, visit_plan
from merak.core.treatment import fold, order_of
from merak.core.treatment.facts import act_facts

WHO = somebody()
KEYS = st.frozensets(st.tuples(st.sampled_from(("right", "left")), st.sampled_from(sorted(all_zones()))))


@given(KEYS)
def test_names_say_just_their_sides(keys: frozenset[tuple[str, str]]) -> None:
    names = named(keys)
    assert keys_on(frozenset(names)) == keys
    assert sided(names) == {" ".join(key) for key in keys}
    assert {bare(name) for name in names} == {zone for _, zone in keys}
    assert len(names) == len(set(names)), "both sides are one name"


def test_a_name_of_no_zone_is_left_alone() -> None:
    assert bare("right knee pit") == "right knee pit" and keys_of("feet") == ()
    with pytest.raises(ValueError, match="drawn on a plate"):
        Beyond(name="left mid cheek", cm2=10)
    assert where_words(("right forehead", "right chin")) == "forehead, chin, right side"
    assert where_words(("right forehead", "chin")) == "right forehead, chin"


@pytest.mark.parametrize("modality", ["rf_fractional", "focused_lifting", "ultrasound", "wet_abrasion", "diamond"])
def test_one_side_is_half_of_both_and_lies_there_alone(modality: str) -> None:
    both, one = (worked(modality, WHO, zones=(zone,)) for zone in ("mid cheek", "right mid cheek"))
    assert one.areas == {"right mid cheek": pytest.approx(both.areas["mid cheek"] / 2, rel=0.01)}
    assert one.sides == {"right"} and both.sides == {"right", "left"}
    for act in acts(modality, laid=True, who=WHO, zones=("right mid cheek",)):
        points = [point for part in act.parts for ring in part.outlines for point in ring]
        assert all(x <= 0.1 for x, _ in points) and all(x <= 0.1 for cell in act.cells for x, _ in cell.ring)


@pytest.mark.parametrize("modality", ["microcurrent", "rf_bulk"])
def test_what_is_done_on_one_side_is_shown_against_nothing(modality: str) -> None:
    right = tuple(name for name in sided(worked(modality, WHO).areas) if name.startswith("right "))
    one = worked(modality, WHO, zones=right)
    step = as_step(WHO, one)
    found = acts(modality, laid=True, who=WHO, zones=right)
    assert step.stages[0].turn_s == 0 and not any(act.mirror for act in found)
    assert sum(act.seconds for act in found) == pytest.approx(step.seconds, abs=len(found))
    assert all(act.side in (None, "right") for act in found)


def stages(*where: tuple[str, ...], **settings: Any) -> tuple[Stage, ...]:
    first = worked("diamond", WHO, **settings).stage
    return tuple(first.model_copy(update={"id": f"s{n}", "zones": zones}) for n, zones in enumerate(where))


def summed(*where: tuple[str, ...]) -> dict[str, tuple[str, ...]]:
    made = stages(*where)
    step = whole(WHO, step_of(*made), [compute(WHO, one, of=in_force(WHO, Plan())) for one in made])
    return {one.agent: one.zones for one in together({"s0": step})}


def test_skin_adds_up_side_by_side() -> None:
    assert summed(("right mid cheek",), ("left mid cheek",)) == {}, "no skin twice"
    assert summed(("mid cheek", "chin"), ("left mid cheek",)) == {"abrasion": ("left mid cheek",)}
    assert summed(("mid cheek",), ("mid cheek",)) == {"abrasion": ("mid cheek",)}


def test_what_shares_no_side_shares_no_zone() -> None:
    right, left, both = (Placed("s", "peel", sided(zones)) for zones in (["right chin"], ["left chin"], ["chin"]))
    assert not right.meets(left) and right.meets(both) and both.meets(left)


def test_a_class_of_skin_is_known_by_either_side() -> None:
    one = worked("rf_fractional", WHO, zones=("mid cheek", "right forehead"))
    assert [(there.skin, there.zones) for there in one.classes] == [("bone", ("right forehead",))]


def test_minutes_by_hand_follow_the_area_until_somebody_sets_them() -> None:
    of = in_force(WHO, Plan())
    face = worked("cleanse", WHO).stage
    right = moved(WHO, face, tuple(name for name in sided(compute(WHO, face, of=of).areas) if name.startswith("right")))
    assert (face.at, right.at) == (2.5, 1.0), "4 minutes of a face and neck's 620 cm², to half a minute"
    own = face.with_settings({"minutes": 7.0})
    assert moved(WHO, own, ("chin",)).at == 7.0
    more = moved(WHO, worked("touch", WHO).stage, (), (Beyond(name="both feet", cm2=380),))
    assert compute(WHO, more, of=of).own_s == pytest.approx(3 * 15 * (362 + 380) / 100, rel=0.01)


def test_what_follows_the_visit_goes_where_it_works() -> None:
    """Opening and closing on all that the rest works, as it changes; minutes with it."""
    of = in_force(WHO, Plan())
    sound = worked("ultrasound", WHO, zones=("mid cheek", "right forehead")).stage
    finish = worked("finish", WHO).stage.model_copy(update={"id": "f", "manner": Manner(where="worked")})

    def went(*stages: Stage) -> VisitPlan:
        return visit_plan(WHO, Plan(steps=tuple(step_of(one) for one in stages), methods=of))

    plan = went(sound, finish)
    assert plan.zones["f"].keys() == {"mid cheek", "right forehead"}
    assert plan.times["f"] == 60 * 0.5, "4 minutes × 66 ÷ 620 cm²"
    assert plan.plan.stage("f").zones == (), "kept as it was said"
    wider = went(sound.model_copy(update={"zones": (*sound.zones, "under the chin")}), finish)
    assert wider.zones["f"].keys() == {"mid cheek", "right forehead", "under the chin"}
    assert len(went(finish).zones["f"]) > 10, "alone it goes everywhere"


def test_what_is_marked_when_seen_is_planned_by_its_most_and_counted_as_planned() -> None:
    """Vessels at the nose, at most 4 cm² of the crystal's 20 × 20 mm: one shot, which lies where the vessel will be."""
    step, _ = begin_step(WHO, "pulsed_light", "s1", {}, programme="pulsed_light.vessels", zones=())
    stage = step.lead
    assert (stage.how.where, stage.how.most_cm2) == ("chair", 4)
    wide = stage.model_copy(update={"zones": ("mid cheek", "upper cheek", "nose tip and wings")})
    everywhere = visit_plan(WHO, Plan(steps=(step_of(wide.model_copy(update={"manner": None})),)))
    assert everywhere.numbers["s1.shots"].known > 3
    for planned_, shots in ((wide, 1), (wide.model_copy(update={"manner": Manner(where="chair", most_cm2=9)}), 3)):
        plan = visit_plan(WHO, Plan(steps=(step_of(planned_),)), laid=True)
        act = next(act for act in plan.acts if act.kind == "pulses")
        assert plan.numbers["s1.shots"].value == shots == act.strokes
        assert act.at_most and all(not cell.ring for cell in act.cells) and act.parts
        assert "at most" in act.instruction
    assert (
        visit_plan(WHO, Plan(steps=(step_of(wide.model_copy(update={"manner": None})),))).numbers["s1.shots"].known > 3
    )


def test_less_of_what_was_marked_when_seen_is_nothing_missed() -> None:
    one = Act(kind="sections", title="Points", instruction="", seconds=60, parts=(Part(name="nose"),) * 3)
    order = order_of((one, one.model_copy(update={"at_most": True})))
    state = fold(order, run(("start", 0), ("count", 5), ("next", 20), ("count", 25), ("finish", 40)))
    missed, free = act_facts(order, state, at(50))
    assert missed.short and not free.short
    assert [(one.act, one.words) for one in differences(order, (missed, free))] == [(0, "only 1 of 3 counted")]


@pytest.mark.parametrize(
    ("zones", "feet", "added"),
    [
        (("mid cheek",), False, {}),
        (("mid cheek", "front of neck"), False, {"neck": 1.5}),
        (("front of neck",), False, {}),
        (("mid cheek", "front of neck", "knuckles"), True, {"neck": 1.5, "hands": 1.5, "both feet": 1.5}),
    ],
)
def test_an_area_more_costs_a_tenth(zones: tuple[str, ...], feet: bool, added: dict[str, float]) -> None:
    stage = worked("touch", WHO).stage
    beyond = (Beyond(name="both feet", cm2=380),) if feet else ()
    plan = visit_plan(WHO, Plan(steps=(step_of(moved(WHO, stage, zones, beyond)),)))
    price = plan.numbers["visit.price"]
    assert price.value == 15 + sum(added.values()), "15 is what massage costs"
    assert {one.name.partition(": ")[2]: one.value for one in price.inputs[1:]} == added


def test_ears_are_a_zone_of_their_own_where_product_goes_and_is_asked_for() -> None:
    """Numbed for needles at the ear; neither everywhere, nor where a machine works."""
    everywhere = worked("numbing", WHO)
    assert not {bare(zone) for zone in everywhere.areas} & {"ear"} and "lips" in everywhere.areas
    with_ears = worked("numbing", WHO, zones=("lips", "ear"))
    assert with_ears.areas.keys() == {"lips", "ear"} and with_ears.areas["ear"] > 5
    left = worked("finish", WHO, zones=("chin", "left ear"))
    assert left.areas["left ear"] == pytest.approx(with_ears.areas["ear"] / 2, rel=0.01)
    with pytest.raises(Refused):
        worked("rf_fractional", WHO, zones=("ear",))


def test_what_has_no_place_yet_is_set_as_its_strictest_zone_asks() -> None:
    """At most 4 cm² somewhere on cheek and nose bridge: bone's setting, wherever it will be."""
    stage = worked("pulsed_light", WHO, zones=("mid cheek", "nose bridge")).stage
    seen = stage.model_copy(update={"manner": Manner(where="chair", most_cm2=4)})
    plan = visit_plan(WHO, Plan(steps=(step_of(seen),)), laid=True)
    act = next(act for act in plan.acts if act.kind == "pulses")
    lower = plan.numbers[f"{stage.id}.at_bone"]
    assert {cell.set_to for cell in act.cells} == {f"{lower.text} over bone"}


def test_what_follows_the_visit_and_cannot_is_stopped_and_told() -> None:
    finish = worked("finish", WHO).stage.model_copy(
        update={"id": "f", "manner": Manner(where="worked"), "parts": (UUID(int=9),)}
    )
    sound = worked("ultrasound", WHO, zones=("mid cheek",)).stage
    plan = visit_plan(WHO, Plan(steps=(step_of(sound), step_of(finish))))
    assert "taken off the plate" in plan.stopped["f"].words
