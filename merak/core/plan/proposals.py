"""Up to three plans that differ in kind, each the best there is by the stated score: an exact optimum, not a guess.

The score of a set of steps: for each condition that was found, the two best things for it (severity × evidence × order
of choice, doubled for what the client wants most), less a price for the load on the skin, which is what the kinds
differ in.
"""

from collections.abc import Iterable, Sequence
from itertools import combinations
from typing import Literal, NamedTuple, get_args

from shapely import LineString

from merak.core.body.plate import GROUPS, SIDES, sided
from merak.core.body.strokes import BORDER_MM, PATHS, lines
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import (
    Condition,
    Consider,
    about,
    all_of,
    book,
    conditions,
    methods,
    number,
    on_skin,
    rule,
    skin_states,
    traits,
)
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.exposure import Exposure, sums
from merak.core.modality.shared import incremented
from merak.core.plan.brief import Brief, workable
from merak.core.plan.clocks import by_its_clock
from merak.core.plan.fitting import Clash, FitKind, Placed, clashes, holds, may_run_beside, rank, title
from merak.core.plan.footing import left_before
from merak.core.plan.mending import before
from merak.core.plan.merits import ARRIVED, with_mends
from merak.core.plan.past import Early, early, told_before
from merak.core.plan.screening import housekeeping
from merak.core.plan.skin import footings, unfit_between
from merak.core.plan.stage import footing_of
from merak.core.plan.step import Step, WorkedStep, begin_step, compute_step
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force, visit_plan
from merak.core.working import Frozen

needs(
    __name__,
    """
    days: event.better
    min: propose.equal
    points of load: budget.gentle
    points of score a load: propose.load_balanced propose.load_gentle propose.load_strongest
    share: propose.first
    things: propose.two
    times: propose.evidence.fair propose.evidence.strong propose.evidence.weak propose.goal
    words: budget.load chair.spot.first plan.closed_zones plan.licence plan.machine plan.price plan.slot
    words: plan.twice
    """,
    condition=("settle",),
    group=("FRAME",),
)

ProposalKind = Literal["gentle", "balanced", "strongest"]
KINDS: tuple[ProposalKind, ...] = get_args(ProposalKind)


class Gain(NamedTuple):
    """What a candidate brings for a condition, in points of score, and the evidence."""

    condition: str
    points: int
    evidence: str


class Candidate(NamedTuple):
    """A step that could be in the plan, computed: its gains, seconds, price in cents, load, and the whole step; what
    its stages give, zone by zone, and those that it is `without`; how long something may run beside it, None where it
    may be left longer; the merits that it asks others for.
    """

    step: Step
    gains: tuple[Gain, ...]
    seconds: int
    cents: int
    load: int
    zones: frozenset[str]
    hands_s: int = 0
    given: tuple[tuple[str, dict[str, tuple[Exposure, ...]]], ...] = ()
    without: tuple["LeftOut", ...] = ()
    bears_s: int | None = None
    asks: tuple[tuple[str, int], ...] = ()

    @property
    def modality(self) -> str:
        """Its modality."""
        return self.step.modality

    @property
    def placed(self) -> tuple[Placed, ...]:
        """Each of its works, wherever the step goes."""
        return tuple(Placed(self.step.id, name, self.zones) for name in self.step.works)

    @property
    def agents(self) -> frozenset[str]:
        """What its stages give."""
        return frozenset(one.agent for _, zones in self.given for there in zones.values() for one in there)

    def too_much_with(self, other: "Candidate") -> bool:
        """Whether the two give more to the same skin than a visit may."""
        return any(one.past for one in sums((*self.given, *other.given)))


#: Which steps do not go together, by what they are worked as.
Met = dict[tuple[tuple[Placed, ...], tuple[Placed, ...]], bool]


class LeftOut(Frozen):
    """What was considered and is not in the plan, and why."""

    title: str
    why: str
    rule: str = ""


