"""The skin along the clock in plans: what is refused with its reason, what is missing and how it is put right."""

from datetime import date, timedelta
from itertools import count

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from builders.briefs import TODAY, plan_of
from builders.chair import somebody, worked
from builders.rows import WASHED, Row, plan, row, steps, told
from merak.core.body.plate import sided
from merak.core.errors import BadInput, Refused
from merak.core.modality.before import Before
from merak.core.plan.brief import Brief
from merak.core.plan.fitting import Clash
from merak.core.plan.mending import put_right
from merak.core.plan.screening import Answer
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, visit_plan

WHO = WASHED
CHEEK, NOSE, BROW = "right mid cheek", "nose tip and wings", "forehead"
WIDE = (CHEEK, "left mid cheek")
#: What nobody should do, by hand: in which order, and what forbids it.
UNSAFE: dict[str, tuple[tuple[Row, ...], str]] = {
    "diamond on wet skin": ((row("tone", CHEEK), row("diamond", CHEEK)), "skin.dry"),
    "crystals on misted skin": ((row("dry", CHEEK), row("mist", CHEEK), row("crystal", CHEEK)), "skin.dry"),
    "numbing cream on damp skin": ((row("wash", CHEEK), row("numbing", CHEEK)), "skin.dry"),
    "airbrush gel on wet skin": ((row("tone"), row("oxygen_airbrush")), "skin.dry"),
    "needles before antisepsis": ((row("micro_needling", CHEEK), row("antisepsis", CHEEK)), "skin.clean"),
    "nano after bare hands": ((row("antisepsis", CHEEK), row("touch", CHEEK), row("nano", CHEEK)), "skin.clean"),
    "pins after gauze that is not sterile": (
        (row("antisepsis", CHEEK), row("dry", CHEEK), row("rf_fractional", CHEEK)), "skin.clean",
    ),
    "needles where only the other cheek was disinfected": (
        (row("antisepsis", "left mid cheek"), row("micro_needling", *WIDE)), "skin.clean",
    ),
    "force on plugs that are not soft": ((row("extract", NOSE),), "skin.soft"),
    "plugs of the nose after a softened forehead": ((row("soften", BROW), row("extract", NOSE)), "skin.soft"),
    "work over the finish": ((row("finish"), row("microcurrent")), "skin.clean"),
    "heat over numb skin": ((row("dry"), row("numbing", CHEEK), row("rf_bulk", CHEEK)), "skin.numb"),
    "current over numb skin": ((row("numbing", CHEEK), row("iontophoresis", CHEEK)), "skin.numb"),
    "a cold head over numb skin": ((row("numbing", CHEEK), row("cold", CHEEK)), "skin.numb"),
    "sound over numb skin": ((row("numbing", CHEEK), row("ultrasound", CHEEK)), "skin.numb"),
    "an acid that nobody feels": ((row("numbing", CHEEK), row("peel", CHEEK)), "skin.numb"),
    "a warm towel over numb skin": ((row("numbing", CHEEK), row("towel", CHEEK, warmth="warm")), "skin.numb"),
    "current on a peeled zone": ((row("peel", CHEEK), row("iontophoresis", CHEEK)), "skin.thinned"),
    "heat on abraded skin": ((row("wet_abrasion", CHEEK), row("rf_bulk", CHEEK)), "skin.thinned"),
    "steam on abraded skin": ((row("dry"), row("diamond", CHEEK), row("soften", CHEEK)), "skin.thinned"),
    "numbing cream on abraded skin": ((row("wet_abrasion", CHEEK), row("numbing", CHEEK)), "skin.thinned"),
    "nano over dry abrasion": ((row("diamond", CHEEK), row("nano", CHEEK)), "skin.thinned"),
    "deeper needles after an enzyme": (
        (row("enzyme", CHEEK), row("micro_needling", CHEEK, depth_mm=0.5)), "skin.thinned",
    ),
    "the lamp after an enzyme": ((row("enzyme", CHEEK), row("pulsed_light", CHEEK)), "skin.thinned"),
    "focused lines after a buff": ((row("enzyme", CHEEK), row("focused_lifting", CHEEK)), "skin.thinned"),
    "alcohol on a peel": ((row("peel", CHEEK), row("alcohol", CHEEK)), "skin.thinned"),
    "current on extracted points": ((row("extract", NOSE), row("iontophoresis", NOSE)), "skin.extracted"),
    "acid into extracted points": ((row("extract", NOSE), row("peel", NOSE)), "skin.extracted"),
    "needles into extracted points": ((row("extract", NOSE), row("nano", NOSE)), "skin.extracted"),
    "numbing cream into extracted points": ((row("extract", NOSE), row("numbing", NOSE)), "skin.extracted"),
    "a wash after needles": ((row("micro_needling", CHEEK), row("wash", CHEEK)), "skin.opened"),
    "a mask from a bowl over channels": (
        (row("micro_needling", CHEEK), row("mask", CHEEK, manner={"product": "mask"})), "skin.opened",
    ),
    "a cold head on unsterile gel over channels": (
        (row("micro_needling", CHEEK), row("cold", CHEEK, manner={"product": "gel"})), "skin.opened",
    ),
    "sun protection over channels": (
        (row("micro_needling", CHEEK), row("finish", CHEEK, manner={"product": "sun protection"})), "skin.opened",
    ),
    "needles through unsterile serum": (
        (row("antisepsis", CHEEK), row("micro_needling", CHEEK, manner={"product": "serum"})), "product.sterile",
    ),
    "needles through what nobody knows": (
        (row("antisepsis", CHEEK), row("nano", CHEEK, manner={"product": "serum from home"})), "product.sterile",
    ),
    "current through a rich cream": ((row("iontophoresis", CHEEK, manner={"product": "cream"}),), "product.through"),
    "sound through a mask": ((row("ultrasound", CHEEK, manner={"product": "mask"}),), "product.through"),
    "the lamp through a gliding cream": (
        (row("pulsed_light", CHEEK, manner={"product": "gliding cream"}),), "product.through",
    ),
    "cold on skin that is only wet": ((row("cold", CHEEK, manner={"product": "sterile saline"}),), "product.bare"),
    "light on vitamin A": ((row("led", CHEEK, manner={"product": "vitamin A product"}),), "product.light"),
    "an acid that stays on": (
        (row("peel", CHEEK, manner={"product": "acid", "off": "stays on"}),), "product.off",
    ),
    "a foam that nothing brings back": ((row("oxygen_mask", manner={"product": "oxygen foam"}),), "product.ph"),
    "lye that nothing brings back": ((row("galvanic_softening", NOSE),), "product.ph"),
    "a foam that waits past its life": (
        (row("oxygen_mask", manner={"product": "oxygen foam + neutraliser", "wait_min": 5}),), "product.life",
    ),
    "unsterile serum after a nano edge": ((row("nano", CHEEK), row("ultrasound", CHEEK)), "skin.opened"),
    "current after nano": ((row("nano", CHEEK), row("iontophoresis", CHEEK)), "skin.opened"),
    "massage after pins": ((row("rf_fractional", CHEEK), row("touch", CHEEK)), "skin.opened"),
    "abrasion of hot skin": ((row("rf_bulk", CHEEK), row("wet_abrasion", CHEEK)), "skin.heated"),
    "extraction of hot skin": ((row("rf_bulk", CHEEK), row("extract", CHEEK)), "skin.heated"),
    "needles in hot skin": ((row("rf_bulk", CHEEK), row("micro_needling", CHEEK)), "skin.heated"),
    "steam after heat": ((row("rf_bulk", CHEEK), row("soften", CHEEK)), "skin.heated"),
    "a warm towel after the lamp": ((row("pulsed_light", CHEEK), row("towel", CHEEK, warmth="warm")), "skin.lit"),
    "extraction after the lamp": ((row("pulsed_light", CHEEK), row("extract", CHEEK)), "skin.lit"),
    "heat after cold": ((row("cold", CHEEK), row("rf_bulk", CHEEK)), "skin.calmed"),
    "steam after the airbrush": ((row("oxygen_airbrush"), row("soften")), "skin.calmed"),
    "a warm towel after cold": ((row("cold", CHEEK), row("towel", CHEEK, warmth="warm")), "skin.calmed"),
}  # fmt: skip


