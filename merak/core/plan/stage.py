"""One stage of a step: one setting of one machine on one set of zones, and what that comes to for this client."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from math import ceil
from typing import Annotated
from uuid import UUID

from pydantic import (
    ConfigDict,
    Field,
    SerializeAsAny,
    ValidationError,
    ValidationInfo,
    WithJsonSchema,
    field_validator,
)

from merak.core.body.plate import (
    GROUPS,
    PLATES,
    SIDES,
    all_zones,
    bare,
    is_speck,
    keys_on,
    plate_with,
    sided,
    zone_names,
)
from merak.core.body.treatable import Treatable
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import (
    Consider,
    Manner,
    Trait,
    about,
    all_of,
    aspects,
    caution,
    methods,
    number,
    rule,
    traits,
)
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card, MachineCard
from merak.core.modality.exposure import Exposure
from merak.core.modality.making import NO_MANNER
from merak.core.modality.prints import Prints, looser
from merak.core.modality.shared import (
    Circumstances,
    Dose,
    Modality,
    Settings,
    Subject,
    begun,
    incremented,
    more_energy,
    set_at,
    stronger,
)
from merak.core.modality.titration import titrate
from merak.core.modality.ways import Ground
from merak.core.plan.brief import FEW, MANY, Brief, plates_of, workable
from merak.core.plan.by_class import PATIENCE, There, against, by_class, told
from merak.core.plan.facts import Machine
from merak.core.plan.fitting import NO_METHODS, Methods, chosen, title
from merak.core.plan.footing import Footing, footing, is_opened
from merak.core.plan.footprints import Bed, along, beds, counted, is_narrow
from merak.core.plan.screening import STOPPING, demand
from merak.core.plan.shelf import Coat, amounts, coat_of, on_the_shelf
from merak.core.remembered import remembered
from merak.core.working import Caution, Frozen, Quantity

needs(
    __name__,
    """
    min: chair.spot.minutes plan.minutes_unknown visit.half_face work.off
    of what it was: titration.fifth titration.twice
    steps: titration.incident
    tip: grid.small_tip
    words: chair.spot.once physician.never plan.closed_zones plan.licence plan.machine plan.senior screening.operator
    words: titration.ungraded titration.worse
    """,
    group=("ENERGY",),
)


class Unfit(Settings):
    """Settings that their modality does not take, or no longer: kept as they were written, told where they are read."""

    model_config = ConfigDict(frozen=True, extra="allow")


#: A modality's own settings: which, says the modality of the stage.
Chosen = Annotated[SerializeAsAny[Settings], WithJsonSchema({"type": "object", "title": "The modality's settings"})]


class Beyond(Frozen):
    """An area that no plate draws (feet, elbows, a back): its name and how large it is, cm². It is laid all over, and
    never counted.
    """

    name: str = Field(min_length=2, max_length=40)
    cm2: float = Field(ge=1, le=6000)

    @field_validator("name")
    @classmethod
    def _of_its_own(cls, name: str) -> str:
        if bare(name) in all_zones():
            raise ValueError(f"the {name} is drawn on a plate: choose it there")
        return name


class Stage(Frozen):
    """One continuous piece of a step. `zones` empty means everywhere that the modality may go; those `beyond` the
    plates are named among them where they are all, and `parts` are areas marked on a plate, in which alone it goes
    there; `manner` is how it is worked beside that, where anything is said of it.
    """

    id: str = Field(pattern=r"^[a-z0-9-]{1,40}$")
    modality: str
    settings: Chosen = Field(default_factory=dict, validate_default=True)
    zones: tuple[str, ...] = ()
    beyond: tuple[Beyond, ...] = Field((), max_length=6)
    parts: tuple[UUID, ...] = Field((), max_length=12)
    machine: str = ""
    manner: Manner | None = None

    @property
    def how(self) -> Manner:
        """How it is worked; nothing said where nothing is."""
        return self.manner or NO_MANNER

    @property
    def values(self) -> dict[str, object]:
        """Its settings by name, as they are kept."""
        return self.settings.model_dump(mode="json")

    @property
    def as_it_was(self) -> Settings:
        """What was set, read by its modality whether or not its bounds allow it today: for what is long done."""
        if not isinstance(self.settings, Unfit):
            return self.settings
        return MODALITIES[self.modality].Settings.model_construct(None, **self.values)

    @property
    def at(self) -> float | None:
        """Where its strength stands; None where that cannot be read."""
        found = getattr(self.settings, MODALITIES[self.modality].INCREMENT.field, None)
        return float(found) if isinstance(found, int | float) else None

    def with_settings(self, settings: Settings | Mapping[str, object]) -> "Stage":
        """The stage set otherwise: a modality's settings, or what they are made from. Raises ValidationError."""
        chosen = MODALITIES[self.modality].Settings.model_validate(dict(settings))
        return self.model_copy(update={"settings": chosen})

    @field_validator("modality")
    @classmethod
    def _known(cls, name: str) -> str:
        if name not in MODALITIES:
            raise ValueError(f"there is no modality “{name}”")
        return name

    @field_validator("settings", mode="before")
    @classmethod
    def _as_the_modality_takes_them(cls, told: object, info: ValidationInfo) -> object:
        module, values = MODALITIES.get(info.data.get("modality", "")), told
        if isinstance(told, Settings):  # also what was copied with a change, which nothing has read yet
            values = dict(told)
        try:
            return module.Settings.model_validate(values) if module else values
        except ValidationError:
            return Unfit.model_validate(values)


