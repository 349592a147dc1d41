"""What each step at the chair says and minds: how it is done, what the school says, what ends it, how often to ask."""

from math import pi
from typing import Any
from uuid import UUID

import pytest

from builders.briefs import TODAY, machines
from builders.chair import acts, as_step, somebody, worked
from builders.machines import UNMEASURED, machine
from merak.core.acts import Act, Span
from merak.core.body.marks import Mark
from merak.core.body.plate import plate
from merak.core.client import Findings, Measures
from merak.core.dose.thermal import heating_rate_c_s
from merak.core.modality.device import CardTip
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine
from merak.core.plan.order import chair_acts, own_acts, spot_rule
from merak.core.plan.stage import Worked
from merak.core.plan.step import begin_step, compute_step, step_of
from merak.core.plan.visit_plan import Plan, in_force
from merak.core.spots import SpotRule


def words(*given: Any, **more: Any) -> list[str]:
    return [act.instruction for act in acts(*given, **more)]


def test_making_ready_says_how_and_the_work_says_what_the_school_says() -> None:
    """Neither is told in place of the other: the fire, the shields and the gloves stand where they are minded."""
    ready, work = words("rf_fractional")
    assert "Alcohol fully evaporated from skin and tip before energy: fire." in ready
    assert ready.endswith("Step 10 ms or 1 W at a time, never more than 20 % energy."), "the machine is set before it"
    assert work.startswith("Dots through a template, a tip corner on each dot;")
    assert work.endswith("Enough: mild to moderate redness or swelling, bearable.")
    assert "Opaque shields on the client" in words("pulsed_light")[0] and "One pass." in words("pulsed_light")[0]
    on, waits = words("peel")
    assert on.startswith("Gloves;") and waits.startswith("Never needles and acids on one day")
    assert "disinfected gloves" in words("micro_needling")[0] and "Start at 0.25 mm" in words("micro_needling")[1]
    # Nothing is made ready: both in one.
    (hands,) = words("touch")
    assert hands == "Upward and outward. Three to five strokes a line; temples, forehead. No massage on acne. " + (
        "Enough: softer muscles, less puffiness."
    )
    (finish,) = words("finish")
    assert "SPF 30" in finish and "Tonic, serum" in finish
    assert words("galvanic_softening")[1].startswith("Ramp up and down"), "no school: how it is done stands there too"


def test_zones_are_named_where_it_goes_on_some_and_not_where_it_goes_everywhere() -> None:
    assert words("extract", zones=("mid cheek", "chin"))[0].startswith("Mid cheek, chin. Fingers wrapped")
    assert words("extract")[0].startswith("Fingers wrapped")
    assert all(one.startswith("Mid cheek. ") for one in words("iontophoresis", zones=("mid cheek",)))


@pytest.mark.parametrize(
    ("modality", "on", "waits", "over"),
    [
        ("numbing", "Numbing on", "Numbing cream works", "Cream off now: wipe, then clean."),
        ("mask", "Mask on", "Mask", "Mask off."),
        ("enzyme", "Enzyme or granular mask on", "Enzyme works", "Off now, with cool water."),
        ("peel", "Peel on", "Acid works", "Neutralise now."),
    ],
)
def test_what_is_left_to_work(modality: str, on: str, waits: str, over: str) -> None:
    first, second = acts(modality)
    assert (first.title, first.kind, first.modality) == (on, "free", ""), "no energy yet"
    assert (second.title, second.kind, second.over, second.keeps) == (waits, "timed", over, True)


@pytest.mark.parametrize(
    ("modality", "ready", "over"),
    [
        ("ultrasound", True, "Head off."),
        ("spatula", True, "Spatula off."),
        ("oxygen_jet", True, "Air off."),
        ("cold", True, "Head off."),
        ("touch", False, ""),
        ("diamond", True, ""),
        ("crystal", True, "Machine off. Brush off, look for red and dry patches."),
    ],
)
def test_what_is_gone_over_section_by_section(modality: str, ready: bool, over: str) -> None:
    found = acts(modality)
    assert len(found) == 1 + ready and found[-1].over == over and found[-1].strict == bool(over)
    if ready:
        assert found[0].title.endswith(": make ready") and found[0].dials == ()


