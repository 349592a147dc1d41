"""The plan of a visit as a value: recomputed whole from what is known and what is chosen."""

from datetime import date
from functools import cached_property
from typing import Literal, TypeVar

from pydantic import Field

from merak.core.body.curves import Pair
from merak.core.body.marks import Mark
from merak.core.body.treatable import Narrowed, Treatable, treatable
from merak.core.client import Findings, LastTime, Side
from merak.core.errors import Refused
from merak.core.knowledge import caution, number
from merak.core.modality import led as red_light
from merak.core.modality import microcurrent as lifting
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.modality.shared import Subject
from merak.core.plan.screening import Answers, Standing, board, demand
from merak.core.plan.side import FirstSide, first_side
from merak.core.working import Caution, Frozen, Quantity, Saying

T = TypeVar("T")


class Brief(Frozen):
    """All that a plan follows from, besides what is chosen. `finger_mm` is the therapist's finger breadth;
    `narrowed` are margins that a senior narrowed for this visit, `marks` what stands on the client's plates."""

    today: date
    born: date
    returning: bool
    answers: Answers
    findings: Findings
    last: LastTime | None = None
    finger_mm: float = 16
    narrowed: tuple[Narrowed, ...] = ()
    marks: tuple[Mark, ...] = ()
    microcurrent_card: MicrocurrentCard | None = None
    led_card: LedCard | None = None

    @cached_property
    def board(self) -> dict[str, Standing]:
        """Where each modality stands today."""
        return board(self.answers, self.born, self.today, self.returning)

    def area(self, work: str, plate: str = "face") -> Treatable:
        """Where a modality may go on one of this client's plates, by this therapist's hand."""
        return treatable(self.findings.measures, work, self.finger_mm, plate, self.narrowed, self.marks)


class Choice(Frozen):
    """What is chosen: the modalities with their settings, None where left out, and the side when it is not the computed one."""

    microcurrent: lifting.Settings | None = None
    led: red_light.Settings | None = None
    side: Side | None = None


class StepLine(Frozen):
    """One line of a stroke step: where it runs on the plate (mm), how often, at which level."""

    path: str
    points: tuple[Pair, ...]
    repeats: int = Field(ge=1)
    level: float
    bony: bool = False