@by_book(MANY)
def footing_of(stage: Stage) -> Footing:
    """What a stage leaves skin in and asks of it, as it is set and with what it lays; worked out once."""
    return footing(stage.modality, stage.settings, stage.how.product)


@dataclass(frozen=True, eq=False)
class Worked:
    """A stage computed: where it really goes, its dose; seconds with hands on, of waiting before it works, of its own,
    in which what was laid on comes off, and in which one half is shown against the other; what stands against it;
    whether its own time leaves the hands free; the sides that any of it lies on; whether it goes to nothing but marks
    each of which bears so many pulses at most; what it lays on, the newest last.

    It is worked out once for the same values, so that the same one is the same object.
    """

    stage: Stage
    settings: Settings
    machine: Machine | None
    areas: dict[str, float]
    dose: Dose
    hands_s: int
    own_s: int
    waits: bool
    stops: tuple[Caution, ...]
    cautions: tuple[Caution, ...]
    classes: tuple[There, ...] = ()
    spot_only: bool = False
    turn_s: int = 0
    wait_s: int = 0
    off_s: int = 0
    sides: frozenset[str] = frozenset(SIDES)
    capped: bool = False
    coat: tuple[Coat, ...] = ()

    @property
    def modality(self) -> str:
        """What is done."""
        return self.stage.modality

    @property
    def card(self) -> Card | None:
        """Its machine's card; None without one."""
        return self.machine.card if self.machine else None

    @property
    def title(self) -> str:
        """What it is called."""
        return title(self.modality)

    @cached_property
    def skin(self) -> frozenset[str]:
        """Where it goes, side by side."""
        return sided(self.areas)

    @cached_property
    def footing(self) -> Footing:
        """What it leaves that skin in, and asks of it."""
        return footing(self.modality, self.settings, self.stage.how.product)

    @property
    def seconds(self) -> int:
        """All of its own time."""
        return self.hands_s + self.wait_s + self.own_s + self.off_s + self.turn_s

    @cached_property
    def exposures(self) -> dict[str, tuple[Exposure, ...]]:
        """Zone → what it gives there: as the dose of the zone's classes has it, unknown where that says nothing of what
        the whole gives. A test spot gives next to nothing.
        """
        if self.spot_only:
            return {}
        found: dict[tuple[int, ...], tuple[Exposure, ...]] = {(): self.dose.given}
        there: dict[str, tuple[Exposure, ...]] = {}
        for zone in self.areas:
            mine = tuple(n for n, one in enumerate(self.classes) if zone in one.zones)
            if mine not in found:
                given = tuple(each for n in mine for each in self.classes[n].dose.given)
                said = {each.agent for each in given}
                unsaid = (each._replace(amount=None) for each in self.dose.given if each.agent not in said)
                found[mine] = (*given, *unsaid)
            there[zone] = found[mine]
        return there


def derived(
    modality: str,
    others: frozenset[str],
    brief: Brief,
    of: Methods,
    zones: tuple[str, ...] = (),
    covered: bool = False,
) -> dict[str, object]:
    """Fields that follow from the rest of the plan, from where the stage goes and from who is at the chair, and are not
    typed: `others` are the other modalities of the plan; a mask or a sheet lies on its skin where it is `covered`.
    """
    facts = brief.facts
    around = Circumstances(
        others=others,
        licences=facts.licences,
        senior=facts.senior,
        before=frozenset(brief.known),
        plate=(plates_of(zones, modality) or about()[modality].plates)[0],
        zones=tuple(dict.fromkeys(map(bare, workable(brief, modality, zones)))),
        covered=covered,
        worst=facts.findings.worst,
        school=partial(chosen, of),
    )
    return MODALITIES[modality].Settings.follows(around)


