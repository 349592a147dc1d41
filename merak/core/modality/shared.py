"""What all modalities share: the skin they are planned for, start values with their working, ceilings, the dose as a
value.

Every modality is one module with the same face (`Modality`), over words that stand in the rule book under the same id.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Protocol, Self, TypeVar

from pydantic import ConfigDict, Field, ValidationError

from merak.core.acts import Act
from merak.core.body.plate import BONY, PLATES, THIN, area_cm2, plate, zone_names
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.errors import BadInput, KnowledgeError
from merak.core.knowledge import Verdict, all_of, caution, has_rule, number, quantity, rule
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.modality.device import MachineCard
from merak.core.modality.exposure import Exposure, exposed
from merak.core.modality.making import Making
from merak.core.modality.prints import Prints
from merak.core.modality.titration import titrate
from merak.core.modality.ways import Ground, Ways
from merak.core.working import Caution, Frozen, Quantity

needs(
    __name__,
    """
    %: device.unknown_share
    mm: face.finger_breadth
    steps: titration.down
    words: body.area device.calibration device.scale product.film start.carried_over
    phototype: phototype.dark
    """,
)

#: A share of a ceiling within which a value is not past it: rounding in the last digits is not.
TOLERANCE = 1e-9
#: Less skin than this is none, cm².
LEAST_CM2 = 0.05


@dataclass(frozen=True)
class Circumstances:
    """What of a visit a step's settings may follow from: the other modalities of the plan, the treating person's
    licences and whether it is a senior, what was done to this client before, the plate and the zones that the step
    goes to, whether a mask or a sheet lies there, the worst grade of a condition, the school in force of a method.
    """

    others: frozenset[str]
    licences: frozenset[str]
    senior: bool
    before: frozenset[str]
    plate: str
    zones: tuple[str, ...]
    covered: bool
    worst: Callable[[str], int]
    school: Callable[[str], str]

    def has(self, *named: str) -> bool:
        """Whether any of these, modalities or groups, is done in the same visit."""
        return bool(all_of(named) & self.others)


class Settings(Frozen):
    """Base of what is set for a modality: no field takes a number that is none."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """The aspects of the modality that these settings touch, which screening speaks of by themselves; `scale` is
        the machine's.
        """
        return ()

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """The fields that follow from the visit around it and are not typed, with their values."""
        return {}

    def chosen(self, said: Mapping[str, Any], card: Any) -> Self:
        """The start settings with what is chosen of them, and what follows from that. Raises ValidationError."""
        return type(self).model_validate(self.model_dump() | dict(said))

    @classmethod
    def together(cls, stages: "Sequence[Self]") -> "Whole | None":
        """What the stages of one step come to as a whole, where that is more than each by itself."""
        return None

    #: Fields that its settings had before, and have no more.
    GONE: ClassVar[frozenset[str]] = frozenset()

    #: Fields that begin as the area asks, and follow it where nobody set them otherwise.
    BY_AREA: ClassVar[frozenset[str]] = frozenset()

    @classmethod
    def upgraded(cls, before: Mapping[str, Any]) -> list[dict[str, Any]]:
        """Settings as a record of before has them, as those of the stages that they are today; one as it was where its
        shape never changed.
        """
        return [dict(before)]

    @classmethod
    def stage_of(cls, title: str, nth: int, stages: Sequence[Mapping[str, Any]]) -> int:
        """Which of these an act of before belongs to, by its title, or as the `nth` of its step on a clock."""
        return 0

    @classmethod
    def number_of(cls, name: str) -> tuple[int, str]:
        """Which of these a number of before belongs to, and its name there."""
        return 0, name

    @property
    def comparable(self) -> bool:
        """Whether what it is set to is told beside last time's; False where the work has settings of another kind."""
        return True

    def fitted(self, card: Any) -> Self:
        """What of it a machine can do. Raises Refused where that is nothing."""
        return self

    def sparing(self, stopped: frozenset[str], card: Any) -> Self:
        """The same without the aspects that screening stops, where a gentler way has them not."""
        return self

    @property
    def licence(self) -> str:
        """The right that these settings ask for, beyond the modality's own; "" for none."""
        return ""

    def twin_for(self, value: float, card: Any) -> Self:
        """The settings that give what was typed as the twin of one. Raises BadInput on the twin."""
        return self

    def warmed_c(self, card: Any, seconds: float, held_back: bool) -> tuple[float, float] | None:
        """(surface, untouched skin) in °C after so many seconds of it on a zone, held at its target as a hand
        does; None for what does not warm.
        """
        return None

    def tags(self) -> tuple[str, ...]:
        """The lines of aftercare that hang on how it was done, beside those of the modality."""
        return ()

    def prints(self, card: Any) -> Prints | None:
        """The footprints that it is laid in; None for what is not laid pulse by pulse, and without a tip."""
        return None

    def drawn(self, card: Any, grounds: tuple[Ground, ...]) -> "Dose | None":
        """Its dose on a client's own plates, where that hangs on lines and not on an area alone. Raises Refused where
        none lies there.
        """
        return None

    @property
    def ready_min(self) -> float | None:
        """Minutes on the skin before what waits for it may begin; None where nothing does."""
        return None

    @property
    def dial(self) -> tuple[str, float] | None:
        """What is set on the machine's scale: its name, where it stands; None for what is placed and not set."""
        at = getattr(self, "at", None)
        return None if at is None else ("set to", float(at))