def test_each_bottle_of_the_wet_tip() -> None:
    """Acid and peel rinse off and are asked for every minute; the infusion has its own suction and its own words."""
    kinds = ("acid", "peel", "salicylic", "booster", "infuse")
    found = [acts("wet_abrasion", kind=kind)[1] for kind in kinds]
    assert [(one.title, one.over, one.portion, one.ask_s) for one in found] == [
        ("Acid cleanse", "Off with the acid: on to the next bottle.", "wet.acid", 60),
        ("Peel", "Rinse now.", "wet.acid", 60),
        ("Salicylic extraction", "On to the next bottle.", "wet.clean", 120),
        ("Booster", "On to the next bottle.", "wet.clean", 120),
        ("Infusion", "Press, massage the rest in.", "wet.infuse", 120),
    ]
    congested = [one.instruction.startswith("Congested and porous places, not pustules.") for one in found]
    assert congested == [False, False, True, False, False]
    assert found[-1].instruction == "Tip flat along the lines, press; more liquid."


def in_one_step(*stages: Worked) -> tuple[Act, ...]:
    """The acts of several stages of one step, what is made ready once made ready with the first."""
    own = [one.stage.model_copy(update={"id": f"s{n}"}) for n, one in enumerate(stages)]
    return own_acts(somebody(), compute_step(somebody(), step_of(*own)), "right", {}, laid=False)


def test_the_tip_is_made_ready_once() -> None:
    found = in_one_step(*(worked("wet_abrasion", somebody(), kind=kind) for kind in ("acid", "infuse")))
    assert [one.title for one in found] == ["Wet tip: make ready", "Acid cleanse", "Infusion"]
    assert [one.stage for one in found] == ["s0", "s0", "s1"] and {one.step for one in found} == {"s0"}


def test_the_panel_is_changed_over_between_colours_and_says_how_it_is_pulsed() -> None:
    _, first, then = in_one_step(*(worked("led", somebody(), colour=colour) for colour in ("red", "blue")))
    assert first.title == "Red light" and first.instruction == "Panel at 10 cm, bare skin."
    assert then.title == "Blue light" and then.instruction.startswith("Change the panel over. Panel at 10 cm")
    (pulsed,) = acts("led", duty_percent=50)[1:]
    assert pulsed.instruction.endswith(" Pulsed, on 50 % of the time.")


def test_the_bands_are_moved_from_front_to_back() -> None:
    _, front, back = acts("muscle_stimulation")
    assert front.instruction == "Raise by comfort, never past it."
    assert back.instruction == "Down to zero, move the bands, raise again by comfort."


@pytest.mark.parametrize(
    ("modality", "every", "asked"),
    [
        ("cleanse", 0, ()),
        ("finish", 0, ()),
        ("extract", 0, ()),
        ("touch", 120, ("pain",)),
        ("microcurrent", 120, ("pain",)),
        ("led", 300, ("pain",)),
        ("mask", 300, ("pain",)),
        ("enzyme", 60, ("pain",)),
        ("peel", 60, ("pain",)),
        ("oxygen_mask", 60, ("pain",)),
        ("rf_bulk", 30, ("heat", "pain")),
        ("rf_fractional", 30, ("heat", "pain")),
        ("focused_lifting", 30, ("heat", "pain")),
        ("pulsed_light", 30, ("heat", "pain")),
    ],
)
def test_how_often_and_for_what_is_asked(modality: str, every: int, asked: tuple[str, ...]) -> None:
    """Heat every 30 seconds, acids every minute, light and masks every five, all else every two."""
    at_work = [one for one in acts(modality) if one.modality and one.kind != "free"] or list(acts(modality))
    assert {(one.ask_s, one.asks) for one in at_work if not one.mirror} == {(every, asked)}
    assert all(one.ask_s == 0 for one in acts(modality) if not one.modality)


def test_a_spot_is_asked_for_like_the_whole() -> None:
    (placed,) = acts("pulsed_light", who=somebody(history={}))
    assert placed.kind == "free" and placed.title == "Test spot: pulsed light" and placed.ask_s == 30
    assert placed.only_spot and not acts("rf_fractional")[1].only_spot and not acts("cleanse")[0].only_spot


def test_who_may_is_named_at_the_chair() -> None:
    named = {name: acts(name)[-1].licence for name in ("rf_fractional", "pulsed_light", "focused_lifting")}
    assert named == {"rf_fractional": "fractional", "pulsed_light": "pulsed light", "focused_lifting": "focused"}
    assert {acts(name)[-1].licence for name in ("micro_needling", "microcurrent", "peel", "led", "touch")} == {""}


def test_what_the_machine_is_set_to_is_told_in_its_own_scale() -> None:
    assert acts("microcurrent")[1].dials == (("set to", 3.0, "level"),)
    assert acts("rf_fractional")[1].dials == (("set to", 3.0, "W"),)
    assert acts("led")[1].dials == () and acts("led")[1].machine == "", "a panel is not set, it is placed"
    assert acts("touch")[0].dials == acts("mask")[1].dials == ()
    assert acts("oxygen_airbrush")[2].dials == (("set to", 1.7, "bar"),), "not 1.7000000000000002"
    bare = somebody(machines=machines(lift=UNMEASURED))
    assert acts("microcurrent", who=bare)[1].dials == (("set to", 3.0, "level"),)


