"""What guards the client and the room along the clock: on before it is needed, off before it is in the way."""

from hypothesis import given
from hypothesis import strategies as st

from builders.chair import somebody
from builders.rows import Row, plan, row, steps
from merak.core.knowledge import about
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.guards import asked_by
from merak.core.plan.tray import to_clean, tray_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

WHO = somebody(slot=480)
CHEEK = "right mid cheek"
#: How each is said at the chair when it goes on, and when it comes off.
SAID = {
    "pads": ("Damp pads over closed eyes", "Pads off"),
    "shields": ("Opaque shields over both eyes", "Shields off"),
    "goggles": ("Goggles on everybody", "Goggles off"),
    "white": ("covered white", "White cover wiped off"),
    "metal": ("Jewellery and whatever else is metal off", "metal on again"),
}

MIXED = "led pulsed_light iontophoresis rf_bulk rf_fractional crystal mist tone mirror"


def at_the_chair(*rows: Row) -> VisitPlan:
    return visit_plan(WHO, Plan(steps=steps(*rows)))


def first_words(of: VisitPlan) -> list[str]:
    """What is said as each stage begins, before what ends it."""
    return [
        next(act.instruction for act in of.acts if act.stage == one.id).split("Enough: ")[0] for one in of.plan.stages
    ]


def test_it_is_said_once_and_off_when_eyes_are_worked_and_at_the_end() -> None:
    light, again, eyes, last = first_words(
        at_the_chair(row("led", CHEEK), row("led", "chin"), row("tone", "upper lid"), row("led", "forehead"))
    )
    assert light.startswith(("Contact lenses out. ", "Damp pads over closed eyes"))
    assert "Damp pads" in light and "Contact lenses out." in light
    assert "Damp pads" not in again and "Pads off" not in again
    assert "Pads off" in eyes and "Damp pads" in last and "lenses" not in last, "lenses stay out"
    whole = at_the_chair(row("led", CHEEK))
    assert "Pads off" in whole.acts[-1].instruction, "nobody leaves with them"


def test_shields_do_the_work_of_pads_and_are_off_before_a_current() -> None:
    lamp, light, current, crystal = first_words(
        at_the_chair(row("pulsed_light", CHEEK), row("led", "chin"), row("iontophoresis", "chin"), row("led", "chin"))
    )
    assert "Opaque shields" in lamp and "Goggles on" in lamp and "covered white" in lamp
    assert "Goggles off" in light and "White cover wiped off" in light and "Damp pads" not in light
    assert "Shields off" in current and "metal off" in current
    assert "Damp pads" in crystal


def test_opaque_shields_give_way_to_pads_under_pins_that_carry_radiofrequency() -> None:
    _, pins = first_words(at_the_chair(row("pulsed_light", CHEEK), row("rf_fractional", "chin")))
    assert "Shields off" in pins and "Damp pads" in pins


def test_pads_stay_where_nothing_is_in_their_way_and_eyes_open_for_the_mirror() -> None:
    _, current, mirror = first_words(at_the_chair(row("led", CHEEK), row("iontophoresis", CHEEK), row("mirror", CHEEK)))
    assert "Pads off" not in current and "Pads off" in mirror


def test_what_asks_for_a_guard_does_not_run_beside_what_has_to_be_clear_of_it() -> None:
    mask, light, mirror = steps(row("mask", CHEEK), row("led", CHEEK), row("photograph", CHEEK))
    clear = visit_plan(WHO, Plan(steps=(mask, light.model_copy(update={"beside": mask.id}))), chair=False)
    assert not [one for one in clear.clashes if one.kind == "guard"]
    hosted = Plan(steps=(light, mirror.model_copy(update={"beside": light.id})))
    (clash,) = (one for one in visit_plan(WHO, hosted, chair=False).clashes if one.kind == "guard")
    assert clash.absolute and clash.rule == "guard.pads" and set(clash.steps) == {light.id, mirror.id}
    assert clash.words.startswith("Light-emitting panel asks for eye pads, which Photograph beside it")


def test_what_is_worn_lies_ready() -> None:
    ready = tray_of(WHO, plan(row("pulsed_light", CHEEK), row("led", CHEEK)))
    lines = {one.what: one.for_ for one in ready.protection}
    assert "opaque eye shields" in lines and lines["eye pads, and the tape that holds them"] == (about()["led"].title,)


@given(
    st.lists(
        st.sampled_from([*(row(name, "chin") for name in MIXED.split()), row("tone", "upper lid")]),
        min_size=1,
        max_size=7,
    )
)
def test_a_reader_of_the_chair_never_meets_open_eyes(rows: list[Row]) -> None:
    """Who does as the chair says, act by act, has on what each work asks for and nothing that is in its way."""
    found = at_the_chair(*rows)
    worn: set[str] = set()
    for stage, words in zip(found.plan.stages, first_words(found), strict=True):
        for guard, (on, off) in SAID.items():
            worn -= {guard} if off in words else set()
            worn |= {guard} if on in words else set()
        asked = {one.guard for one in asked_by(stage.modality)} & SAID.keys()
        assert asked - {"pads"} <= worn, (stage.modality, words)
        assert "pads" not in asked or worn & {"pads", "shields"}
        assert "metal" not in asked or "shields" not in worn
        assert stage.modality != "mirror" or not worn & {"pads", "shields"}
        assert stage.zones != ("upper lid",) or not worn & {"pads", "shields"}
        assert asked & {"goggles"} or "goggles" not in worn
    last = found.acts[-1].instruction
    assert all(SAID[guard][1] in last for guard in worn - {"metal"})


def test_whatever_touches_skin_is_cleaned_and_a_panel_is_not() -> None:
    machines = [name for name, of in MODALITIES.items() if of.CARD and name != "muscle_stimulation"]
    for name in machines:
        found = at_the_chair(row(name))
        (key,) = [one.machine for one in found.plan.stages]
        card = WHO.machine(name, key)
        assert card
        said = f"Then clean: {card.card.name}." in found.acts[-1].instruction
        assert said == (name != "led") == bool(to_clean(WHO, found.plan.stages)), name