#: The settings of any one modality.
Set = TypeVar("Set", bound=Settings)


class Subject(Settings):
    """The client and the zone that a modality is planned for. `area_cm2` is what it may treat there, `laid` how many
    footprints of which tip find room on it, where that is known.
    """

    phototype: int | None = Field(None, ge=1, le=6, title="Phototype")
    sensitive: bool = Field(False, title="Sensitive skin")
    first_visit: bool = Field(True, title="First visit")
    tanned: bool = Field(False, title="Tanned")
    dehydrated: bool = Field(False, title="Dehydrated, or winter")
    bony: bool = Field(False, title="Over bone")
    thin: bool = Field(False, title="Thin skin")
    area_cm2: float = Field(300, ge=0.01, le=4000, title="Treatable area", json_schema_extra={"unit": "cm²"})
    weight_kg: float | None = Field(None, gt=2, le=300, title="Body weight", json_schema_extra={"unit": "kg"})
    verdict: Verdict = "go"
    last: Before | None = None
    laid: tuple[tuple[str, Annotated[int, Field(ge=0, le=250_000)]], ...] | None = None

    @property
    def prints_a_pass(self) -> int:
        """How many footprints a pass takes as they are laid on the plate."""
        return sum(many for _, many in self.laid or ())

    @property
    def print_counts(self) -> tuple[Quantity, ...]:
        """The same as inputs of a working, tip by tip."""
        return tuple(
            Quantity(name=f"footprints, {tip}", value=many, digits=0, rules=("body.area",))
            for tip, many in self.laid or ()
        )

    @property
    def area(self) -> Quantity:
        """The treatable area as an input of a working."""
        return Quantity(name="treatable area", value=self.area_cm2, unit="cm²", digits=0, rules=("body.area",))


def slack(limit: float) -> float:
    """What rounding may add to a limit, below zero as above."""
    return abs(limit) * TOLERANCE


def in_zone(
    subject: Subject, zone: str, work: str, measures: Measures | None = None, finger_mm: float | None = None
) -> Subject:
    """The same client in one zone of a plate (both sides): bony and thin as the zone is, the area as the modality may
    treat there.

    `work` is the modality's name on the plate, "" where it keeps no margins. Raises BadInput on "zone" for one that is
    on no plate.
    """
    name = next((plate_name for plate_name in PLATES if zone in zone_names(plate_name)), None)
    if name is None:
        raise BadInput({"zone": f"There is no zone “{zone}”."})
    finger = number("face.finger_breadth") if finger_mm is None else finger_mm
    whole_plate = plate(measures or Measures(), name)
    able = treatable(measures or Measures(), work, finger, name).zones if work else whole_plate.zones
    area = sum(area_cm2(shape) for (_, one), shape in able.items() if one == zone)
    if area < LEAST_CM2:
        raise BadInput(
            {"zone": f"Nothing of the {zone} may be treated with this: margins and no-go areas take it all."}
        )
    return subject.model_copy(update={"bony": zone in BONY, "thin": zone in THIN, "area_cm2": round(area, 1)})