class Support(Frozen):
    """Why a step is in the plan: the condition that it is for, and how strong the evidence is."""

    modality: str
    condition: str
    evidence: str


class Proposal(Frozen):
    """One proposed plan, computed; its score, what it is for, what was left out and why, how it feels, hours until it
    has settled. `also` are kinds that come to the same plan today.
    """

    kind: ProposalKind
    plan: Plan
    computed: VisitPlan
    score: int
    supports: tuple[Support, ...]
    left_out: tuple[LeftOut, ...]
    feel: tuple[str, ...]
    settle_h: float
    also: tuple[ProposalKind, ...] = ()


class Problem(NamedTuple):
    """What is chosen from, and within what: candidates, pairs that exclude each other, what needs one of what, pairs
    that overlap in time by so many seconds, the limits in seconds, cents and load, and what is always there.
    """

    candidates: tuple[Candidate, ...]
    apart: frozenset[tuple[int, int]]
    needs: tuple[tuple[int, frozenset[int]], ...]
    saves: dict[tuple[int, int], int]
    seconds: int
    cents: int
    load: int
    load_price: int
    always: frozenset[int] = frozenset()


def score(problem: Problem, taken: Iterable[int]) -> int:
    """The stated score of a set of candidates (rules propose.evidence, .first, .goal, .two and .load_…)."""
    chosen_ = tuple(taken)
    gained = sum(gain.points for gain in _counted(problem, chosen_))
    return gained - problem.load_price * sum(problem.candidates[n].load for n in chosen_)


def _counted(problem: Problem, taken: Iterable[int]) -> tuple[Gain, ...]:
    """The gains that count: for each condition the two best, of equals the better shown."""
    by_condition: dict[str, list[Gain]] = {}
    for n in taken:
        for gain in problem.candidates[n].gains:
            by_condition.setdefault(gain.condition, []).append(gain)
    two = int(number("propose.two"))
    ranked = (sorted(one, key=lambda g: (g.points, _worth_s(g)), reverse=True)[:two] for one in by_condition.values())
    return tuple(gain for best_two in ranked for gain in best_two)


def _worth_s(gain: Gain) -> float:
    """So many seconds more may a gain take among equals, for what is shown of it (rule propose.equal)."""
    return 60 * number("propose.equal") * number(f"propose.evidence.{gain.evidence}")


def length_s(problem: Problem, taken: Iterable[int]) -> float:
    """What decides between equal scores: the time of a set, less what its evidence may take."""
    kept = tuple(taken)
    return seconds_of(problem, kept) - sum(map(_worth_s, _counted(problem, kept)))


def seconds_of(problem: Problem, taken: Iterable[int]) -> int:
    """The time of a set: everything, less what runs beside something else. Each guest has one host and each host one
    guest.
    """
    kept = set(taken)
    total = sum(problem.candidates[n].seconds for n in kept)
    return total - sum(saved for (a, b), saved in problem.saves.items() if a in kept and b in kept)


def allowed(problem: Problem, taken: Iterable[int]) -> bool:
    """Whether a set keeps every limit and every rule."""
    kept = set(taken)
    return problem.always <= kept and (
        seconds_of(problem, kept) <= problem.seconds
        and sum(problem.candidates[n].cents for n in kept) <= problem.cents
        and sum(problem.candidates[n].load for n in kept) <= problem.load
        and not any(a in kept and b in kept for a, b in problem.apart)
        and all(n not in kept or kept & any_of for n, any_of in problem.needs)
    )