@pytest.mark.parametrize("name", UNSAFE)
def test_what_nobody_should_do_is_refused_with_its_reason(name: str) -> None:
    rows, rule = UNSAFE[name]
    found = plan(*rows)
    assert rule in {one.rule for one in told(found)} and not found.startable


#: What was refused for no reason that protects, and what the careful variant is.
SAFE: dict[str, tuple[Row, ...]] = {
    "a second cleanse after work": (row("wet_abrasion", CHEEK), row("cleanse"), row("mask")),
    "a mask and a blade before needles": (
        row("enzyme", CHEEK), row("spatula", CHEEK), row("wash", CHEEK), row("antisepsis", CHEEK), row("nano", CHEEK),
    ),
    "massage between wet stages": (row("wet_abrasion", CHEEK), row("touch", CHEEK), row("oxygen_jet", CHEEK)),
    "calming after pins": (
        row("dry"), row("numbing", CHEEK), row("antisepsis", CHEEK), row("micro_needling", CHEEK), row("saline", CHEEK),
        row("led"), row("finish"),
    ),
    "lift and heat before nano": (
        row("rf_bulk", BROW), row("iontophoresis", CHEEK), row("antisepsis", CHEEK), row("nano", CHEEK),
    ),
    "steam, plugs, and a lift beside them": (
        row("soften", NOSE), row("extract", NOSE), row("iontophoresis", CHEEK),
    ),
    "plugs that come easily": (row("extract", NOSE, what="what comes easily"),),
    "wet skin dried before diamond": (row("tone", CHEEK), row("dry", CHEEK), row("diamond", CHEEK)),
    "cold after heat": (row("rf_bulk", CHEEK), row("cold", CHEEK)),
    "a lukewarm towel after cold": (row("cold", CHEEK), row("towel", CHEEK)),
    "cold and a sterile sheet over fine edges": (
        row("antisepsis", CHEEK), row("nano", CHEEK), row("saline", CHEEK), row("cold", CHEEK),
        row("mask", CHEEK), row("finish", CHEEK),
    ),
    "lye brought back by a tonic": (row("galvanic_softening", NOSE), row("tone", NOSE)),
    "an acid and its neutraliser": (row("peel", CHEEK, manner={"product": "acid + neutraliser"}),),
}  # fmt: skip


