"""Proposals: the best there is, and nothing that may not be."""

from datetime import timedelta

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from builders.answers import an_answer
from builders.briefs import EVERY_LICENCE, TODAY, brief
from merak.core.body.plate import sided
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.knowledge import about, conditions
from merak.core.modality.shared import Before
from merak.core.plan.brief import Brief, workable
from merak.core.plan.facts import Wish
from merak.core.plan.fitting import Placed, clashes
from merak.core.plan.past import early
from merak.core.plan.proposals import Candidate, Gain, Problem, allowed, best, brute, length_s, proposals, score
from merak.core.plan.screening import STOPPING, questions
from merak.core.plan.skin import footings
from merak.core.plan.stage import Stage, read_settings
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, in_force

EVIDENCE = st.sampled_from(("weak", "fair", "strong"))
GAINS = st.lists(st.builds(Gain, st.sampled_from("abc"), st.integers(0, 60), EVIDENCE), max_size=2)
SEVERAL = st.lists(
    st.tuples(GAINS, st.integers(60, 1500), st.integers(0, 9000), st.integers(0, 4)), min_size=1, max_size=8
)


@st.composite
def problems(draw: st.DrawFn) -> Problem:
    """Small problems with everything that large ones have."""
    made = draw(SEVERAL)
    n = len(made)
    found = tuple(
        Candidate(step_of(Stage(id=f"c{i}", modality="tone")), tuple(g), s, c, load, frozenset())
        for i, (g, s, c, load) in enumerate(made)
    )
    pairs = st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)).filter(lambda pair: pair[0] != pair[1])
    apart = frozenset(draw(st.sets(pairs, max_size=4)))
    needs = tuple((a, frozenset({b})) for a, b in draw(st.sets(pairs, max_size=2)))
    saves = {pair: min(found[pair[0]].seconds, found[pair[1]].seconds) for pair in [*draw(st.sets(pairs, max_size=1))]}
    limits = draw(
        st.tuples(st.integers(0, 4000), st.integers(0, 20000), st.integers(0, 8), st.sampled_from((0, 6, 15)))
    )
    return Problem(found, apart, needs, saves, *limits)


@settings(max_examples=120, suppress_health_check=[HealthCheck.too_slow])
@given(problems())
def test_no_better_set_is_allowed(problem: Problem) -> None:
    found, tried = best(problem), brute(problem)
    assert allowed(problem, found)
    assert score(problem, found) == score(problem, tried)
    assert length_s(problem, found) == length_s(problem, tried), "of equals the shorter, or what is better shown"


ANSWERS = st.fixed_dictionaries({}, optional={q.id: an_answer(q.id) for q in questions(True)})
ZONES = ("forehead", "mid cheek", "nose tip and wings", "jawline", "crow's feet")
GRADES = st.dictionaries(
    st.sampled_from(sorted(set(conditions()) - {"settle"})),
    st.dictionaries(
        st.sampled_from([f"{side} {zone}" for side in ("right", "left") for zone in ZONES]),
        st.integers(0, 4),
        max_size=3,
    ),
    max_size=5,
)


@st.composite
def clients(draw: st.DrawFn) -> Brief:
    """Anybody, mostly healthy: each question was answered with nothing, but a few."""
    returning = draw(st.booleans())
    said = dict(list(draw(ANSWERS).items())[: draw(st.integers(0, 4))])
    skin = Findings(
        phototype=draw(st.none() | st.integers(1, 6)), sensitive=draw(st.none() | st.booleans()), grades=draw(GRADES)
    )
    wish = Wish(
        goals=tuple(draw(st.sets(st.sampled_from(sorted(conditions())), max_size=2))),
        event=draw(st.none() | st.integers(0, 60).map(lambda n: TODAY + timedelta(days=n))),
        minutes=draw(st.none() | st.integers(20, 90)),
        money=draw(st.none() | st.integers(0, 300)),
    )
    history = {
        name: Before(on=TODAY - timedelta(days=draw(st.integers(1, 40))))
        for name in draw(st.sets(st.sampled_from(("peel", "pulsed_light", "led"))))
    }
    age, slot = draw(st.integers(14, 80)), draw(st.sampled_from((30, 60, 90)))
    return brief(
        said,
        returning=returning,
        findings=skin,
        wish=wish,
        history=history,
        born=TODAY.replace(year=TODAY.year - age),
        licences=frozenset(draw(st.sets(st.sampled_from(sorted(EVERY_LICENCE))))),
        senior=draw(st.booleans()),
        slot=slot,
    )


@settings(max_examples=40, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(clients())
def test_no_proposal_holds_what_may_not_be(who: Brief) -> None:
    try:
        found = proposals(who)
    except Refused:  # not even cleansing and sun protection fit
        return
    for one in found:
        of = in_force(who, Plan())
        assert one.computed.startable and not one.computed.refused, "no ceiling is passed"
        assert one.computed.seconds / 60 <= min(who.facts.slot, who.facts.wish.minutes or who.facts.slot) + 0.05
        assert (
            who.facts.wish.money is None
            or (one.computed.numbers["visit.price"].value or 0) <= who.facts.wish.money + 0.01
        )
        placed = []
        for step in one.plan.stages:
            machine = who.machine(step.modality, step.machine)
            scale = (machine.card.least, machine.card.most) if machine and hasattr(machine.card, "least") else (0, 10)
            for name in (step.modality, *read_settings(step, {}).aspects(scale)):
                assert name not in who.board or who.board[name].verdict not in STOPPING
            zones = one.computed.zones[step.id]
            assert set(zones) <= set(workable(who, step.modality)), "no closed zone, no no-go area"
            assert about()[step.modality].licence in ("", "senior", "micro depth", *who.facts.licences)
        for whole in one.plan.steps:
            zones_ = frozenset(zone for stage in whole.stages for zone in one.computed.zones[stage.id])
            placed.append(Placed(whole.id, whole.modality, zones_))
        assert clashes(placed, who.newcomer, of) == (), "no order rule is broken"
        for whole, there in zip(one.plan.steps, placed, strict=True):
            for of_stage in footings(whole):
                assert not list(early(of_stage, sided(there.zones), who.past, who.facts)), "nothing comes too soon"
        if who.newcomer:
            strong = {
                "crystal",
                "diamond",
                "peel",
                "rf_fractional",
                "focused_lifting",
                "micro_needling",
                "pulsed_light",
            }
            assert len([step for step in one.plan.steps if step.modality in strong]) <= 1, (
                "a new client gets one strong thing"
            )
