"""The plan at the chair: what is done step by step, with its clock, its strokes and what a client may say."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.body.curves import Pair
from merak.core.client import Side
from merak.core.knowledge import about, number
from merak.core.modality import microcurrent as lifting
from merak.core.plan.brief import Brief
from merak.core.plan.item import Worked, lifted, school_acts
from merak.core.working import Frozen, Saying


class StepLine(Frozen):
    """One line of a stroke step: where it runs on the plate (mm), how often, at which level."""

    path: str
    points: tuple[Pair, ...]
    repeats: int = Field(ge=1)
    level: float
    bony: bool = False


class Step(Frozen):
    """One step at the chair. `seconds` is the plan for its clock; a "timed" step may not be overrun in silence.

    `level_most` is as far as the level may be raised at the chair: the highest that no ceiling refuses. `item` is the plan's item.
    """

    kind: Literal["free", "strokes", "timed"]
    title: str
    act: str
    seconds: int
    modality: str = ""
    side: Side | None = None
    lines: tuple[StepLine, ...] = ()
    hold_s: float = 0
    level_most: float = 0
    sayings: tuple[Saying, ...] = ()
    item: str = ""

    @property
    def strokes(self) -> int:
        """Strokes of the whole step."""
        return sum(line.repeats for line in self.lines)


class Span(Frozen):
    """An item in time: when it starts and how long it takes, in seconds; on the second track where it runs beside another."""

    item: str
    title: str
    modality: str
    track: Literal[0, 1]
    start_s: int
    seconds: int
    hands_s: int = 0
    waits: bool = False


def chair_steps(brief: Brief, worked: dict[str, Worked], spans: tuple[Span, ...], side: Side, of: dict[str, str]) -> Iterable[Step]:
    """The steps at the chair, in time: a host is put on, its guests run, and what is left of its wait follows."""
    order = [span for span in spans if span.track == 0]
    for host in order:
        guests = [span for span in spans if span.track == 1 and host.start_s <= span.start_s < host.start_s + max(host.seconds, 1)]
        one = worked[host.item]
        if not guests:
            yield from _own_steps(brief, one, one.seconds, side, of)
            continue
        yield _plain(one, f"{one.title} on", one.hands_s or 30, of, "free")
        for guest in guests:
            yield from _own_steps(brief, worked[guest.item], worked[guest.item].seconds, side, of)
        rest = one.own_s - sum(guest.seconds for guest in guests)
        if rest > 0:
            yield _plain(one, f"{one.title}, the rest", rest, of, "timed")


#: Whose own time is a clock that may not be overrun in silence.
_TIMED = frozenset({"numbing", "crystal", "enzyme", "peel", "oxygen_mask", "mask", "galvanic_softening", "iontophoresis", "cold", "led"})


def _own_steps(brief: Brief, one: Worked, seconds: int, side: Side, of: dict[str, str]) -> tuple[Step, ...]:
    key = ("steps", one.item.model_dump_json(), seconds, side, tuple(of.items()))
    return brief.once(key, lambda: tuple(_made_steps(brief, one, seconds, side, of)))


def _made_steps(brief: Brief, one: Worked, seconds: int, side: Side, of: dict[str, str]) -> Iterable[Step]:
    if one.item.modality == "microcurrent":
        yield from _lift_steps(brief, one, side, of)
    elif one.item.modality == "led":
        yield from _light_steps(one)
    else:
        yield _plain(one, one.title, seconds, of, "timed" if one.item.modality in _TIMED else "free")


def _plain(one: Worked, words: str, seconds: int, of: dict[str, str], kind: Literal["free", "timed"]) -> Step:
    words_of = about()[one.item.modality]
    technique = school_acts(one.item.modality, of) or words_of.technique[:2]
    where = f"{', '.join(one.item.zones)}. " if one.item.zones else ""
    end = f" Enough: {words_of.endpoint[0].lower()}{words_of.endpoint[1:]}"
    return Step(
        kind=kind, title=words, act=f"{where}{' '.join(technique)}{end}", seconds=max(seconds, 1), modality=one.item.modality,
        item=one.item.id,
    )  # fmt: skip


def _lift_steps(brief: Brief, one: Worked, side: Side, of: dict[str, str]) -> Iterable[Step]:
    """One side, the mirror, then the other: gel dries, and the lift shows only against the untreated side."""
    settings: Any = one.settings
    card: Any = one.machine.card if one.machine else None
    lift = lifted(brief, settings, card, one.areas)
    bone_level = lift.numbers["bone_level"].value or settings.level
    hold = settings.hold_s if settings.technique == "fixed probe, hold" else 0
    most = lifting.level_most(settings, card)
    yield Step(
        kind="free", title="Gel and probes", act=" ".join(school_acts("microcurrent", of)), seconds=max(one.hands_s, 1), item=one.item.id
    )
    other: Side = "left" if side == "right" else "right"
    for at in (side, other):
        lines = tuple(
            StepLine(
                path=line.path, points=line.points, repeats=settings.repeats, bony=line.bony,
                level=bone_level if line.bony else settings.level,
            )
            for line in lift.lines[at]
        )  # fmt: skip
        if at == other:
            yield Step(
                kind="free", title="Mirror", act="Probes off the skin first. Show one half against the other; ask how it felt.",
                seconds=round(number("visit.half_face") * 60), item=one.item.id,
            )  # fmt: skip
        yield Step(
            kind="strokes", title=f"Lift, {at}", act="Gel on this side only. Up and out; renew the gel before it dries.",
            seconds=round((lift.numbers[f"minutes_{at}"].value or 0) * 60), modality="microcurrent", side=at, lines=lines, hold_s=hold,
            level_most=most, sayings=lifting.sayings(settings.feel), item=one.item.id,
        )  # fmt: skip


FIRST_ACT = "Gel off. Eyes shielded."


def _light_steps(one: Worked) -> Iterable[Step]:
    """One timed step for each colour: the panel is changed over between them."""
    settings: Any = one.settings
    pulsed = "" if settings.duty_percent == 100 else f" Pulsed, on {settings.duty_percent:g} % of the time."
    for n, (_, colour, minutes) in enumerate(settings.parts):
        act = f"{FIRST_ACT if n == 0 else 'Change the colour over.'} Panel at {settings.distance_cm:g} cm, {settings.cover}.{pulsed}"
        yield Step(
            kind="timed", title=f"{colour.capitalize()} light", act=act, seconds=round(minutes * 60), modality="led", item=one.item.id
        )