class Dose(NamedTuple):
    """The numbers by key, what to mind, what is refused by field; `stops` has every reason why, `refused` the
    weightiest for a field; `given` is what the skin gets that adds up.
    """

    numbers: dict[str, Quantity]
    cautions: tuple[Caution, ...]
    refused: dict[str, Caution]
    stops: tuple[Caution, ...] = ()
    given: tuple[Exposure, ...] = ()

    @property
    def against(self) -> tuple[Caution, ...]:
        """Every reason against these settings."""
        return self.stops or tuple(self.refused.values())


class Whole(NamedTuple):
    """What stages of one work come to together: numbers by key, and what stands against which of them."""

    numbers: dict[str, Quantity]
    stops: tuple[tuple[int, Caution], ...] = ()


class Amount(NamedTuple):
    """Which number of a dose says how much it is, and whether it adds up as it is given (else it is a level that is
    held).
    """

    key: str
    adds_up: bool = False


class Start(NamedTuple):
    """Start-up settings, and the working of the one that matters most."""

    settings: Settings
    worked: Quantity


class Increment(NamedTuple):
    """A step: the setting that it changes and its size, None for one step of the machine's scale; `down` where less of
    its unit is stronger.
    """

    field: str
    size: float | None = None
    down: bool = False


class Modality(Protocol):
    """The face of a modality's module; its words stand in the rule book under the same id."""

    @property
    def NAME(self) -> str:
        """Its id."""

    @property
    def CARD(self) -> type[Frozen] | None:
        """The kind of card that its machines have; None where it needs none."""

    @property
    def INCREMENT(self) -> Increment:
        """What is changed, and by how much, when it is taken a step up or down."""

    @property
    def AMOUNT(self) -> Amount | None:
        """Which number of its dose says how much was given; None where none does."""

    @property
    def WAYS(self) -> Ways:
        """How it is worked, whatever is set."""

    @property
    def Settings(self) -> type[Settings]:
        """What is set for it."""

    def start(self, card: Any, subject: Subject) -> Start:
        """Settings to begin with for this client and zone, and how they came about."""

    def dose(self, settings: Any, card: Any, subject: Subject) -> Dose:
        """What these settings come to: amounts, minutes, doses; cautions; what a ceiling refuses."""

    def acts(self, make: Making) -> Iterable[Act]:
        """Its acts at the chair, in time; the last of a waiting one is its wait."""


#: When each adjustment of a start value is made: rule "<modality>.adjust.<name>" says by how many steps.
ADJUSTMENTS: dict[str, Callable[[Subject], bool]] = {
    "first_visit": lambda s: s.first_visit,
    "sensitive": lambda s: s.sensitive,
    "dark": lambda s: (s.phototype or 0) >= number("phototype.dark"),
    "tanned": lambda s: s.tanned,
    "dehydrated": lambda s: s.dehydrated,
    "bone": lambda s: s.bony,
    "thin": lambda s: s.thin,
    "reacted": lambda s: s.last is not None and titrate(s.last).turn in ("down", "stop"),
    "careful": lambda s: s.verdict == "change",
    "missed": lambda s: s.last is not None and titrate(s.last).turn == "up",
}
#: What holds for every modality that says nothing of its own.
USUALLY = {"reacted": "titration.down"}
#: These describe a skin that last time's setting has already been fitted to.
KNOWN_SINCE = frozenset({"first_visit", "sensitive", "dark"})