def best(problem: Problem) -> tuple[int, ...]:
    """The set with the highest score that is allowed; of several the shorter, as its evidence has
    it, then the cheaper. Solved exactly (HiGHS,
    no gap).

    Raises Refused when not even nothing is allowed.
    """
    import highspy  # where it is used: the first page does without

    class Quiet(highspy.Highs):
        """It greets on the terminal as soon as it is made, unless told before."""

        def enableCallbacks(self) -> None:
            self.setOptionValue("output_flag", False)
            super().enableCallbacks()  # type: ignore[no-untyped-call]

    solver = Quiet()  # type: ignore[no-untyped-call]
    for option, value in EXACTLY.items():
        solver.setOptionValue(option, value)
    take = [solver.addBinary() for _ in problem.candidates]
    # Whole where `take` is: each lies at its bound, or is one of the two that count most.
    both = {pair: solver.addVariable(0, 1) for pair in problem.saves}
    counted = {
        (n, g): solver.addVariable(0, 1) for n, one in enumerate(problem.candidates) for g in range(len(one.gains))
    }
    for (a, b), var in both.items():
        solver.addConstr(var <= take[a])
        solver.addConstr(var <= take[b])
    for (n, _), var in counted.items():
        solver.addConstr(var <= take[n])
    for condition in {gain.condition for one in problem.candidates for gain in one.gains}:
        those = [var for (n, g), var in counted.items() if problem.candidates[n].gains[g].condition == condition]
        solver.addConstr(sum(those) <= number("propose.two"))
    for n in problem.always:
        solver.addConstr(take[n] >= 1)
    for a, b in problem.apart:
        solver.addConstr(take[a] + take[b] <= 1)
    for n, any_of in problem.needs:
        solver.addConstr(take[n] <= sum((take[m] for m in any_of), start=0 * take[n]))
    if take:
        time = sum(one.seconds * take[n] for n, one in enumerate(problem.candidates))
        saved = sum((problem.saves[pair] * var for pair, var in both.items()), start=0 * take[0])
        money = sum(one.cents * take[n] for n, one in enumerate(problem.candidates))
        solver.addConstr(time - saved <= problem.seconds)
        solver.addConstr(money <= problem.cents)
        solver.addConstr(sum(one.load * take[n] for n, one in enumerate(problem.candidates)) <= problem.load)
        gained = sum(
            (problem.candidates[n].gains[g].points * var for (n, g), var in counted.items()), start=0 * take[0]
        )
        shown = sum(
            (_worth_s(problem.candidates[n].gains[g]) * var for (n, g), var in counted.items()), start=0 * take[0]
        )
        heavy = sum(problem.load_price * one.load * take[n] for n, one in enumerate(problem.candidates))
        # A point of score outweighs a whole day and any price: they only decide between equals.
        solver.maximize(POINT * (gained - heavy) - (time - saved - shown) - money / 100_000)
        if solver.getModelStatus() != highspy.HighsModelStatus.kOptimal:
            raise Refused("Nothing fits: not even the least plan keeps the limits.", "plan.slot")
    values = [solver.val(var) for var in take]
    return tuple(n for n, value in enumerate(values) if round(value))


#: To the last second, by one thread, the same every time; so small a problem is solved before a guess at it is.
EXACTLY: dict[str, float | bool] = {
    "threads": 1,
    "random_seed": 1,
    "mip_rel_gap": 0.0,
    "mip_abs_gap": 1e-6,
    "mip_allow_restart": False,
    "mip_heuristic_effort": 0.0,
    "mip_heuristic_run_feasibility_jump": False,
}
#: What a point of score weighs against a second.
POINT = 100_000


def brute(problem: Problem) -> tuple[int, ...]:
    """The same by trying every set: for small cases, to hold `best` against."""
    sets = (
        kept
        for size in range(len(problem.candidates) + 1)
        for kept in combinations(range(len(problem.candidates)), size)
    )
    fitting = [kept for kept in sets if allowed(problem, kept)]
    return max(
        fitting,
        key=lambda kept: (
            score(problem, kept),
            -length_s(problem, kept),
            -sum(problem.candidates[n].cents for n in kept),
        ),
    )