def test_the_lift_is_held_only_by_the_still_probe() -> None:
    held = acts("microcurrent")[1]
    assert held.hold_s == 3
    assert acts("microcurrent", technique="paired strokes")[1].hold_s == 0
    sides = [(one.title, one.mirror) for one in acts("microcurrent")[1:]]
    assert sides == [("Lift, right", False), ("Mirror", True), ("Lift, left", False)]


def test_bulk_heat_goes_half_by_half_with_what_it_may_reach() -> None:
    """40 to 42 °C, stop at 43; a dwell of 3 s; warn from 2 and stop at 10 equivalent minutes."""
    one = worked("rf_bulk", somebody())
    found = acts("rf_bulk", laid=True)
    right, mirror, left = found[1:]
    assert [act.title for act in found[1:]] == ["Bulk radiofrequency, right", "Mirror", "Bulk radiofrequency, left"]
    assert mirror.mirror and right.parts and left.parts
    assert all(part.name.startswith("right") for part in right.parts)
    assert not any(part.name.startswith("right") for part in left.parts)
    assert right.seconds + left.seconds == pytest.approx(one.own_s, abs=2)
    assert mirror.seconds == one.turn_s == 60, "the mirror has a time of its own"
    share = sum(part.cm2 for part in right.parts) / sum(part.cm2 for part in (*right.parts, *left.parts))
    assert right.seconds == pytest.approx(one.own_s * share, abs=1)
    heat = right.heat
    assert heat is not None and heat == left.heat
    assert (heat.low_c, heat.high_c, heat.stop_c, heat.dwell_s, heat.warn_min, heat.stop_min) == (40, 42, 43, 3, 2, 10)
    assert heat.rate_c_s == pytest.approx(one.dose.numbers["rate"].value)
    assert heat.deeper_c == pytest.approx((one.dose.numbers["peak"].value or 0) - 41)
    assert "Hold at 41 °C." in right.instruction


def test_bulk_heat_by_a_machine_that_was_not_measured_is_taken_to_warm_quickly() -> None:
    """4 °C a second, as 28 W under 20 mm do (0.7 absorbed, over 4 mm): at 41 °C the tip stays for half a second."""
    bare = somebody(machines=(Machine(id="b", card=machine("rf_bulk", calibration=())),))
    heat = acts("rf_bulk", who=bare)[1].heat
    assert heat is not None and heat.rate_c_s == 4.0 and heat.deeper_c == 0.0
    assert heating_rate_c_s(28, pi, 4, 0.7) == pytest.approx(4.0, rel=0.02)
    told = worked("rf_bulk", bare).dose.numbers
    assert told["dwell_41"].value == pytest.approx(0.5) and told["pass"].value is None, "a dose nobody knows is told so"


def test_before_it_is_laid_the_halves_share_the_time() -> None:
    right, _, left = acts("rf_bulk")[1:]
    assert right.seconds == left.seconds == round(worked("rf_bulk", somebody()).own_s / 2)
    assert [part.name for part in (*right.parts, *left.parts)] == ["right", "other side"]


def test_powder_goes_round_and_everything_else_cheeks_first() -> None:
    """Sections anticlockwise for crystals."""
    powder, sound = ([part.name for part in acts(name, laid=True)[1].parts] for name in ("crystal", "ultrasound"))
    assert set(powder) == set(sound) and powder != sound and "cheek" in sound[0] and "cheek" in sound[1]


def test_bulk_heat_on_one_side_has_no_mirror() -> None:
    """Where the other side stays out nothing stands against anything: one half, all of the time."""
    left, low, right, high = plate(Measures()).zones["left", "nose bridge"].bounds
    box = ((left, low), (right, low), (right, high), (left, high))
    out = Mark(id=UUID(int=1), plate="face", kind="stay-out", shape="area", points=box, on=TODAY)
    whole, half = somebody(), somebody(marks=(out,))
    both, alone = (acts("rf_bulk", laid=True, who=who, zones=("nose bridge",)) for who in (whole, half))
    assert [act.mirror for act in both[1:]] == [False, True, False]
    (only,) = alone[1:]
    assert only.title == "Bulk radiofrequency" and [part.name for part in only.parts] == ["right nose bridge"]
    assert only.seconds == round(worked("rf_bulk", half, zones=("nose bridge",)).own_s)