@pytest.mark.parametrize("name", SAFE)
def test_what_protects_nobody_is_not_refused(name: str) -> None:
    assert told(plan(*SAFE[name])) == []


def test_what_is_missing_is_told_with_what_became_of_it() -> None:
    (wet,) = told(plan(row("dry", CHEEK), row("tone", CHEEK), row("diamond", CHEEK)))
    assert wet.words.startswith("Diamond abrasion asks for dry skin: no longer since Tone at 0:0")
    assert (wet.kind, wet.stage, wet.mend, wet.action) == ("need", "s2", "dry", "Dry first.")
    (never,) = told(plan(row("extract", NOSE)))
    assert never.words.startswith("Extract asks for softened skin: nothing before it makes it so.")
    (half,) = told(plan(row("antisepsis", "left mid cheek"), row("nano", *WIDE)))
    assert half.words.startswith("Nano needling asks for disinfected skin on right mid cheek: nothing")
    assert half.absolute, "nobody's word stands for antisepsis"
    (hot,) = told(plan(row("cold", CHEEK), row("rf_bulk", CHEEK)))
    assert hot.words.startswith("Bulk radiofrequency: its skin calmed at 0:0") and "by Cold head" in hot.words
    assert hot.action == "Put Bulk radiofrequency before Cold head, or off that skin."


def test_pins_are_set_where_it_is_numb_and_nowhere_else() -> None:
    """Cream on one cheek numbs that cheek; it is a step of its own, so that no key puts it in between."""
    rows = (row("dry"), row("numbing", CHEEK), row("antisepsis", *WIDE))
    (bare,) = told(plan(*rows, row("micro_needling", *WIDE)))
    assert (bare.rule, bare.kind, bare.mend, bare.action) == ("skin.numbed", "need", "", "Numbing first.")
    assert "on left mid cheek" in bare.words
    assert told(plan(*rows, row("micro_needling", CHEEK))) == []
    without = somebody(slot=480, methods={"numbing": "none"})
    assert told(plan(row("antisepsis", CHEEK), row("micro_needling", CHEEK), who=without)) == []


def test_what_is_missing_is_told_once_where_it_begins() -> None:
    found = told(plan(row("touch"), row("cold"), row("mask"), who=somebody(arrived="made up")))
    assert [(one.stage, one.mend) for one in found] == [("s0", "wash")]


def test_how_skin_arrives_is_what_counts_at_first() -> None:
    for arrived, missing in (("", ["wash"]), ("made up", ["wash"]), ("washed", [])):
        found = plan(row("microcurrent"), who=somebody(arrived=arrived))
        assert [one.mend for one in told(found)] == missing
    assert told(plan(row("cleanse"), row("microcurrent"), who=somebody(arrived="made up"))) == []