def proposals(brief: Brief) -> tuple[Proposal, ...]:
    """Up to three plans, from the gentlest on; kinds that come to the same plan are told once.

    Raises BadInput for measures that no body has, Refused when not even cleansing and sun protection fit.
    """
    brief.whole()  # a plate that cannot be is told as such, not as something left out
    plan = Plan()
    of = in_force(brief, plan)
    found: list[Proposal] = []
    met: Met = {}
    for kind in KINDS:
        candidates, out = _candidates(brief, of, kind)
        problem = _problem(brief, of, kind, candidates, met)
        _demand_frame(brief, problem)
        one = _proposal(brief, of, kind, problem, best(problem), out)
        same = next((n for n, other in enumerate(found) if one and _same(one, other)), None)
        if one and same is not None:
            # What the stronger kind leaves out is for no reason of being gentle.
            more = {"also": (*found[same].also, kind), "left_out": one.left_out}
            found[same] = found[same].model_copy(update=more)
        elif one:
            found.append(one)
    return tuple(found)


def _demand_frame(brief: Brief, problem: Problem) -> None:
    """Raises Refused where skin is not yet fit even for what every proposal begins and ends with."""
    for n in sorted(problem.always):
        hurt = _too_early(brief, problem.candidates[n])
        if hurt:
            kind = skin_states()[hurt[0]]
            words = f"Too early after {hurt[1]}: {title(problem.candidates[n].modality)} waits. {kind.reason}"
            raise Refused(words, kind.id)


def _same(one: Proposal, other: Proposal) -> bool:
    mine, theirs = ([(stage.modality, stage.settings, stage.zones) for stage in p.plan.stages] for p in (one, other))
    return mine == theirs


def _wanted(brief: Brief) -> list[tuple[Condition, int]]:
    """The conditions that were found, with their severity, and those that the client wants most though they are not
    graded.
    """
    found = []
    for condition in conditions().values():
        worst = 1 if condition.id == "settle" else brief.facts.findings.worst(condition.id)
        if not worst and condition.id in brief.facts.wish.goals:
            worst = 1
        if worst:
            found.append((condition, worst))
    return found


def _candidates(brief: Brief, of: dict[str, str], kind: ProposalKind) -> tuple[list[Candidate], list[LeftOut]]:
    """Everything that could be in a plan of this kind, computed, and what cannot be, with the reason."""
    gains: dict[str, list[Gain]] = {}
    considers: dict[str, tuple[Condition, Consider]] = {}
    for condition, worst in _wanted(brief):
        goal = number("propose.goal") if condition.id in brief.facts.wish.goals else 1
        for place, consider in enumerate(condition.consider):
            share = max(0.0, 1 - number("propose.first") * place)
            points = round(10 * worst * number(f"propose.evidence.{consider.evidence}") * share * goal)
            gains.setdefault(consider.modality, []).append(Gain(condition.id, points, consider.evidence))
            considers.setdefault(consider.modality, (condition, consider))
    frame = next(group.members for group in book().group if group.id == "FRAME")
    out: list[LeftOut] = []
    made: list[Candidate] = []
    names = [*frame, *gains, *_helpers(brief, gains)]
    for n, name in enumerate(dict.fromkeys(names)):
        why, by = _not_this_kind(kind, name, brief)
        if why:
            out.append(LeftOut(title=title(name), why=why, rule=by))
            continue
        try:
            made.append(_candidate(brief, of, kind, name, f"s{n + 1}", considers.get(name), tuple(gains.get(name, ()))))
        except Refused as stop:
            out.append(LeftOut(title=title(name), why=stop.words, rule=stop.rule))
        except BadInput as bad:
            out.append(LeftOut(title=title(name), why=str(bad), rule="plan.machine"))
    return made, out


def _helpers(brief: Brief, gains: dict[str, list[Gain]]) -> list[str]:
    """What is in a plan only because something else needs it, or a school adds it."""
    able = brief.offered
    found = [
        name
        for one in book().pairing
        if one.kind == "needs" and all_of(one.a) & gains.keys()
        for name in sorted(all_of(one.b))
    ]
    asked = {state for name in gains for state in on_skin()[name].asks if state in sought()}
    found += [name for name, of in sorted(on_skin().items()) if asked & of.gives.keys()]
    return [name for name in found if name in able and name not in gains]