def school_settings(modality: str, of: Methods) -> dict[str, object]:
    """What the schools in force set for a modality."""
    found: dict[str, object] = {}
    for method in methods().values():
        school = next(one for one in method.schools if one.id == chosen(of, method.id))
        found |= school.set.get(modality, {})
    return found


def school_zones(brief: Brief, modality: str, of: Methods) -> tuple[str, ...]:
    """Where the schools in force take a modality, as far as this client may have it there; none for where it usually
    goes.
    """
    wanted = [
        zone
        for method in methods().values()
        for school in method.schools
        if school.id == chosen(of, method.id) and modality in school.on
        for name in school.zones
        for zone in GROUPS.get(name, (name,))
    ]
    able = workable(brief, modality, tuple(wanted)) if wanted else {}
    return tuple(zone for zone in dict.fromkeys(wanted) if zone in able)


def school_acts(modality: str, of: Methods) -> tuple[str, ...]:
    """What the schools in force say about doing a modality, where the matter is one that touches it."""
    schools = (next(one for one in m.schools if one.id == chosen(of, m.id)) for m in methods().values())
    return tuple(school.action for school in schools if modality in school.on)


@remembered(MANY)
def begin(
    brief: Brief,
    modality: str,
    stage_id: str,
    of: Methods,
    consider: Consider | None = None,
    zones: tuple[str, ...] = (),
) -> Stage:
    """A modality with its start settings for this client, by the schools in force, for a condition where one is meant.

    Taken down step by step where a ceiling stands against the start. Raises Refused where screening, a missing machine
    or a ceiling stops it, BadInput on "card" where the machine's scale allows no setting.
    """
    if modality in brief.board:
        demand(brief.board[modality])
    module, machine = MODALITIES[modality], brief.machine(modality)
    if module.CARD and machine is None:
        raise Refused(f"No machine for {title(modality)}: the owner adds one under Practice.", "plan.machine")
    zones = zones or school_zones(brief, modality, of)
    areas = workable(brief, modality, zones)
    if not areas:
        raise _nothing_left(modality, zones)
    subject = brief.subject(modality, sum(areas.values()))
    card = machine.card if machine else None
    stopped = frozenset(name for name in brief.board if name in aspects() and brief.board[name].verdict in STOPPING)
    settings = _carried(brief, modality, begun(module, card, subject).settings, card)
    changed = school_settings(modality, of) | (consider.set if consider else {})
    settings = settings.chosen(_answered(brief, modality) | changed, card)
    stage = Stage(
        id=stage_id,
        modality=modality,
        settings=settings.fitted(card).sparing(stopped, card),
        zones=zones,
        machine=machine.id if machine else "",
    )
    return lowered(brief, stage, of)


def _nothing_left(modality: str, zones: tuple[str, ...]) -> Refused:
    """Why a stage has no skin."""
    if zones and not plates_of(zones, modality):
        plates = " and ".join(PLATES[name].title.lower() for name in about()[modality].plates)
        return Refused(f"{title(modality)} is worked on {plates} alone.", "plan.closed_zones")
    words = f"Nothing is left to treat with {title(modality)}: margins, answers or marks close all of it."
    return Refused(words, "plan.closed_zones")


def _answered(brief: Brief, modality: str) -> dict[str, float]:
    """The setting that a read test spot gave, while nothing was treated with it yet."""
    read = brief.facts.spots.get(modality)
    carried = read is not None and read.speaks(brief.facts.today) and modality not in brief.known
    return {MODALITIES[modality].INCREMENT.field: read.answer.set_to} if read and carried else {}


def _carried(brief: Brief, modality: str, settings: Settings, card: Card | None) -> Settings:
    """Start settings with what last time says: where it ended, a step on by its titration, never more than a fifth more
    energy.
    """
    before, module = brief.known.get(modality), MODALITIES[modality]
    if before is None or before.at is None:
        return settings
    field, turn = module.INCREMENT.field, titrate(before).turn
    last = set_at(module.INCREMENT, settings, before.at)
    now = float(getattr(settings, field))
    if turn != "up":  # a scale's foot, or a usual value, is no reason for more
        highest = last if turn == "same" else incremented(module, last, card, up=False)
        return highest if stronger(module, now, float(getattr(highest, field)), card) else settings
    more = None if module.INCREMENT.down else more_energy(card, field, before.at, now)
    return last if more is not None and more > number("titration.fifth") + 1e-9 else settings


def _after_incident(module: Modality, last: Settings, card: Card | None) -> Settings:
    """Settings so many steps below where an incident happened (rule titration.incident)."""
    lower = last
    for _ in range(round(-number("titration.incident"))):
        lower = incremented(module, lower, card, up=False)
    return lower