def test_what_an_earlier_visit_left_holds_for_its_hours() -> None:
    def after(days: int) -> list[Clash]:
        who = somebody(history={"crystal": Before(on=TODAY - timedelta(days=days))}, slot=480)
        return told(plan(row("iontophoresis", CHEEK), who=who))

    (soon,) = after(2)
    assert soon.kind == "earlier" and soon.rule == "skin.thinned"
    assert "still abraded by Crystal abrasion, 2 days ago" in soon.words and "72 hours" in soon.action
    assert after(4) == []


def mended(of: Plan, name: str, who: Brief) -> tuple[Plan, tuple[str, ...]]:
    ids = count()
    return put_right(who, of, name, lambda: f"m{name}-{next(ids)}")


@pytest.mark.parametrize(
    ("arrived", "work", "put"),
    [
        ("made up", "iontophoresis", ("wash off",)),
        ("made up", "numbing", ("wash off", "dry")),
        ("made up", "nano", ("wash off", "antisepsis")),
        ("washed", "nano", ("antisepsis",)),
        ("washed", "diamond", ("dry",)),
        ("made up", "extract", ("wash off", "soften")),
    ],
)
def test_one_tap_puts_right_what_a_stage_asks_for(arrived: str, work: str, put: tuple[str, ...]) -> None:
    who = somebody(arrived=arrived, slot=480)
    before = Plan(steps=steps(row(work, CHEEK), who=who))
    after, said = mended(before, "s0", who)
    assert sorted(said) == sorted(put)
    (step,) = after.steps
    assert step.id == "s0" and step.modality == work and step.stages[-1].id == "s0"
    assert {stage.zones for stage in step.stages} == {(CHEEK,)}, "where it goes"
    assert told(visit_plan(who, after, chair=False)) == []
    assert visit_plan(who, after, chair=False).numbers["visit.load"] == visit_plan(who, before).numbers["visit.load"]
    with pytest.raises(BadInput, match="Nothing is missing"):
        mended(after, "s0", who)


@pytest.mark.parametrize("work", ["muscle_stimulation", "touch", "cold", "microcurrent"])
def test_a_mend_goes_where_a_stage_goes_that_names_no_zones(work: str) -> None:
    """On a thigh's plate as on a face."""
    who = somebody(arrived="made up", slot=480)
    after, said = mended(plan_of(who, work), "s1", who)
    found = visit_plan(who, after, chair=False)
    wash, *_, own = after.steps[0].stages
    assert said == ("wash off",) and sided(found.zones[own.id]) <= sided(found.zones[wash.id])


def test_steam_that_may_not_go_there_is_told_and_nothing_is_put_in() -> None:
    """Plugs of a cheek that was abraded and of one that was not: steam goes to the second alone."""
    before = Plan(steps=steps(row("dry", *WIDE), row("diamond", "right mid cheek"), row("extract", *WIDE)))
    with pytest.raises(Refused, match="Soften may not go over all of that skin"):
        mended(before, "s2", WHO)


def test_what_is_not_in_the_plan_is_not_put_right() -> None:
    with pytest.raises(BadInput):
        mended(Plan(steps=steps(row("diamond", CHEEK))), "nowhere", WHO)


WORKS = (
    "cleanse",
    "tone",
    "soften",
    "enzyme",
    "diamond",
    "wet_abrasion",
    "extract",
    "iontophoresis",
    "rf_bulk",
    "cold",
)
WORKS = (*WORKS, "numbing", "nano", "mask", "led", "touch", "oxygen_airbrush", "ultrasound", "alcohol")
ROWS = st.lists(st.tuples(st.sampled_from(WORKS), st.sets(st.sampled_from((*WIDE, BROW)), min_size=1)), max_size=4)
MADE = {(work, zone): worked(work, WHO, zones=(zone,)).stage for work in WORKS for zone in ("mid cheek",)}


def some(rows: list[tuple[str, set[str]]]) -> Plan:
    made = [
        MADE[work, "mid cheek"].model_copy(update={"id": f"s{n}", "zones": tuple(sorted(zones))})
        for n, (work, zones) in enumerate(rows)
    ]
    return Plan(steps=tuple(map(step_of, made)))


def all_mended(of: Plan, who: Brief) -> tuple[Plan, dict[str, str]]:
    """The plan with each need met, and the stages that some mend may not go to, with what is said."""
    refused: dict[str, str] = {}
    for _ in range(12):
        found = visit_plan(who, of, chair=False).clashes
        needs = [one for one in found if one.kind == "need" and one.stage not in refused]
        if not needs:
            break
        try:
            of, _ = mended(of, needs[0].stage, who)
        except Refused as stop:
            refused[needs[0].stage] = stop.words
    return of, refused


