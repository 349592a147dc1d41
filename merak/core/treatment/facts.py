"""Planned beside done, for the record."""

from datetime import datetime

from merak.core.acts import Act
from merak.core.treatment.order import Limits, Order
from merak.core.treatment.seen import SightingAt, seen_at, seen_by_part
from merak.core.treatment.state import ActRun, RunState
from merak.core.treatment.walk import anywhere, missed_in_all
from merak.core.working import Frozen


class ActFacts(Frozen):
    """Planned beside done, for one act of the record; `set_to` is what a test spot changed the setting to, `level`
    where it was at the last, `highest` the highest that anything was counted at, `changes` how often it was moved;
    `left` why it was left before its end, `cold` the zones that were worked and never reached their band, with what was
    read; of what was marked when it was seen it was planned `at_most` so often: it lay there (`seen`), so many in each
    part (`by_part`).
    """

    title: str
    planned_s: int
    done_s: float
    planned_strokes: int
    done_strokes: int
    level: float | None
    said: tuple[str, ...]
    reached: bool
    missed: int
    doubled: int
    hands: tuple[str, ...]
    set_to: float | None
    over: str
    highest: float | None = None
    changes: int = 0
    left: str = ""
    cold: tuple[str, ...] = ()
    at_most: bool = False
    seen: tuple[SightingAt, ...] = ()
    by_part: tuple[tuple[str, int], ...] = ()

    @property
    def counted(self) -> str:
        """What was counted of what was planned, "" where nothing was to be."""
        if not self.planned_strokes:
            return f"{self.done_strokes} seen" if self.at_most else ""
        return f"{self.done_strokes} of {'at most ' * self.at_most}{self.planned_strokes}"

    @property
    def short(self) -> bool:
        """Whether it was begun and less was counted than planned."""
        return self.reached and self.done_strokes < self.planned_strokes and not self.at_most

    @property
    def came_down_from(self) -> float | None:
        """The level that it was at before it was lowered; None where it ended at its highest."""
        return self.highest if self.highest is not None and self.highest > (self.level or 0) else None


def act_facts(order: Order, state: RunState, now: datetime) -> list[ActFacts]:
    """What each act was to be and what it was."""
    facts = []
    for act, run in zip(order.acts, state.runs, strict=True):
        level = max((line.level for line in act.lines), default=None)
        missed, doubled = missed_in_all(act, run)
        facts.append(
            ActFacts(
                title=act.title,
                planned_s=act.seconds,
                done_s=run.seconds(now),
                planned_strokes=0 if anywhere(act) else act.strokes,
                done_strokes=run.strokes,
                level=None if level is None else level + run.level_shift,
                said=tuple(run.said),
                reached=run.begun is not None,
                missed=missed,
                doubled=doubled,
                hands=tuple(run.hands),
                set_to=run.set_to,
                over=run.over,
                highest=run.level_most,
                changes=run.level_changes,
                left=run.left,
                cold=cold(act, run),
                at_most=act.at_most,
                seen=seen_at(act, run),
                by_part=seen_by_part(act, run),
            )
        )
    return facts


def cold(act: Act, run: ActRun) -> tuple[str, ...]:
    """The zones of a warm act that were worked and never reached their band: (zone: what was read), in words."""
    if act.heat is None or act.kind != "sections":
        return ()
    worked = {place for walk in (*run.passes, run.walk) for place in walk}
    found = []
    for place, part in enumerate(act.parts):
        if place in worked:
            warmth = run.warmth.get(part.name)
            if warmth is None:
                found.append(f"{part.name}: never read")
            elif warmth.peak_c < act.heat.low_c:
                found.append(f"{part.name}: {warmth.peak_c:.1f} of {act.heat.low_c:g} °C")
    return tuple(found)


def delivered(order: Order, state: RunState, now: datetime) -> tuple[str, ...]:
    """The plan's stages that were really done: in their counted parts, else in those on a clock, else in any.

    A counted part was done where something was counted, or where so much of its time was spent that somebody forgot to
    count (rule close.uncounted); one on a clock after the first seconds (rule close.touched). A test spot that is read
    on a later day is none.
    """
    parts: dict[str, list[tuple[Act, ActRun]]] = {}
    for act, run in zip(order.acts, state.runs, strict=True):
        if act.stage and act.modality and not act.only_spot:
            parts.setdefault(act.stage, []).append((act, run))
    return tuple(
        stage
        for stage, those in parts.items()
        if any(_done(act, run, now, order.limits) for act, run in _giving(those))
    )


def _giving(parts: list[tuple[Act, ActRun]]) -> list[tuple[Act, ActRun]]:
    """The parts in which something is given to the skin: gel, mirror and massage around them are not."""
    return [one for one in parts if one[0].wanted] or [one for one in parts if one[0].must_end] or parts


def _done(act: Act, run: ActRun, now: datetime, limits: Limits) -> bool:
    spent = run.seconds(now)
    if act.wanted:
        return bool(run.strokes) or spent >= limits.uncounted / 100 * act.seconds > 0
    return spent >= limits.touched_s if act.must_end else run.begun is not None
