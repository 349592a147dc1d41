"""Screening closes zones along: extraction takes its skin out of current by itself, and says so."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, union_all

from builders.chair import somebody, worked
from merak.core.body.plate import bare, keys_on, named, sided, zone_names
from merak.core.body.treatable import BESIDE
from merak.core.plan.brief import workable
from merak.core.plan.stage import Stage
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

WHO = somebody()
FACE = tuple(zone for zone in zone_names("face") if zone not in BESIDE)
EXTRACTED = "skin.extracted"


def stage(modality: str, id: str, *zones: str) -> Stage:
    return worked(modality, WHO, zones=zones).stage.model_copy(update={"id": id})


def plan(*stages: Stage, laid: bool = False) -> VisitPlan:
    return visit_plan(WHO, Plan(steps=tuple(map(step_of, stages))), laid=laid)


def clashes(of: VisitPlan) -> set[str]:
    return {one.rule for one in of.clashes}


def test_extraction_takes_its_skin_out_of_current_and_says_so() -> None:
    nose, lift = stage("extract", "e", "nose tip and wings"), stage("microcurrent", "l")
    both = plan(nose, lift, laid=True)
    assert EXTRACTED not in clashes(both)
    assert not {bare(zone) for zone in both.zones["l"]} & {"nose tip and wings"} and both.zones["e"]
    told = [one for one in both.cautions["l"] if one.rule == EXTRACTED]
    assert [(one.weight, one.words) for one in told] == [
        ("change", "Off nose tip and wings: extracted by Extract in this visit.")
    ]
    alone = plan(lift, laid=True)
    assert "nose tip and wings" in alone.zones["l"] and not [
        one for one in alone.cautions["l"] if one.rule == EXTRACTED
    ]
    skin = WHO.own_area("microcurrent", "face")
    nose_there = union_all([skin.zones[key] for key in keys_on(frozenset(both.zones["e"]))]).buffer(-0.2)
    lines = [LineString(line.points) for act in both.acts for line in act.lines]
    assert lines and not any(line.intersects(nose_there) for line in lines), "nothing is laid over it"


def test_current_that_comes_before_extraction_goes_where_it_went() -> None:
    lift = stage("microcurrent", "l")
    found = plan(lift, stage("extract", "e", "nose tip and wings"))
    assert "nose tip and wings" in found.zones["l"] and EXTRACTED not in clashes(found)
    assert not [one for one in found.cautions["l"] if one.rule == EXTRACTED]


def test_one_side_is_closed_by_itself() -> None:
    found = plan(stage("extract", "e", "right mid cheek"), stage("iontophoresis", "l", "mid cheek", "lower cheek"))
    assert set(found.zones["l"]) == {"left mid cheek", "lower cheek"} and EXTRACTED not in clashes(found)


@pytest.mark.parametrize("lifted", [("mid cheek",), ("mid cheek", "chin"), ()], ids=["nothing", "little", "the neck"])
def test_what_would_be_left_with_little_is_refused_with_the_reason(lifted: tuple[str, ...]) -> None:
    """Less than half: a lift of the neck alone is another treatment, which somebody chooses."""
    opened = ("mid cheek",) if lifted else FACE
    able = tuple(workable(WHO, "extract", opened))
    found = plan(stage("extract", "e", *able), stage("iontophoresis", "l", *lifted))
    assert EXTRACTED in clashes(found) and not found.startable
    assert set(found.zones["l"]) == set(workable(WHO, "iontophoresis", lifted))


def test_with_the_extraction_gone_it_goes_where_it_went() -> None:
    lift = stage("iontophoresis", "l", "mid cheek", "chin")
    assert set(plan(stage("extract", "e", "chin"), lift).zones["l"]) == {"mid cheek"}
    assert set(plan(lift).zones["l"]) == {"mid cheek", "chin"}


@settings(max_examples=25)
@given(
    opened=st.sets(st.sampled_from(FACE), min_size=1, max_size=8),
    lifted=st.sets(st.sampled_from(FACE), min_size=1, max_size=8),
)
def test_current_never_meets_skin_that_was_opened(opened: set[str], lifted: set[str]) -> None:
    """Either no skin is shared, or the plan is refused; and no zone goes that nobody opens."""
    opened, lifted = (
        set(workable(WHO, work, tuple(zones))) if zones else set()
        for work, zones in (("extract", opened), ("iontophoresis", lifted))
    )
    if not opened or not lifted:  # none of these may be worked at all
        return
    there = workable(WHO, "iontophoresis", tuple(lifted))
    found = plan(stage("extract", "e", *sorted(opened)), stage("iontophoresis", "l", *sorted(lifted)))
    current, extracted = (sided(found.zones.get(one, ())) for one in "le")
    assert not current & extracted or EXTRACTED in clashes(found)
    assert EXTRACTED in clashes(found) or set(named(keys_on(frozenset(current)))) == lifted - opened
    shared = sum(there[zone] for zone in lifted & opened) / sum(there.values())
    assert abs(shared - 0.5) < 0.01 or (EXTRACTED in clashes(found)) == (shared > 0.5), "half of it stays"