def started(
    name: str,
    step: float,
    least: float,
    most: float,
    subject: Subject,
    unit: str = "",
    digits: int = 1,
    base: Quantity | None = None,
) -> Quantity:
    """The start value of a setting: the rule book's, or where last time ended, and each adjustment as a line of the
    working.

    `step` is one step of the setting, which the result is rounded down to; it lies from `least` to `most`.
    """
    last = subject.last.at if subject.last else None
    if last is not None:
        lines = [
            Quantity(name="where last time ended", value=last, unit=unit, digits=digits, rules=("start.carried_over",))
        ]
    else:
        lines = [base or quantity(f"{name}.start", "start value", digits)]
    for key, holds in ADJUSTMENTS.items():
        rule_id = f"{name}.adjust.{key}" if has_rule(f"{name}.adjust.{key}") else USUALLY.get(key, "")
        if rule_id and holds(subject) and not (last is not None and key in KNOWN_SINCE):
            lines.append(
                Quantity(name=_words(key), value=number(rule_id) * step, unit=unit, digits=digits, rules=(rule_id,))
            )
    total = sum(line.value or 0 for line in lines)
    value = on_scale(min(max(least, int((total - least) / step + 1e-9) * step + least), most))
    said = "".join(
        f" {line.value:+g} {line.name}" if n else f"{line.value:g} {line.name}" for n, line in enumerate(lines)
    )
    return Quantity(
        name="start value",
        value=value,
        unit=unit,
        digits=digits,
        formula=said.replace("-", "− ").replace("+", "+ "),
        inputs=tuple(lines),
        rules=tuple(one for line in lines for one in line.rules),
    )


def _words(key: str) -> str:
    return {
        "first_visit": "first visit",
        "sensitive": "sensitive skin",
        "dark": "phototype IV or darker",
        "tanned": "tan",
        "dehydrated": "dehydrated, or winter",
        "bone": "bone",
        "thin": "thin skin",
        "reacted": "last time's reaction",
        "careful": "something to mind",
        "missed": "last time fell short",
    }[key]


def on_scale(value: float) -> float:
    """A value as it can be set and read, without the last binary places: steps of a tenth add up to 1.7."""
    return round(value, 6)


def on_card(name: str, card: MachineCard, subject: Subject) -> Quantity:
    """The start value on a machine's own scale: rule "<modality>.start" is a share of the scale, in per cent."""
    share = number(f"{name}.start")
    at = card.least + share / 100 * (card.most - card.least)
    base = as_set(f"{share:g} % of the scale", at, card.scale, 1, f"{name}.start")
    return started(name, card.step, card.least, card.most, subject, card.scale, base=base)


class Judge:
    """Collects numbers, cautions and refusals; ceilings hold here, whatever asked."""

    def __init__(self) -> None:
        self.numbers: dict[str, Quantity] = {}
        self.mind: list[Caution] = []
        self.refused: dict[str, Caution] = {}
        self.stops: list[Caution] = []
        self.given: dict[str, Exposure] = {}

    def tell(self, key: str, found: Quantity) -> float | None:
        """Keeps a number; its value."""
        self.numbers[key] = found
        return found.value

    def most(self, rule_id: str, found: Quantity, field: str, action: str = "", limit: float | None = None) -> bool:
        """Refuses a value above a rule's (or `limit`, which must not lie above it); whether it holds. Unknown values
        hold.
        """
        ceiling = number(rule_id) if limit is None else limit
        if found.value is None or found.value <= ceiling + slack(ceiling):
            return True
        words = (
            f"{found.name[0].upper()}{found.name[1:]}: {found.text} is above {ceiling:g}"
            f" {rule(rule_id).unit or found.unit}."
        )
        self.refuse(rule_id, words, field, action)
        return False

    def gives(
        self,
        agent: str,
        found: Quantity,
        rule_id: str,
        field: str,
        action: str = "",
        limit: float | None = None,
        by: Literal["zone", "body"] = "zone",
    ) -> bool:
        """Refuses as `most`; what is given of an agent adds up over the stages of a visit, to no more than this."""
        self.exposes(agent, found, rule_id, limit, by)
        return self.most(rule_id, found, field, action, limit)

    def exposes(
        self,
        agent: str,
        found: Quantity,
        rule_id: str,
        limit: float | None = None,
        by: Literal["zone", "body"] = "zone",
    ) -> None:
        """Keeps what is given of an agent; of several limits the least, of the same what was said last."""
        new, there = exposed(agent, found.value, found.unit, rule_id, limit, by), self.given.get(agent)
        if there is None or new.limit <= there.limit:
            self.given[agent] = new

    def least(self, rule_id: str, found: Quantity, field: str, action: str = "") -> bool:
        """Refuses a value below a rule's; whether it holds."""
        floor = number(rule_id)
        if found.value is None or found.value >= floor - slack(floor):
            return True
        words = (
            f"{found.name[0].upper()}{found.name[1:]}: {found.text} is below {floor:g}"
            f" {rule(rule_id).unit or found.unit}."
        )
        self.refuse(rule_id, words, field, action)
        return False

    def refuse(self, rule_id: str, words: str, field: str, action: str = "") -> None:
        """Refuses a field; beside it stands the first reason, or the first that nobody plans past."""
        stop = caution(rule_id, "stop", words, action, field)
        self.stops.append(stop)
        if field not in self.refused or (rule(rule_id).absolute and not rule(self.refused[field].rule).absolute):
            self.refused[field] = stop

    def warn(self, rule_id: str, found: Quantity, field: str = "", action: str = "") -> None:
        """Warns of a value at or above a rule's."""
        if found.value is not None and found.value >= number(rule_id) - slack(number(rule_id)):
            words = (
                f"{found.name[0].upper()}{found.name[1:]}: {found.text}; {number(rule_id):g} {rule(rule_id).unit} is"
                " the line."
            )
            self.mind.append(caution(rule_id, "change", words, action, field))

    def change(self, rule_id: str, words: str = "", action: str = "", field: str = "") -> None:
        """Something to change."""
        self.mind.append(caution(rule_id, "change", words, action, field))

    def know(self, *rule_ids: str) -> None:
        """Things to know, in the rule book's own words."""
        self.mind += [caution(rule_id) for rule_id in rule_ids]

    def dose(self) -> Dose:
        """Everything that was collected."""
        return Dose(self.numbers, tuple(self.mind), self.refused, tuple(self.stops), tuple(self.given.values()))