def lowered(brief: Brief, stage: Stage, of: Methods) -> Stage:
    """The stage with its setting taken down until nothing stands against it. Raises Refused when even the gentlest is
    refused.
    """
    module = MODALITIES[stage.modality]
    for _ in range(PATIENCE):
        found = compute(brief, stage, of=of)
        if not found.stops:
            return stage
        machine = found.machine
        gentler = incremented(module, found.settings, machine.card if machine else None, up=False)
        if gentler == found.settings:
            break
        stage = stage.with_settings(gentler)
    raise Refused(f"{found.stops[0].words} {found.stops[0].action}".strip(), found.stops[0].rule)


def compute(
    brief: Brief,
    stage: Stage,
    others: frozenset[str] = frozenset(),
    of: Methods = NO_METHODS,
    again: bool = False,
    covered: bool = False,
) -> Worked:
    """What a stage comes to beside the other stages of a plan; `again` where its step has done the same work with the
    same machine before: what is made ready once stays ready, and one test spot speaks for both; `covered` where
    a mask or a sheet lies on its skin.

    Raises BadInput, by "id.field", for settings that cannot be read, Refused where screening stops it.
    """
    opened = is_opened(others, brief.facts.history, brief.facts.answers, brief.facts.today)
    covered = covered or any(one.covers for one in on_the_shelf(stage.how.product))
    follows = derived(stage.modality, others, brief, of, stage.zones, covered)
    return _worked_out(brief, stage, follows, again, opened)


@remembered(MANY)
def _worked_out(brief: Brief, stage: Stage, follows: dict[str, object], again: bool, opened: bool) -> Worked:
    if about()[stage.modality].licence == "physician":
        raise Refused(f"{title(stage.modality)}: recorded and referred, never planned here.", "physician.never")
    module, trait = MODALITIES[stage.modality], traits()[stage.modality]
    machine = brief.machine(stage.modality, stage.machine)
    if module.CARD and machine is None:
        raise Refused(f"No machine for {title(stage.modality)}: the owner adds one under Practice.", "plan.machine")
    settings = read_settings(stage, follows)
    card = machine.card if machine else None
    scale = (card.least, card.most) if isinstance(card, MachineCard) else (0.0, 10.0)
    touched: tuple[str, ...] = settings.aspects(scale)
    for name in (stage.modality, *touched):
        if name in brief.board:
            demand(brief.board[name])
    areas = worked_areas(brief, stage)
    if not areas:
        raise _nothing_left(stage.modality, stage.zones)
    dose, classes = _dose(brief, stage, settings, card, areas)
    minutes = dose.numbers["minutes"].value if "minutes" in dose.numbers else None
    unknown = minutes is None
    if minutes is None:
        minutes = number("plan.minutes_unknown")
    if module.WAYS.spot and module.WAYS.spot.same_visit and not again:
        minutes += module.WAYS.spot.wait_s(brief.dark) / 60
    stops, minds = _judged(brief, stage, (*dose.against, *against(dose, classes)))
    cm2 = planned_cm2(stage.how, areas)
    spot_only, sides = brief.spot_first(stage.modality), _sides(brief, stage, areas)
    if spot_only:
        minutes, unknown = 0 if again else number("chair.spot.minutes"), False
        words = (
            f"{title(stage.modality)}: no test spot was read yet. Today only the spot is placed; the rest is a visit of"
            " its own."
        )
        minds = (caution("chair.spot.minutes", "change", words), *minds)
    if unknown:
        words = f"How long {title(stage.modality)} takes cannot be computed; {minutes:g} minutes are set aside."
        minds = (*minds, caution("plan.minutes_unknown", "change", words))
    laid = coat_of(stage.modality, settings, stage.how.product, opened)
    numbers = dose.numbers | told(stage.modality, settings, card, classes)
    if laid != coat_of(stage.modality, settings, "", opened=False):
        numbers.pop("product", None)  # how much of what is usual
    numbers |= _laid_on(laid, bool(module.WAYS.amounts) or "product" in numbers, cm2)
    return Worked(
        stage=stage,
        settings=settings,
        machine=machine,
        areas=areas,
        dose=dose._replace(numbers=numbers),
        hands_s=0 if again and spot_only else _hands_s(trait, cm2, again),
        own_s=round(minutes * 60),
        turn_s=turn_s() if module.WAYS.halves and not spot_only and len(sides) > 1 else 0,
        sides=sides,
        capped=_is_capped(brief, stage, settings, card),
        wait_s=0 if spot_only else round((stage.how.wait_min or 0) * 60),
        off_s=0 if spot_only else off_s(stage.how, cm2),
        waits=trait.waits,
        stops=stops,
        cautions=(
            *_minded(brief, stage, (stage.modality, *touched)),
            *minds,
            *dose.cautions,
            *_bare(_laid(brief, stage, settings, card, areas)),
        ),
        classes=classes,
        spot_only=spot_only,
        coat=laid,
    )