class Step(Frozen):
    """One step at the chair. `seconds` is the plan for its clock; a "timed" step may not be overrun in silence.

    `level_most` is as far as the level may be raised at the chair: the highest that no ceiling refuses.
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

    @property
    def strokes(self) -> int:
        """Strokes of the whole step."""
        return sum(line.repeats for line in self.lines)


class VisitPlan(Frozen):
    """A computed plan. Numbers are keyed "modality.name"; `refused` is keyed "modality.field"."""

    choice: Choice
    first: FirstSide
    steps: tuple[Step, ...]
    numbers: dict[str, Quantity]
    cautions: tuple[Caution, ...]
    refused: dict[str, Caution]

    @property
    def startable(self) -> bool:
        """Whether nothing is refused and something is planned."""
        return not self.refused and any(step.modality for step in self.steps)


def start_choice(brief: Brief) -> tuple[Choice, dict[str, Quantity]]:
    """The start-up plan: every modality that today's answers allow and a card exists for, with its start values' workings."""
    standing = brief.board
    lift = light = None
    worked: dict[str, Quantity] = {}
    if brief.microcurrent_card and standing["microcurrent"].plannable:
        verdict = standing["microcurrent"].verdict
        lift, worked["microcurrent"] = lifting.start_for(brief.microcurrent_card, brief.findings, brief.last, verdict)
    if brief.led_card and standing["led"].plannable:
        light, worked["led"] = red_light.start_for(brief.led_card, brief.findings, brief.last, standing["led"].verdict)
    return Choice(microcurrent=lift, led=light), worked


def visit_plan(brief: Brief, choice: Choice) -> VisitPlan:
    """The plan that follows from a choice.

    Raises Refused when the choice holds a modality that screening stops or that no device card exists for, and BadInput for
    measures that no face has. What passes a ceiling comes back in `refused`, and the plan cannot be started.
    """
    standing = brief.board
    first = first_side(brief.findings)
    side = choice.side or first.side
    steps: list[Step] = [_prepare()]
    numbers: dict[str, Quantity] = {"side.difference": first.difference}
    cautions: list[Caution] = []
    refused: dict[str, Caution] = {}
    if choice.microcurrent:
        demand(standing["microcurrent"])
        card = _card(brief.microcurrent_card, "microcurrent")
        lift = lifting.lift(choice.microcurrent, card, brief.area(lifting.NAME))
        steps += _lift_steps(choice.microcurrent, lift, side, lifting.level_most(choice.microcurrent, card))
        numbers |= {f"microcurrent.{key}": value for key, value in lift.numbers.items()}
        cautions += lift.cautions
        refused |= {f"microcurrent.{field}": one for field, one in lift.refused.items()}
    if choice.led:
        demand(standing["led"])
        light = red_light.dose(choice.led, _card(brief.led_card, "led"), Subject(phototype=brief.findings.phototype))
        steps += _light_steps(choice.led)
        numbers |= {f"led.{key}": value for key, value in light.numbers.items()}
        cautions += light.cautions
        refused |= {f"led.{field}": one for field, one in light.refused.items()} | _unscreened(choice.led)
    steps.append(_finish())
    numbers["visit.minutes"] = _total(steps)
    return VisitPlan(
        choice=choice,
        first=first,
        steps=tuple(steps),
        numbers=numbers,
        cautions=(*_from_screening(standing, choice), *cautions),
        refused=refused,
    )


def _card(card: T | None, modality: str) -> T:
    if card is None:
        raise Refused(f"No device card for {modality}: the studio has to add its machine first.", "device.calibration")
    return card


def _from_screening(standing: dict[str, Standing], choice: Choice) -> tuple[Caution, ...]:
    """What the answers change about the modalities that are in the plan."""
    return tuple(
        Caution(weight="change", words=reason.reason, act=reason.act, rule=reason.rule)
        for modality, at in standing.items()
        if getattr(choice, modality)
        for reason in at.reasons
    )


def _prepare() -> Step:
    return Step(
        kind="free",
        title="Prepare",
        seconds=round(number("visit.prepare_minutes") * 60),
        act="Cleanse twice, upward; tone. Lenses out, jewellery off. Try the output on your own hand.",
    )


def _finish() -> Step:
    return Step(
        kind="free",
        title="Finish",
        seconds=round(number("visit.finish_minutes") * 60),
        act="Tonic, serum, eye product, cream; sun protection last, never skipped.",
    )


def _lift_steps(settings: lifting.Settings, lift: lifting.Lift, side: Side, level_most: float) -> list[Step]:
    """One side, the mirror, then the other: gel dries, and the lift shows only against the untreated side."""
    other: Side = "left" if side == "right" else "right"
    bone_level = lift.numbers["bone_level"].value or settings.level
    hold = settings.hold_s if settings.technique == "fixed probe, hold" else 0

    def strokes(at: Side) -> Step:
        lines = tuple(
            StepLine(
                path=line.path,
                points=line.points,
                repeats=settings.repeats,
                bony=line.bony,
                level=bone_level if line.bony else settings.level,
            )
            for line in lift.lines[at]
        )
        return Step(
            kind="strokes",
            title=f"Lift, {at}",
            act="Gel on this side only. Up and out; renew the gel before it dries.",
            seconds=round((lift.numbers[f"minutes_{at}"].value or 0) * 60),
            modality="microcurrent",
            side=at,
            lines=lines,
            hold_s=hold,
            level_most=level_most,
            sayings=lifting.sayings(settings.feel),
        )

    mirror = Step(
        kind="free",
        title="Mirror",
        act="Probes off the skin first. Show one half against the other; ask how it felt.",
        seconds=round(number("visit.half_face") * 60),
    )
    return [strokes(side), mirror, strokes(other)]


def _unscreened(light: red_light.Settings) -> dict[str, Caution]:
    """Screening's verdicts on light are for red: a colour that some of them would stop is refused until it is asked about."""
    fields = {"minutes": "led.colour", "then_minutes": "led.then"}
    return {
        fields[field]: caution("led.blue_unscreened", "stop", field=fields[field]) for field, colour, _ in light.parts if colour == "blue"
    }


FIRST_ACT = "Gel off. Eyes shielded."


def _light_steps(settings: red_light.Settings) -> list[Step]:
    """One timed step for each colour: the panel is changed over between them."""
    pulsed = "" if settings.duty_percent == 100 else f" Pulsed, on {settings.duty_percent:g} % of the time."
    return [
        Step(
            kind="timed",
            title=f"{colour.capitalize()} light",
            act=f"{FIRST_ACT if n == 0 else 'Change the colour over.'} Panel at {settings.distance_cm:g} cm, {settings.cover}.{pulsed}",
            seconds=round(minutes * 60),
            modality="led",
        )
        for n, (_, colour, minutes) in enumerate(settings.parts)
    ]


def _total(steps: list[Step]) -> Quantity:
    parts = tuple(Quantity(name=step.title, value=step.seconds / 60, unit="min", digits=1) for step in steps)
    return Quantity(
        name="minutes in the room",
        value=sum(part.value or 0 for part in parts),
        unit="min",
        formula="all steps",
        inputs=parts,
        rules=("visit.prepare_minutes", "visit.half_face", "visit.finish_minutes"),
    )