def reasons(of: Plan) -> set[tuple[str, str]]:
    """What stands against a plan beside what is missing: rule, and the work that it is said of."""
    found = visit_plan(WHO, of, chair=False).clashes
    return {(one.rule, one.words.partition(":")[0]) for one in found if one.kind != "need"}


@settings(max_examples=40)
@given(ROWS, st.sampled_from(("", "made up", "washed")))
def test_every_need_is_met_by_its_mends(rows: list[tuple[str, set[str]]], arrived: str) -> None:
    who = somebody(arrived=arrived, slot=480)
    made, refused = all_mended(some(rows), who)
    after = visit_plan(who, made, chair=False)
    assert {one.stage for one in after.clashes if one.kind == "need"} <= refused.keys()
    works = [work for work, _ in rows]
    for (
        stage_id,
        words,
    ) in refused.items():  # steam over what was abraded, water over what was opened: what came before stands against it
        before = works[: next(n for n, step in enumerate(made.steps) if stage_id in {one.id for one in step.stages})]
        assert "nano" in before or (words.startswith("Soften may not") and before)
    assert [one.id for one in after.plan.steps] == [f"s{n}" for n in range(len(rows))]


@settings(max_examples=40)
@given(ROWS, st.integers(0, 4))
def test_a_wash_off_adds_no_refusal_that_its_mends_do_not_meet(rows: list[tuple[str, set[str]]], at: int) -> None:
    """On skin that is not opened, wherever it is put in."""
    before, _ = all_mended(some(rows), WHO)
    at = min(at, len(before.steps))
    assume(all(one.modality != "nano" for one in before.steps[:at]))
    assume(all(one.modality != "numbing" for one in before.steps))  # its cream still works: it is taken off, not washed
    wash = step_of(worked("wash", WHO, zones=(*WIDE, BROW)).stage.model_copy(update={"id": "wash"}))
    washed = before.model_copy(update={"steps": (*before.steps[:at], wash, *before.steps[at:])})
    assert reasons(all_mended(washed, WHO)[0]) <= reasons(before)


def test_what_may_be_kept_off_that_skin_says_what_remains() -> None:
    """Plugs of most of the face, then a lift: less than half of it is left, which one key chooses."""
    plugs = row(
        "extract", "forehead", "nose tip and wings", "chin", "mid cheek", "lower cheek", what="what comes easily"
    )
    (hot,) = told(plan(plugs, row("rf_bulk", "mid cheek", "lower cheek", "jawline")))
    assert hot.off == {"s1": ("jawline",)} and hot.stage == "s1"
    (all_,) = told(plan(plugs, row("rf_bulk", "mid cheek")))
    assert all_.off == {}, "nothing would be left"


@pytest.mark.parametrize(
    ("on", "zones", "work", "refused"),
    [
        (TODAY, (), "microcurrent", True),
        (None, (), "microcurrent", True),  # nobody knows when: as if it were today
        (None, (), "soften", True),
        (None, (), "touch", False),
        (TODAY - timedelta(days=2), (), "microcurrent", True),
        (TODAY - timedelta(days=5), (), "microcurrent", False),
        (None, ("chin",), "touch", False),
    ],
)
def test_what_was_done_elsewhere_counts_also_where_nobody_knows_when(
    on: date | None, zones: tuple[str, ...], work: str, refused: bool
) -> None:
    peeled = Answer(option="yes", on=on, zones=zones)
    who = somebody(slot=480, answers={**WASHED.facts.answers, "exfoliated": peeled})
    found = [one for one in plan(row(work), who=who).clashes if one.rule == "skin.thinned"]
    assert bool(found) == refused
    if refused:
        assert found[0].kind == "earlier" and ("nobody knows when" in found[0].words) == (on is None)


def test_a_waxed_lip_closes_that_lip_alone() -> None:
    waxed = Answer(option="yes", on=None, zones=("upper lip",))
    who = somebody(slot=480, answers={**WASHED.facts.answers, "wax": waxed})
    assert [one.rule for one in plan(row("iontophoresis", "upper lip"), who=who).clashes if one.kind == "earlier"]
    assert not [one.rule for one in plan(row("iontophoresis", "chin"), who=who).clashes if one.kind == "earlier"]
