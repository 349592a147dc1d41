"""Again too soon: what of a plan comes too soon after what the same skin was given, and the first day that is open."""

from collections.abc import Iterator, Sequence
from datetime import date

from merak.core.knowledge import agents
from merak.core.plan.facts import Facts
from merak.core.plan.fitting import Clash, title
from merak.core.plan.past import Early, Past, early, told_before, wait_after
from merak.core.plan.skin import InTime, remaining, told_where
from merak.core.working import Caution


def too_soon(stages: Sequence[InTime], facts: Facts, before: Sequence[Past]) -> Iterator[Clash]:
    """Each work of a step that comes too soon, told once for each thing that it comes after, with the first day that is
    open on all of its skin, and the zones that are open today.
    """
    by_id = {one.stage.id: one for one in stages if one.footing.counts}
    told: dict[tuple[str, str, str, date | None], list[tuple[str, Early]]] = {}
    for stage in by_id.values() if before else ():
        for one in early(stage.footing, stage.skin, before, facts):
            key = (stage.step, stage.stage.modality, one.done.agent, one.done.on)
            told.setdefault(key, []).append((stage.stage.id, one))
    for (step, modality, *_), those in told.items():
        last_id, last = max(those, key=lambda one: one[1].wait.opens)
        skin: dict[str, frozenset[str]] = {}
        for stage_id, one in those:
            skin[stage_id] = skin.get(stage_id, frozenset()) | one.skin
        whole = all(there == by_id[stage_id].skin for stage_id, there in skin.items())
        off = "" if whole else f", or today off {told_where(frozenset[str]().union(*skin.values()))}"
        waits = f"{'The same' if whole else 'That'} skin waits {last.wait.days} days."
        yield Clash(
            kind="earlier",
            rule=last.wait.rule,
            steps=(step,),
            words=f"{title(modality)}: {told_before(last.done, facts.today)}. {waits}",
            action=f"{last.words}{off}.",
            absolute=not all(one.wait.shorter for _, one in those),
            stage=last_id,
            off=remaining((by_id[stage_id], there) for stage_id, there in skin.items()),
        )


def better_later(stages: Sequence[InTime], facts: Facts, before: Sequence[Past]) -> dict[str, tuple[Caution, ...]]:
    """By stage, what may be done again today, and sooner than a course leaves."""
    found: dict[str, dict[str, Caution]] = {}
    for done, skin in before:
        entry = agents()[done.agent]
        if done.on is None or (facts.today - done.on).days >= entry.course:
            continue
        wait = wait_after(done, done.agent, facts.today, facts.findings.phototype)
        if wait is None or facts.today < wait.opens:  # that it is stopped says more
            continue
        words = f"{told_before(done, facts.today)}; a course leaves {entry.course} days."
        told = Caution(weight="change", words=words, action=entry.reason, rule=entry.id)
        for stage in stages:
            if done.agent in stage.footing.counts and (not skin or stage.skin & skin):
                found.setdefault(stage.stage.id, {})[entry.id] = told
    return {stage: tuple(those.values()) for stage, those in found.items()}