def test_footprints_are_laid_with_the_tip_that_is_set_and_wiped_when_due() -> None:
    small = CardTip(name="small", across_mm=8, down_mm=8)
    large = CardTip(name="large", across_mm=16, down_mm=16)
    who = somebody(machines=(Machine(id="b", card=machine("pulsed_light", tips=(small, large))),))
    counts = {tip: len(acts("pulsed_light", laid=True, who=who, tip=tip)[1].cells) for tip in ("small", "large")}
    assert counts["small"] > 2 * counts["large"]
    assert len(acts("pulsed_light", who=who)[1].cells) == 1, "laid when the treatment begins"
    assert acts("rf_fractional")[1].clean_every == 50 and acts("pulsed_light")[1].clean_every == 0


def span(step: str, track: Any, start_s: int, seconds: int) -> Span:
    return Span(step=step, title=step, modality="tone", track=track, start_s=start_s, seconds=seconds)


def test_a_guest_belongs_to_the_host_in_whose_time_it_begins() -> None:
    """From the host's first second up to, and without, its last."""
    who = somebody()
    of = in_force(who, Plan())
    steps = {name: compute_step(who, begin_step(who, kind, name, of)[0], of=of) for name, kind in
             (("mask", "mask"), ("light", "led"), ("end", "finish"))}  # fmt: skip
    for start_s, beside in ((0, 1), (1019, 1), (1020, None)):
        spans = [span("mask", 0, 0, 1020), span("end", 0, 1020, 240), span("light", 1, start_s, 660)]
        found = chair_acts(who, steps, spans, "right", of)
        light = [n for n, act in enumerate(found) if act.step == "light"]
        end = next(n for n, act in enumerate(found) if act.step == "end")
        assert {found[n].beside for n in light} == {beside if beside is not None else end}, start_s
        assert (light[0] > end) == (beside is None)


def rule_of(modality: str, laid: bool = True, who: Brief | None = None, **settings: Any) -> SpotRule | None:
    who = who or somebody()
    return spot_rule(who, worked(modality, who, **settings), laid)


def test_the_spot_of_each() -> None:
    """Fractional in the same visit after 5 minutes; pulsed light after a day, two for a dark skin; acids after two."""
    assert rule_of("pulsed_light") is None, "it was done before"
    assert rule_of("microcurrent") is None
    same = rule_of("rf_fractional")
    assert same and (same.same_visit, same.wait_s, same.unit, same.at, same.down) == (True, 300, "W", 3, 2)
    assert same.numbed and same.minds and same.rule == "rf_fractional.spot" and (same.severe, same.pain_stop) == (3, 7)
    new = somebody(history={})
    light, acid = rule_of("pulsed_light", who=new), rule_of("peel", who=new)
    assert light and (light.same_visit, light.unit, light.numbed, light.minds) == (False, "J/cm²", False, "")
    assert light.rule == "pulsed_light.spot" and acid and acid.rule == "acid.spot" and acid.unit == "min"
    assert light.wait_s % 3600 == 0 and acid.wait_s % 3600 == 0
    dark = somebody(history={}, findings=Findings(phototype=4))
    assert (other := rule_of("pulsed_light", who=dark)) and other.rule == "pulsed_light.spot.dark"
    assert (fair := rule_of("pulsed_light", who=somebody(history={}, findings=Findings(phototype=3)))) and (
        fair.rule == "pulsed_light.spot"
    )


def test_a_spot_of_its_own_knows_its_next_step_before_it_is_laid() -> None:
    """Nothing of it is laid on the plate, so nothing has to wait for that."""
    new = somebody(history={})
    (act,) = own_acts(new, as_step(new, worked("peel", new)), "right", {}, laid=False)
    assert act.spot and (act.spot.up is not None or act.spot.why_not)


def test_at_the_gentlest_there_is_nothing_below() -> None:
    least = rule_of("rf_fractional", at=1)
    assert least and least.down is None


def test_a_step_up_is_a_fifth_of_the_energy_at_most_and_ends_with_the_scale() -> None:
    """From 3 W one more is a third; from 5 W just a fifth; 20 W is the end of the scale."""
    third, fifth, end = (rule_of("rf_fractional", at=at) for at in (3, 5, 20))
    assert third and third.up is None and "33 % more energy; a fifth is the most" in third.why_not
    assert fifth and fifth.up == 6 and fifth.why_not == ""
    assert end and end.up is None and end.why_not == "The scale ends here."
    later = rule_of("rf_fractional", laid=False, at=5)
    assert later and later.up is None and later.why_not == "", "worked out when the treatment begins"