def _laid_on(laid: tuple[Coat, ...], told: bool, cm2: float) -> dict[str, Quantity]:
    """How much of each product lies on so much skin; of the last the work has `told` it itself."""
    return {f"laid.{n}": one for n, one in enumerate(amounts(laid[:-1] if told else laid, cm2).values())}


def read_settings(stage: Stage, enforced: dict[str, object]) -> Settings:
    """A stage's settings with what follows from the visit around it. Raises BadInput by "id.field"."""
    if not isinstance(stage.settings, Unfit) and enforced.items() <= dict(stage.settings).items():
        return stage.settings
    try:
        return MODALITIES[stage.modality].Settings.model_validate(stage.values | enforced)
    except ValidationError as broken:
        raise BadInput(
            {f"{stage.id}.{e['loc'][0] if e['loc'] else 'settings'}": e["msg"] for e in broken.errors()}
        ) from broken


def worked_areas(brief: Brief, stage: Stage) -> dict[str, float]:
    """Zone, or name of what lies beyond the plates → cm². Raises Refused for what is not worked there."""
    if stage.beyond and not about()[stage.modality].beyond:
        raise Refused(f"{title(stage.modality)} is worked on what a plate draws alone.", "plan.closed_zones")
    if {*stage.parts} - {one.id for one in brief.facts.marks}:
        raise Refused("A part that it goes to was taken off the plate.", "plan.closed_zones")
    drawn = workable(brief, stage.modality, stage.zones, stage.parts)
    return drawn | {one.name: one.cm2 for one in stage.beyond}


def planned_cm2(how: Manner, areas: Mapping[str, float]) -> float:
    """How much skin a stage is planned on: all of its zones; of what is marked when it is seen so much at most."""
    whole = sum(areas.values())
    return min(whole, how.most_cm2 or whole) if how.where == "chair" else whole


def at_most(how: Manner, laid: tuple[Bed, ...]) -> dict[str, int]:
    """The footprints of a pass, by the name of their tip: all that have room, or, of what is marked when it is seen, as
    many as its most takes.
    """
    count = counted(laid)
    if how.where != "chair" or not how.most_cm2:
        return count
    tips = {bed.tip.name: bed.tip.area_cm2 for bed in laid}
    left, found = how.most_cm2, {}
    for name in sorted(count, key=lambda one: tips[one]):  # a small one first: that is what it is for
        found[name] = min(count[name], max(ceil(left / tips[name] - 1e-9), 0))
        left -= found[name] * tips[name]
    return {name: many for name, many in found.items() if many}


def settled(brief: Brief, stages: Sequence[Stage]) -> dict[str, tuple[str, ...]]:
    """By id, the zones of the stages that go wherever the rest of the visit works, as far as their work may."""
    rest = [one for one in stages if one.how.where != "worked"]
    every = tuple(dict.fromkeys(zone for one in rest for zone in workable(brief, one.modality, one.zones, one.parts)))
    return {
        one.id: tuple(zone for zone in every if plate_with(bare(zone)) in about()[one.modality].plates)
        for one in stages
        if one.how.where == "worked"
    }


def moved(brief: Brief, stage: Stage, zones: tuple[str, ...], beyond: tuple[Beyond, ...] | None = None) -> Stage:
    """The stage on other zones, as `resized`."""
    new = stage.model_copy(update={"zones": zones, "beyond": stage.beyond if beyond is None else beyond})
    return resized(brief, stage, new)


def resized(brief: Brief, stage: Stage, new: Stage) -> Stage:
    """A stage as it was and as it is to be: what it began with for the area that it had, and nobody set otherwise,
    follows the area that it has now. As it is to be where it cannot be there: why, says the plan.
    """
    module = MODALITIES[stage.modality]
    fields = module.Settings.BY_AREA
    before, after = _cm2_of(brief, stage), _cm2_of(brief, new)
    if not fields or not after or isinstance(stage.settings, Unfit):
        return new
    card = brief.card(stage.modality, stage.machine)
    usual, now = (begun(module, card, brief.subject(stage.modality, cm2)).settings for cm2 in (before or after, after))
    mine = {name: getattr(now, name) for name in fields if getattr(stage.settings, name) == getattr(usual, name)}
    return new.with_settings(stage.values | mine) if mine else new