def _not_this_kind(kind: ProposalKind, name: str, brief: Brief) -> tuple[str, str]:
    """Why it is not in a plan of this kind, or in none today, and the rule that says so; "" where it may be."""
    trait = traits()[name]
    if kind == "gentle" and trait.strong:
        return "Too strong for a gentle plan.", "propose.load_gentle"
    if brief.spot_first(name):
        words = f"A test spot first, read on a later day: added by hand, {title(name)} places one today."
        return words, "chair.spot.first"
    licence = about()[name].licence
    if licence not in ("", "micro depth", *brief.facts.licences):
        return f"Needs a licence for {licence}, which the treating person does not hold.", "plan.licence"
    event = brief.facts.wish.event
    days = (event - brief.facts.today).days if event else -1
    if trait.strong and 0 <= days < number("event.better"):
        return f"{rule('event.better').words} The event is in {days} days.", "event.better"
    return "", ""


def _zones(brief: Brief, name: str, considered: tuple[Condition, Consider] | None) -> tuple[str, ...]:
    """Where it goes: where the condition was graded, along the lines from there, or everywhere."""
    if considered is None:
        return ()
    condition, consider = considered
    graded = brief.facts.findings.where(condition.id)
    if consider.where == "graded":
        able = workable(brief, name)
        zones = tuple(zone for zone in graded if zone in able)
        if graded and not zones:  # none would mean everywhere
            raise Refused(f"Where it is needed it may not go: {', '.join(graded)}.", "plan.closed_zones")
        return zones
    if consider.where == "lines":
        return _along_lines(brief, name, frozenset(graded))
    if consider.where in GROUPS:
        return GROUPS[consider.where]
    return ()


def _along_lines(brief: Brief, name: str, graded: frozenset[str]) -> tuple[str, ...]:
    """The zones that the lines through what was graded run over: a lift goes to where it hangs, and on to its upper
    end; everywhere where nothing was graded, or no line comes by.
    """
    able = workable(brief, name)
    area = brief.own_area(name)
    found: dict[str, None] = {}
    for side in SIDES:
        for line in lines(area, side, PATHS):
            run = LineString(line.points)
            met = {zone for (_, zone), shape in area.plate.zones.items() if shape.intersection(run).length > BORDER_MM}
            if met & graded:
                found |= dict.fromkeys(zone for zone in able if zone in met)
    return tuple(zone for zone in able if zone in found)


def _candidate(
    brief: Brief,
    of: dict[str, str],
    kind: ProposalKind,
    name: str,
    step_id: str,
    considered: tuple[Condition, Consider] | None,
    gains: tuple[Gain, ...],
) -> Candidate:
    consider = considered[1] if considered else None
    step, left = begin_step(brief, name, step_id, of, consider, _zones(brief, name, considered))
    if kind == "gentle" and name not in housekeeping() and traits()[name].load:
        step = _gentler(brief, step, of)
    step = with_mends(
        step, ARRIVED["washed"] | sought(), lambda work, stage: before(brief, of, work, stage, f"{step_id}-{work}")
    )
    found = compute_step(brief, step, of=of)
    given = tuple((stage.stage.id, stage.exposures) for stage in found.stages)
    cents = round(found.price * 100)
    stages = tuple(LeftOut(title=f"A stage of {title(name)}", why=why) for _, why in left)
    return Candidate(
        step,
        gains,
        found.seconds,
        cents,
        found.load,
        found.zones,
        found.hands_s,
        given,
        stages,
        bears_s=found.own_s if by_its_clock(found) else None,
        asks=_asked(found),
    )


def sought() -> dict[str, int]:
    """The merits that another step gives, in full: what gives them weighs something; others are mended in the step."""
    return {
        name: len(kind.degrees)
        for name, kind in skin_states().items()
        if kind.merit and not housekeeping().issuperset(kind.mends)
    }