def physical(judge: Judge, name: str, card: MachineCard, at: float, field: str = "at") -> Quantity:
    """What a setting on the card's scale means, told under its own key. Outside the scale it is refused, and beyond
    what was measured where it could be stronger; on the milder side it counts as the last point there. Without a
    calibration the ceiling falls back to a share of the scale.
    """
    found = card.quantity(at)
    if not card.least <= at <= card.most:
        judge.refuse(
            "device.scale", f"The {card.name} is set from {card.least:g} to {card.most:g} {card.scale}.", field
        )
    elif found.value is None and card.calibration:
        end, bound = card.calibration[0 if at < card.calibration[0][0] else -1]
        if card.milder_beyond(at):  # judged by its neighbour
            words = f"beyond {end:g} {card.scale}, where the {card.name} was measured: milder than there"
            found = found.model_copy(update={"value": bound, "formula": words})
        else:
            words = f"The {card.name} was measured to {end:g} {card.scale}: beyond, nothing is known."
            judge.refuse("device.calibration", words, field)
    elif found.value is None:
        most = card.least + number("device.unknown_share") / 100 * (card.most - card.least)
        words = f"Dose unknown: {found.formula}."
        action = (
            f"Stay at {most:g} {card.scale} or below, or have the {card.name} measured and add the points under"
            " Practice."
        )
        judge.change("device.unknown_share", words, action, field)
        if at > most + slack(most):
            judge.refuse(
                "device.unknown_share",
                f"{most:g} {card.scale} at most where the dose is unknown: {found.formula}.",
                field,
                action,
            )
    judge.tell(name, found)
    return found


def as_set(name: str, value: float, unit: str = "", digits: int = 1, *rules: str) -> Quantity:
    """A number that was set."""
    return Quantity(name=name, value=value, unit=unit, digits=digits, rules=rules)


def worked(
    name: str, value: float | None, unit: str, formula: str, inputs: tuple[Quantity, ...], *rules: str, digits: int = 1
) -> Quantity:
    """A number that was computed; unknown when anything that went in is unknown."""
    known = all(part.value is not None for part in inputs)
    return Quantity(
        name=name, value=value if known else None, unit=unit, digits=digits, formula=formula, inputs=inputs, rules=rules
    )


def gel_ml(name: str, subject: Subject, film_mm: float) -> Quantity:
    """Gel for the area, by film."""
    film = (
        as_set("film", film_mm, "mm", 2, f"{name}.film")
        if has_rule(f"{name}.film")
        else as_set("film", film_mm, "mm", 2)
    )
    value = subject.area_cm2 * film_mm / 10
    return worked(
        "gel", value, "mL", "area × film ÷ 10", (subject.area, film), "product.film", digits=0 if value >= 10 else 1
    )