def _cm2_of(brief: Brief, stage: Stage) -> float:
    """How much skin a stage is planned on; 0 where it cannot be."""
    try:
        return planned_cm2(stage.how, worked_areas(brief, stage))
    except Refused:
        return 0.0


@remembered(FEW)
def grounds_on(brief: Brief, modality: str, worked: frozenset[str], parts: tuple[UUID, ...]) -> tuple[Ground, ...]:
    """Where a modality goes on these zones, within these parts where there are any."""
    plates = plates_of(tuple(worked), modality)
    return tuple(_ground(brief.own_area(modality, plate, parts), worked) for plate in plates)


def grounds(brief: Brief, stage: Stage, worked: Iterable[str]) -> tuple[Ground, ...]:
    """Where a stage goes on this client's own plates; nothing passes through a zone that is closed or was not asked
    for.
    """
    return grounds_on(brief, stage.modality, frozenset(worked), stage.parts)


def _ground(area: Treatable, worked: frozenset[str]) -> Ground:
    open_ = keys_on(worked)
    return Ground(area, frozenset(key for key, part in area.zones.items() if key not in open_ and not is_speck(part)))


def _dose(
    brief: Brief, stage: Stage, settings: Settings, card: Card | None, areas: dict[str, float]
) -> tuple[Dose, tuple[There, ...]]:
    """The dose of all zones, and of those over bone and of thin skin; what is drawn in lines has that in its lines."""
    drawn: Dose | None = settings.drawn(card, grounds(brief, stage, areas))
    if drawn is not None:
        return drawn, ()

    def of(what: Settings, whose: Subject) -> Dose:
        return _computed(stage.modality, what, card, whose)

    cm2 = planned_cm2(stage.how, areas)
    subject = brief.subject(stage.modality, cm2)
    laid = _laid(brief, stage, settings, card, areas)
    if laid is not None:
        subject = subject.model_copy(update={"laid": tuple(at_most(stage.how, laid).items())})
    part = cm2 / sum(areas.values())
    there = {zone: area * part for zone, area in areas.items()}
    return of(settings, subject), tuple(by_class(stage.modality, settings, card, subject, there, of))


def _laid(
    brief: Brief, stage: Stage, settings: Settings, card: Card | None, areas: dict[str, float]
) -> tuple[Bed, ...] | None:
    """Its footprints on this client's own plate; None for what has none. Raises Refused where no whole one has room."""
    of = looser(settings.prints(card), stage.how.gap_mm)
    if of is None:
        return None
    found = tuple(bed for _, there in laid_beds(brief, stage, areas, of) for bed in there)
    if not counted(found):
        words = f"No room for the {of.tip.name} on {', '.join(areas)} alone, as far as {title(stage.modality)} may go."
        raise Refused(f"{words} Take a smaller tip, or the zones beside them.", "plan.closed_zones")
    return found


def _is_capped(brief: Brief, stage: Stage, settings: Settings, card: Card | None) -> bool:
    """Whether it goes to nothing but marked lines and spots, each of which bears so many pulses at most."""
    of = settings.prints(card) if stage.parts else None
    narrow = {one.id for one in brief.facts.marks if is_narrow(one)}
    return bool(of and of.each and narrow.issuperset(stage.parts) and not stage.zones)


def laid_beds(
    brief: Brief, stage: Stage, areas: Iterable[str], of: Prints
) -> Iterator[tuple[Treatable, tuple[Bed, ...]]]:
    """The footprints of a stage plate by plate: section by section, and along each marked line or spot that it goes
    to.
    """
    marks = [one for one in brief.facts.marks if one.id in stage.parts]
    wide = tuple(one.id for one in marks if not is_narrow(one))
    worked = frozenset(areas)
    for ground in grounds_on(brief, stage.modality, worked, wide):
        plate = ground.area.plate.name
        narrow = tuple(one for one in marks if one.plate == plate and is_narrow(one))
        spread = any(one.plate == plate and not is_narrow(one) for one in marks) or not narrow
        open_ = frozenset(workable(brief, stage.modality, zone_names(plate))) if narrow else frozenset()
        rows = along(brief.own_area(stage.modality, plate), narrow, of, open_) if narrow else ()
        yield ground.area, (*(beds(ground.area, worked, of) if spread else ()), *rows)


def _sides(brief: Brief, stage: Stage, areas: dict[str, float]) -> frozenset[str]:
    """The sides that any of it lies on; both for what no plate draws."""
    there = grounds(brief, stage, areas)
    found = {side for on in there for (side, zone), part in on.worked.items() if not is_speck(part)}
    return frozenset(found if found and not stage.beyond else SIDES)