def _gives(one: Candidate, state: str, degree: int, to: Candidate) -> bool:
    """Whether a step leaves the skin of another in a merit that it asks for."""
    there = (footing_of(stage).gives.get(state, 0) for stage in one.step.stages)
    return max(there) >= degree and sided(to.zones) <= sided(one.zones)


def _gentler(brief: Brief, step: Step, of: dict[str, str]) -> Step:
    """Each stage one increment down, where that is still a setting that nothing stands against."""
    for one in compute_step(brief, step, of=of).stages:
        settings = incremented(MODALITIES[one.modality], one.settings, one.card, up=False)
        lower = step.with_stage(one.stage.with_settings(settings))
        step = lower if not any(stage.stops for stage in compute_step(brief, lower, of=of).stages) else step
    return step


def _problem(
    brief: Brief,
    of: dict[str, str],
    kind: ProposalKind,
    candidates: Sequence[Candidate],
    met: Met,
) -> Problem:
    """The candidates with what excludes, needs and overlaps what, and the limits of today."""
    order = sorted(range(len(candidates)), key=lambda n: rank(candidates[n].modality, of))
    placed, agents = [one.placed for one in candidates], [one.agents for one in candidates]
    apart, there = set(), [footings(one.step) for one in candidates]
    for i, a in enumerate(order):
        for b in order[i + 1 :]:
            pair = placed[a], placed[b]
            if pair not in met:  # the kinds differ in settings, seldom in what goes with what
                found = clashes((*placed[a], *placed[b]), brief.newcomer, of)
                met[pair] = any(clash.kind not in ("needs", "earlier") for clash in found)
            unfit = unfit_between(there[a], there[b]) and placed[a][0].meets(placed[b][0])
            if met[pair] or unfit or (agents[a] & agents[b] and candidates[a].too_much_with(candidates[b])):
                apart.add((a, b))
    needs = []
    for pairing in book().pairing:
        if pairing.kind == "needs" and holds(pairing, brief.newcomer, of):
            helping = frozenset(n for n, c in enumerate(candidates) if c.modality in all_of(pairing.b))
            needs += [(n, helping) for n, c in enumerate(candidates) if c.modality in all_of(pairing.a)]
    for n, one in enumerate(candidates):
        for state, degree in one.asks:
            earlier = [m for m in order[: order.index(n)] if _gives(candidates[m], state, degree, one)]
            needs.append((n, frozenset(earlier)))
    needs += [(n, frozenset()) for n, one in enumerate(candidates) if _too_early(brief, one)]
    needs += [(n, frozenset()) for n, one in enumerate(candidates) if _too_soon(brief, one)]
    limit = brief.budget.known
    if kind == "gentle":
        limit += number("budget.gentle")
    minutes = min(brief.facts.slot, brief.facts.wish.minutes or brief.facts.slot)
    cents = 10**9 if brief.facts.wish.money is None else round(brief.facts.wish.money * 100)
    price = int(
        number(
            {
                "gentle": "propose.load_gentle",
                "balanced": "propose.load_balanced",
                "strongest": "propose.load_strongest",
            }[kind]
        )
    )
    return Problem(
        tuple(candidates),
        frozenset(apart),
        tuple(needs),
        overlaps(candidates, of),
        round(minutes * 60),
        cents,
        max(0, int(limit)),
        price,
        frozenset(n for n, one in enumerate(candidates) if one.modality in all_of(("FRAME",))),
    )


def _too_early(brief: Brief, one: Candidate) -> tuple[str, str] | None:
    """(state, after what) of an earlier visit or of what the client told that still leaves skin as a step is not done
    on it, if any; which skin an earlier visit worked on is not kept.
    """
    facts = brief.facts
    there = [
        left
        for left in left_before(facts.history, facts.answers, facts.today)
        if any(not left.zones or not placed.zones or placed.zones & sided(left.zones) for placed in one.placed)
    ]
    hurts = ((state, left.by) for of in footings(one.step) for left in there for state in of.hurt_by(left.states))
    return next(hurts, None)


