"""Areas that no plate draws: a name and a size, for what is laid all over; never counted, never aimed at."""

from typing import Any

import pytest
from pydantic import ValidationError

from builders.chair import as_step, somebody
from merak.core.errors import Refused
from merak.core.knowledge import about
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.order import own_acts
from merak.core.plan.routine import fitted_steps, routine_of
from merak.core.plan.stage import Beyond, Stage, Worked, begin, compute
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, in_force

FEET = Beyond(name="feet", cm2=380)
WHO = somebody()
OF = in_force(WHO, Plan())


def stage_with(modality: str, *beyond: Beyond, zones: tuple[str, ...] = ()) -> Stage:
    stage = begin(WHO, modality, "s1", OF)
    return stage.model_copy(update={"beyond": beyond, "zones": zones})


def worked(*given: Any, **more: Any) -> Worked:
    return compute(WHO, stage_with(*given, **more), of=OF)


def test_its_size_adds_to_what_is_laid_and_the_plates_stay_what_they_are() -> None:
    """An enzyme over the face and the feet: so much more of it."""
    alone, both, feet = worked("enzyme"), worked("enzyme", FEET), worked("enzyme", FEET, zones=("feet",))
    assert both.areas == alone.areas | {"feet": 380} and feet.areas == {"feet": 380}
    back = worked("oxygen_airbrush", Beyond(name="back", cm2=1500), zones=("back",))
    assert back.areas == {"back": 1500} and back.seconds > 0


def test_at_the_chair_it_is_named_and_nothing_of_it_is_counted() -> None:
    for modality in sorted(name for name in MODALITIES if about()[name].beyond):
        for zones, words in (((), "Everywhere, feet"), (("feet",), "Feet"), (("chin", "feet"), "Chin, feet")):
            one = worked(modality, FEET, zones=zones)
            acts = own_acts(WHO, as_step(WHO, one), "right", OF, True)
            assert any(words in act.instruction for act in acts), (modality, [act.instruction for act in acts])
            assert all("feet" not in part.name for act in acts for part in act.parts)
            if zones == ("feet",):
                assert all(not any(act.wanted) for act in acts if act.modality), modality


@pytest.mark.parametrize("modality", sorted(name for name in MODALITIES if not about()[name].beyond))
def test_what_aims_or_counts_stays_on_the_plates(modality: str) -> None:
    if about()[modality].licence == "physician":
        return
    stage = Stage(id="s1", modality=modality, beyond=(FEET,)).model_copy(
        update={"settings": begin(WHO, modality, "s1", OF).settings}
    )
    with pytest.raises(Refused, match="is worked on what a plate draws alone") as stop:
        compute(WHO, stage, of=OF)
    assert stop.value.rule == "plan.closed_zones"


@pytest.mark.parametrize(
    ("name", "cm2"),
    [("", 300), ("x", 300), ("feet", 0), ("feet", 6001), ("feet", float("nan")), ("chin", 20), ("y" * 41, 9)],
)
def test_what_cannot_be_an_area_is_none(name: str, cm2: float) -> None:
    """Nothing that a plate draws under another name, nothing larger than a back, nothing without one."""
    with pytest.raises(ValidationError):
        Beyond(name=name, cm2=cm2)


def test_a_routine_keeps_it() -> None:
    plan = Plan(steps=(step_of(stage_with("enzyme", FEET, zones=("chin", "feet"))),))
    kept = routine_of(WHO, plan, "Feet too")
    (step,), left = fitted_steps(WHO, kept.steps, OF)
    assert not left and step.lead.beyond == (FEET,) and step.lead.zones == ("chin", "feet")