def _hands_s(trait: Trait, cm2: float, again: bool) -> int:
    """Seconds in which it is made ready and laid on."""
    return round(60 * ((trait.again_min if again else trait.hands_min) + trait.on_min * cm2 / 100))


def off_s(how: Manner, cm2: float) -> int:
    """Seconds in which what was laid on comes off, where it is said how."""
    return round(60 * number("work.off") * cm2 / 100) if how.off not in ("", "stays on", "lifted") else 0


def turn_s() -> int:
    """The seconds in which one half is shown against the other."""
    return round(number("visit.half_face") * 60)


def _bare(laid: tuple[Bed, ...] | None) -> Iterator[Caution]:
    """Where no footprint has room, though others lie elsewhere."""
    bare = [bed.name for bed in laid or () if not bed.grid.count]
    if bare:
        words = f"No room for this tip: {', '.join(bare)}."
        yield caution(
            "grid.small_tip", "change", words, "Take a smaller one there in a stage of its own, or leave it out."
        )


@remembered(2 * MANY)
def _computed(modality: str, settings: Settings, card: Card | None, subject: Subject) -> Dose:
    """A dose: at every change of a plan only what changed is computed anew."""
    return MODALITIES[modality].dose(settings, card, subject)


def can_override(stop: Caution) -> bool:
    """Whether a senior may plan past it in writing: a ceiling with a number that is not absolute, or what asks for a
    senior anyway.
    """
    if stop.rule == "plan.senior":
        return True
    found = rule(stop.rule)
    return found.value is not None and not found.absolute


def _judged(brief: Brief, stage: Stage, doses: tuple[Caution, ...]) -> tuple[tuple[Caution, ...], tuple[Caution, ...]]:
    """What stands against a stage, and what a senior has planned past: told with name, time and reason, wherever the
    plan is shown.
    """
    against = list(doses)
    answered, card = _answered(brief, stage.modality), brief.card(stage.modality, stage.machine)
    for field, most in answered.items():
        if stage.at is not None and stronger(MODALITIES[stage.modality], stage.at, most, card):
            words = f"The test spot was read for {most:g}; this is set to {stage.at:g}."
            against.append(caution("chair.spot.once", "stop", words, "Go back to it, or place another spot.", field))
    against += _too_much_after_incident(brief, stage)
    against += _too_far_up(brief, stage)
    licence = about()[stage.modality].licence
    if licence not in ("", "micro depth", *brief.facts.licences):
        words = f"{title(stage.modality)} needs a licence for {licence}, which the treating person does not hold."
        against.append(caution("plan.licence", "stop", words, "Book it with somebody who holds it.", "licence"))
    asks = (
        [reason for reason in brief.board[stage.modality].reasons if reason.senior]
        if stage.modality in brief.board
        else []
    )
    if asks and not brief.facts.senior:
        words = f"{title(stage.modality)}: a senior decides. {asks[0].reason}"
        against.append(caution("plan.senior", "stop", words, "Ask the senior to sign.", "senior"))
    stops, past = [], []
    for stop in against:
        word = next(
            (
                o
                for o in brief.facts.overrides
                if o.rule == stop.rule and o.modality == stage.modality and o.words == stop.words
            ),
            None,
        )
        if word is None or not can_override(stop):
            stops.append(stop)
        else:
            action = f"Allowed by {word.by}, {word.at:%-d %b %Y %H:%M}: “{word.reason}”."
            past.append(
                Caution(
                    weight="change",
                    words=f"Past a ceiling: {stop.words}",
                    action=action,
                    rule=stop.rule,
                    field=stop.field,
                )
            )
    return tuple(stops), tuple(past)


def _too_much_after_incident(brief: Brief, stage: Stage) -> Iterator[Caution]:
    """What happened at a setting is not planned again at it: two steps lower, or a senior's written word (rule
    titration.incident).
    """
    before, module = brief.facts.history.get(stage.modality), MODALITIES[stage.modality]
    if before is None or not before.incident or before.at is None:
        return
    field = module.INCREMENT.field
    card, settings = brief.card(stage.modality, stage.machine), read_settings(stage, {})
    if not settings.comparable:
        return
    last = set_at(module.INCREMENT, settings, before.at)
    most, now = (
        float(getattr(_after_incident(module, last, card), field)),
        float(getattr(settings, field)),
    )
    if most == before.at:  # the foot of its scale: there is nothing gentler to go to
        words = f"{before.incident} at {before.at:g}, which is its gentlest setting."
        yield caution("titration.incident", "stop", words, "Leave it out.", field)
    elif stronger(module, now, most, card):
        words = f"{before.incident} at {before.at:g}. Two steps lower is {most:g}; this is set to {now:g}."
        yield caution("titration.incident", "stop", words, f"Go to {most:g}, or leave it out.", field)