def _too_soon(brief: Brief, one: Candidate) -> Early | None:
    """What a step comes too soon after, and opens last of all."""
    those = (each for of in footings(one.step) for each in early(of, one.zones, brief.past, brief.facts))
    return max(those, key=lambda each: each.wait.opens, default=None)


def _asked(found: WorkedStep) -> tuple[tuple[str, int], ...]:
    """The merits that a step asks other steps for: (state, degree)."""
    asked = (item for stage in found.stages for item in stage.footing.asks.items())
    return tuple((state, degree) for state, degree in dict.fromkeys(asked) if state in sought())


def _by_itself(brief: Brief, of: dict[str, str], one: Candidate, *kinds: FitKind) -> list[Clash]:
    """What stands against a candidate though nothing else is in the plan: what it needs."""
    return [clash for clash in clashes(one.placed, brief.newcomer, of) if clash.kind in kinds]


def overlaps(candidates: Sequence[Candidate], of: dict[str, str]) -> dict[tuple[int, int], int]:
    """(host, guest) → seconds saved. One guest for each host and one host for each guest, the pair that saves most
    first.
    """
    pairs = {}
    ranks = [rank(one.modality, of) for one in candidates]
    for a, host in enumerate(candidates):
        for b, guest in enumerate(candidates) if traits()[host.modality].waits else ():
            in_order = ranks[b] >= ranks[a]  # what comes before is not put off to save a minute
            fits = host.bears_s is None or guest.seconds <= host.bears_s
            if in_order and a != b and fits and may_run_beside(host.modality, guest.modality, of):
                pairs[a, b] = min(host.seconds - host.hands_s, guest.seconds)
    kept: dict[tuple[int, int], int] = {}
    for (a, b), saved in sorted(pairs.items(), key=lambda pair: (-pair[1], pair[0])):
        if saved > 0 and not any({a, b} & set(pair) for pair in kept):
            kept[a, b] = saved
    return kept


def _proposal(
    brief: Brief, of: dict[str, str], kind: ProposalKind, problem: Problem, taken: tuple[int, ...], out: list[LeftOut]
) -> Proposal | None:
    """The set as a plan in its order, computed as a whole; None when it holds nothing but housekeeping."""
    order = sorted(taken, key=lambda n: (rank(problem.candidates[n].modality, of), n))
    guests = {b: a for (a, b) in problem.saves if a in taken and b in taken}
    steps = []
    for n in order:
        step = problem.candidates[n].step
        steps.append(step.model_copy(update={"beside": problem.candidates[guests[n]].step.id}) if n in guests else step)
    plan = Plan(steps=tuple(steps), kind=kind)
    computed = visit_plan(brief, plan)
    if not computed.startable:
        return None
    kept = {problem.candidates[n].modality for n in taken}
    supports = tuple(
        Support(modality=problem.candidates[n].modality, condition=gain.condition, evidence=gain.evidence)
        for n in order
        for gain in problem.candidates[n].gains
    )
    without = (left for n in order for left in problem.candidates[n].without)
    left = [*out, *without, *_why_left(brief, of, problem, taken)]
    felt = [m for m in (problem.candidates[n].modality for n in order) if about()[m].group != "support"]
    feel = tuple(dict.fromkeys(f"{title(m)}: {traits()[m].feel}" for m in felt))
    settle = max((traits()[m].settle_h for m in kept), default=0)
    return Proposal(
        kind=kind,
        plan=plan,
        computed=computed,
        score=score(problem, taken),
        supports=supports,
        left_out=tuple(left),
        feel=feel,
        settle_h=settle,
    )