def whole(rule_id: str) -> int:
    """A rule's value as a whole number. Raises KnowledgeError when it is none."""
    value = number(rule_id)
    if value != int(value):
        raise KnowledgeError(f"the rule “{rule_id}” is no whole number")
    return int(value)


def begun(module: Modality, card: Any, subject: Subject) -> Start:
    """A modality's start values. Raises BadInput on "card" where its scale or last time's value reaches beyond what can
    be set.
    """
    try:
        return module.start(card, subject)
    except ValidationError as broken:
        fields = ", ".join(str(error["loc"][0]) for error in broken.errors() if error["loc"])
        raise BadInput(
            {"card": f"This machine's scale or last time's value gives no setting that is possible: {fields}."}
        ) from broken


def incremented(module: Modality, settings: Set, card: Any, up: bool) -> Set:
    """Settings one step stronger or gentler, inside the setting's own bounds and the machine's scale.

    Whether the step may be taken is for the dose to say: it knows the ceilings.
    """
    return stepped(module.INCREMENT, settings, card, up)


def carried(increment: Increment, settings: Set, card: Any, subject: Subject) -> Set:
    """Usual start settings, at where last time ended: a step on by what the skin said to it.

    Raises ValidationError where that cannot be set.
    """
    if subject.last is None or subject.last.at is None:
        return settings
    last, turn = set_at(increment, settings, subject.last.at), titrate(subject.last).turn
    last = type(settings).model_validate(last.model_dump())
    return last if turn == "same" else stepped(increment, last, card, up=turn == "up")


def set_at(increment: Increment, settings: Set, value: float) -> Set:
    """Settings with the one that is stepped set to a value."""
    field = increment.field
    return settings.model_copy(update={field: type(getattr(settings, field))(value)})


def stepped(increment: Increment, settings: Set, card: Any, up: bool) -> Set:
    """Settings one increment stronger or gentler, as `incremented`."""
    field, size, _ = increment
    down = lower_is_more(increment, card)
    by = size if size is not None else card.step if isinstance(card, MachineCard) else 0.5
    value = on_scale(getattr(settings, field) + (by if up != down else -by))
    least, most = (
        (card.least, card.most) if field == "at" and isinstance(card, MachineCard) else _bounds(type(settings), field)
    )
    return settings.model_copy(update={field: type(getattr(settings, field))(min(max(value, least), most))})


def lower_there(module: Modality, settings: Set, card: Any, skin: str) -> Set:
    """Settings so many steps lower as the rule book says of skin over bone ("bone"), or of thin skin: of its class by
    name, else of all ("thin").
    """
    name = module.WAYS.adjusts or module.NAME
    own = [f"{name}.adjust.{skin}", *([] if skin == "bone" else [f"{name}.adjust.thin"])]
    rule_id = next((one for one in own if has_rule(one)), "")
    for _ in range(round(-number(rule_id)) if rule_id else 0):
        settings = incremented(module, settings, card, up=False)
    return settings


def lower_is_more(increment: Increment, card: Any) -> bool:
    """Whether less of the setting is stronger: a cold head's degrees, not the levels of one that gets colder."""
    return increment.down and (not isinstance(card, MachineCard) or card.rises)


def stronger(module: Modality, one: float, other: float, card: Any) -> bool:
    """Whether one value of the setting that is stepped is stronger than another, on this machine."""
    return (other - one if lower_is_more(module.INCREMENT, card) else one - other) > 1e-9


def more_energy(card: Any, field: str, was: float, now: float) -> float | None:
    """How many times the energy of a setting another one is; None where the machine's scale says nothing of it."""
    known = isinstance(card, MachineCard) and field == "at"
    before, after = (card.physical(was), card.physical(now)) if known else (was, now)
    return after / before if before and after else None


def _bounds(model: type[Frozen], field: str) -> tuple[float, float]:
    marks = model.model_fields[field].metadata
    low = next((mark.ge for mark in marks if getattr(mark, "ge", None) is not None), 0.0)
    return low, next((mark.le for mark in marks if getattr(mark, "le", None) is not None), 1e6)