def _too_far_up(brief: Brief, stage: Stage) -> Iterator[Caution]:
    """A setting above what last time's answer allows: one increment, and at most a fifth more energy. Beyond that is a
    senior's written word, up to twice a fifth; so is any more where the skin asked for less, and a second step without
    a grade between is nobody's. What is left on for a time is told, not stopped: it may have been taken off early.
    """
    before, module, now = brief.known.get(stage.modality), MODALITIES[stage.modality], stage.at
    if before is None or before.at is None or now is None or module.WAYS.ended == "done" or before.incident:
        return
    settings, card = read_settings(stage, {}), brief.card(stage.modality, stage.machine)
    field, said = module.INCREMENT.field, titrate(before)
    if not settings.comparable or not stronger(module, now, before.at, card):
        return
    was = f"Last time, {before.on:%-d %b}: {before.at:g}. " if before.on else ""
    if said.rule in ("titration.ungraded", "titration.worse") or said.turn == "down":
        yield caution(said.rule, "stop", f"{was}{said.words}", f"Go back to {before.at:g}.", field)
        return
    next_up = float(getattr(incremented(module, set_at(module.INCREMENT, settings, before.at), card, up=True), field))
    times = None if module.INCREMENT.down else more_energy(card, field, before.at, now)
    if times and times > number("titration.twice") + 1e-9:
        words = f"{was}This is {times:.2g} times as much. {rule('titration.twice').words}"
        yield caution("titration.twice", "stop", words, f"Go to {next_up:g} or below.", field)
    elif stronger(module, now, next_up, card) or (times and times > number("titration.fifth") + 1e-9):
        more = f"This is {times:.2g} times as much. " if times else ""
        words = f"{was}{more}One step up is {next_up:g}, and never more than a fifth more energy."
        instead = "Longer, on more skin, or with a machine of finer steps; or let a senior decide."
        yield caution("titration.fifth", "stop", words, instead, field)


def _last_time(brief: Brief, stage: Stage) -> Iterator[Caution]:
    """What last time's answer says to this one, with its reason; a setting above what it asks for is told."""
    before = brief.facts.history.get(stage.modality)
    if before is None or before.on is None or before.at is None:
        return
    if stage.modality not in brief.known:
        entry = rule(brief.forgotten(before))
        yield caution(entry.id, "know", f"Last time, {before.on:%-d %b %Y}: {before.at:g}. {entry.words}", entry.reason)
        return
    said, module = titrate(before), MODALITIES[stage.modality]
    now = stage.at
    if now is None or stage.modality in brief.facts.spots:
        return
    if not read_settings(stage, {}).comparable:
        return
    card = brief.card(stage.modality, stage.machine)
    gentler, more = stronger(module, before.at, now, card), stronger(module, now, before.at, card)
    went = "gentler" if gentler else "stronger" if more else "as then"
    words = f"Last time, {before.on:%-d %b}: {before.at:g}; now {now:g}, {went}. {said.words}"
    against = {
        "down": ("as then", "stronger"),
        "stop": ("as then", "stronger", "gentler"),
        "same": ("stronger",),
        "up": (),
    }[said.turn]
    action = "Go back, or let a senior decide." if went in against else rule(said.rule).reason
    yield caution(said.rule, "change" if went in against else "know", words, action)


def _minded(brief: Brief, stage: Stage, subjects: tuple[str, ...]) -> tuple[Caution, ...]:
    """What answers and findings change about it and the aspects that it touches, and what was lifted by whom."""
    found = list(_last_time(brief, stage))
    for name in subjects:
        for reason in brief.board[name].reasons if name in brief.board else ():
            where = f" ({', '.join(reason.zones)})" if reason.zones else ""
            lifted = f" {reason.was} was lifted by: {reason.lifted}." if reason.lifted else ""
            left_out = " Left out." if reason.zones and reason.stops else ""
            found.append(
                Caution(
                    weight="change",
                    words=f"{reason.reason}{where}{left_out}",
                    action=f"{reason.action}{lifted}",
                    rule=reason.rule,
                )
            )
    if brief.facts.careful_hands and stage.modality in all_of(("ENERGY",)):
        found.append(caution("screening.operator", "change", "", "Let a colleague hold the tip."))
    return tuple(found)