def _why_left(brief: Brief, of: dict[str, str], problem: Problem, taken: tuple[int, ...]) -> Iterable[LeftOut]:
    """Why each candidate that brings something is not in: what it excludes, or which limit it would pass, or that it
    brings too little.
    """
    kept = set(taken)
    for n, one in enumerate(problem.candidates):
        if n in kept or not one.gains:
            continue
        if (n, frozenset()) in problem.needs:  # nothing that it needs is to be had, or it comes too soon
            why, by = _cannot(brief, of, problem, one)
            yield LeftOut(title=title(one.modality), why=why, rule=by)
            continue
        foes = sorted(m for m in kept if (n, m) in problem.apart or (m, n) in problem.apart)
        if foes:
            other = problem.candidates[foes[0]]
            pair = sorted((one, other), key=lambda c: rank(c.modality, of))
            met = [
                c
                for c in clashes((*pair[0].placed, *pair[1].placed), brief.newcomer, of)
                if c.kind not in ("needs", "earlier")
            ]
            state = unfit_between(footings(pair[0].step), footings(pair[1].step))
            words, against = _against(met, state)
            yield LeftOut(title=title(one.modality), why=f"Not with {title(other.modality)}: {words}", rule=against)
        elif sum(problem.candidates[m].load for m in kept) + one.load > problem.load:
            yield LeftOut(
                title=title(one.modality),
                why=f"Its load of {one.load} would pass what this skin bears.",
                rule="budget.load",
            )
        elif seconds_of(problem, kept | {n}) > problem.seconds:
            yield LeftOut(title=title(one.modality), why="No time left for it.", rule="plan.slot")
        elif sum(problem.candidates[m].cents for m in kept) + one.cents > problem.cents:
            yield LeftOut(title=title(one.modality), why="It would cost more than was named.", rule="plan.price")
        else:
            yield LeftOut(title=title(one.modality), why=_little(problem, kept, one), rule="propose.two")


def _cannot(brief: Brief, of: dict[str, str], problem: Problem, one: Candidate) -> tuple[str, str]:
    """Why a candidate is in no plan today, and by which rule: skin that an earlier visit left unfit, what was done too
    lately, what it needs and nobody gives.
    """
    able = {other.modality for other in problem.candidates}
    if soon := _too_soon(brief, one):
        return f"{told_before(soon.done, brief.facts.today)}. {soon.words}.", soon.wait.rule
    if hurt := _too_early(brief, one):
        return f"Too early after {hurt[1]}. {skin_states()[hurt[0]].reason}", skin_states()[hurt[0]].id
    given = {pairing.id for pairing in book().pairing if pairing.kind == "needs" and all_of(pairing.b) & able}
    never = [clash for clash in _by_itself(brief, of, one, "needs") if clash.rule not in given]
    if never:
        return f"{never[0].words} {never[0].action}", never[0].rule
    lacks = skin_states()[one.asks[0][0]]
    return lacks.reason, lacks.id


def _against(met: Sequence[Clash], state: str) -> tuple[str, str]:
    """Why two do not go together, and by which rule: a pairing, the skin that the first leaves, or what both give."""
    if met:
        return met[0].words, met[0].rule
    if state:
        return skin_states()[state].reason, skin_states()[state].id
    return rule("plan.twice").words, "plan.twice"


def _little(problem: Problem, kept: set[int], one: Candidate) -> str:
    """Why a candidate that would be allowed is not worth it."""
    for gain in one.gains:
        better = [
            title(problem.candidates[m].modality)
            for m in kept
            for g in problem.candidates[m].gains
            if g.condition == gain.condition
        ]
        if len(better) >= number("propose.two"):
            return f"{better[0]} and {better[1]} already do more for the same."
    return "What it adds is less than what it asks of the skin."


__all__ = [
    "KINDS",
    "Candidate",
    "Gain",
    "Problem",
    "Proposal",
    "allowed",
    "best",
    "brute",
    "methods",
    "proposals",
    "score",
    "seconds_of",
]
