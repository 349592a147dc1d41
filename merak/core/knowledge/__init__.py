"""The rule book: every rule and number of the trade as data, with its reason, source and mark."""

import re
import tomllib
from collections.abc import Iterator, Sequence
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any, Literal, Self

from pydantic import ConfigDict, Field, ValidationError, model_validator

from merak.core.errors import KnowledgeError
from merak.core.knowledge import current
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import is_read
from merak.core.working import Caution, Frozen, Quantity, Weight

FOLDER = Path(__file__).parent
#: Where a modality has its own file; one more folder is one more entry.
MODALITY_FOLDERS = [FOLDER / "modality"]

#: S: a published source (quoted from memory unless it says otherwise). P: common practice, no source.
#: H: a house default, editable, never above a ceiling. D: a definition.
SourceMark = Literal["S", "P", "H", "D"]
Verdict = Literal["go", "change", "wait", "letter", "no", "never"]


class BookEntry(Frozen):
    """Base of everything in the rule book: no unknown key, no number that is none."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Sourced(BookEntry):
    """What every line of the rule book carries: its id, why, from where, and the source's kind."""

    id: str
    reason: str
    source: str
    mark: SourceMark


class Cited(Sourced):
    """One that says something in words."""

    words: str


def printed(value: float) -> str:
    """A number as it is read: a true minus, thousands apart."""
    plain = f"{value:,.0f}".replace(",", " ") if abs(value) >= 10_000 else f"{value:g}"
    return plain.replace("-", "−")


class Rule(Cited):
    """One line of the rule book. `value` carries `unit`, and is printed in its words, "{value}"; `absolute` marks a
    ceiling that nobody plans past, `signed` a number that may lie below zero.

    A studio may change it where it says how far: from `least` to `most`, and with `stricter` only to that side of what
    was published; never above what it lies `under`.
    """

    value: float | None = None
    unit: str = ""
    absolute: bool = False
    signed: bool = False
    stricter: Literal["", "less", "more"] = ""
    least: float | None = None
    most: float | None = None
    under: tuple[str, ...] = ()

    @property
    def changeable(self) -> bool:
        """Whether a studio may put another number in its place."""
        return self.value is not None and (self.least is not None or self.most is not None)

    @property
    def bounds(self) -> tuple[float, float]:
        """From where to where a studio may put it; both its value where it may not."""
        value = self.value or 0
        least = value if self.least is None else self.least
        most = value if self.most is None else self.most
        return least, most


class Ruling(BookEntry):
    """What one answer means for modalities, aspects of them, or groups: `on`. A wait counts `days` or calendar `months`
    from the answer's date.

    With `zoned` it holds only where the client points to (the answer's zones, all of it where none are named), with
    `zones` only there. `senior` asks for a senior at the chair, or one who signs.
    """

    on: tuple[str, ...]
    verdict: Verdict
    reason: str
    action: str = ""
    days: int | None = Field(None, ge=1)
    months: int | None = Field(None, ge=1)
    zoned: bool = False
    zones: tuple[str, ...] = ()
    senior: bool = False

    @property
    def counts(self) -> bool:
        """Whether it waits for some time, and not for something to be over."""
        return self.days is not None or self.months is not None


class Option(BookEntry):
    """One possible answer. `dated` asks for a date, which `wait` counts from; `zoned` asks where. One that is `like`
    another means what that means. `leaves` says what hazards the skin may still be in by it, up to which degree.
    """

    id: str
    words: str
    like: str = ""
    dated: str = ""
    zoned: bool = False
    leaves: dict[str, int] = Field(default_factory=dict)
    rulings: tuple[Ruling, ...] = ()


class Question(BookEntry):
    """One screening question, under a `heading`. `since` marks those that are asked afresh at every visit, `many` those
    that may have several answers, each with its zones and date; with `when` it appears only after one of these answers,
    each "question=option". `sensitive` answers are shown only to those who treat.
    """

    id: str
    heading: str
    ask: str
    options: tuple[Option, ...]
    source: str
    mark: SourceMark
    since: bool = False
    many: bool = False
    when: tuple[str, ...] = ()
    sensitive: bool = False

    @model_validator(mode="after")
    def _alike(self) -> Self:
        """Options that are like another take its rulings. Raises ValueError for one that is like none."""
        rulings = {option.id: option.rulings for option in self.options}
        unlike = [one.like for one in self.options if one.like and (one.like not in rulings or one.like == one.id)]
        if unlike:
            raise ValueError(f"no other option is called “{unlike[0]}”")
        options = tuple(
            one.model_copy(update={"rulings": rulings[one.like]}) if one.like else one for one in self.options
        )
        object.__setattr__(self, "options", options)
        return self


class Sign(Cited):
    """What a finding of a condition means, from grade `least` up; `zoned` where it is graded so. Phototype is a finding
    too.
    """

    finding: str
    least: int
    rulings: tuple[Ruling, ...]


class Group(Cited):
    """Modalities and aspects that a rule may speak of together: groups and aspects that it names, and every modality
    that says it belongs to it.
    """

    members: tuple[str, ...] = ()


class Aspect(Cited):
    """A way of doing a modality that screening speaks of by itself, such as its blue light."""

    of: str


Said = dict[str, str | float | bool | tuple[str, ...]]
#: How a hand or a tip goes over skin.
Laying = Literal[
    "sweeps", "circles", "lines", "rows", "points", "dabs", "rolls", "grid", "kneaded", "all over", "still"
]
#: How a thing comes off again.
Off = Literal[
    "stays on", "water", "towel", "gauze", "sponge", "blade", "cleanser", "alcohol", "saline", "neutraliser", "lifted"
]
Worker = Literal["therapist", "senior", "assistant", "desk", "client"]


class Manner(BookEntry):
    """How a stage is worked, beside where it goes and what is set: what is laid under it or over it and how much; by
    which strokes, how often, how much skin is left between two footprints; half by half; its clock, and how long it
    waits before its work begins; what is asked, what is seen at its end, how it comes off; what it waits for, what is
    chosen at the chair; what it costs extra; who does what, what the free hand does, what is said.
    """

    where: Literal["", "worked", "chair"] = Field("", title="Where else")
    most_cm2: float | None = Field(None, gt=0, title="At most", json_schema_extra={"unit": "cm²"})
    product: str = Field("", max_length=120, title="Product")
    amount: str = Field("", max_length=80, title="How much")
    layer: Literal["", "under", "over"] = Field("", title="Laid")
    laying: Laying | Literal[""] = Field("", title="Strokes")
    often: str = Field("", max_length=120, title="How often")
    gap_mm: float | None = Field(None, gt=0, le=40, title="Left between", json_schema_extra={"unit": "mm"})
    half: bool = Field(False, title="Half by half")
    clock: Literal["", "at least", "at most", "exactly"] = Field("", title="Clock")
    least_min: float | None = Field(None, ge=0, le=240, title="Least", json_schema_extra={"unit": "min"})
    most_min: float | None = Field(None, gt=0, le=240, title="Most", json_schema_extra={"unit": "min"})
    wait_min: float | None = Field(None, gt=0, le=60, title="Waits first", json_schema_extra={"unit": "min"})
    beside: str = Field("", max_length=120, title="Beside it")
    ask: str = Field("", max_length=40, title="Ask for")
    ask_s: int = Field(0, ge=0, le=3600, title="Every", json_schema_extra={"unit": "s"})
    ends: str = Field("", max_length=120, title="Ends with")
    off: Off | Literal[""] = Field("", title="Comes off by")
    warmth: Literal["", "warm", "lukewarm", "cool"] = Field("", title="How warm")
    gate: str = Field("", max_length=120, title="Waits for")
    choice: tuple[str, ...] = Field((), max_length=3)
    extra: bool = Field(False, title="Paid extra")
    hands: dict[Worker, str] = Field(default_factory=dict)
    free_hand: str = Field("", max_length=120, title="Free hand")
    line: str = Field("", max_length=200, title="Say")


class Row(Manner):
    """A stage as a programme names it: the work (its own where none is named), what is set, which group of zones or
    which zones; from which visit on, and only by a "method=school". What is `optional` is offered and not begun with.
    """

    modality: str = ""
    set: Said = Field(default_factory=dict)
    zones: tuple[str, ...] = ()
    visit: int = Field(1, ge=1)
    only: str = ""
    optional: bool = False


class Programme(Cited):
    """A named list of stages that a step of a modality may start with; the `usual` one it does."""

    modality: str
    usual: bool = False
    stages: tuple[Row, ...] = Field(min_length=1, max_length=20)


class Help(BookEntry):
    """A condition that a modality helps: how good the evidence is, its rank among others, where, how it is set or by
    which programme.
    """

    id: str
    modality: str
    condition: str
    rank: int = Field(ge=1)
    evidence: Literal["strong", "fair", "weak"]
    set: Said = Field(default_factory=dict)
    programme: str = ""
    where: str = ""


class Consider(BookEntry):
    """One modality for a condition; the order of the list is the order of choice. `where` limits it to a group of
    zones, to those that are "graded", or to those that the "lines" through the graded ones run over.
    """

    modality: str
    evidence: Literal["strong", "fair", "weak"]
    set: Said = Field(default_factory=dict)
    programme: str = ""
    where: str = ""


class Condition(Cited):
    """A finding that is graded by zone, 0 to 4: what the grades mean, how it is told apart on the plate; what to
    consider follows from what the modalities say of it, by rank.
    """

    title: str
    letter: str
    grades: tuple[str, str, str, str]
    consider: tuple[Consider, ...] = ()
    refer: str = ""


class Trait(Cited):
    """What a plan has to know of a modality: where it comes in the order, its load on the skin, how it feels, hours
    until it has settled.

    `hands_min` are minutes with hands on before its own time begins, `again_min` those before a further stage of a step
    with the same machine, `on_min` so many more for each 100 cm² that something is laid on; `waits` whether the rest is
    waiting. `price` is in the studio's currency, and so much more for each further area. `checks` are made before the
    client is there, `protect` has to lie ready.
    """

    modality: str
    rank: int
    load: int = 0
    strong: bool = False
    hands_min: float = 0
    again_min: float = 0
    on_min: float = 0
    waits: bool = False
    settle_h: float = 0
    feel: str
    price: float = 0
    zone_price: float = 0
    checks: tuple[str, ...] = ()
    protect: tuple[str, ...] = ()


class Pairing(Cited):
    """How modalities fit together in one visit. Of "apart" and "one" none meets the others; "before" is the order;
    "alone" bears only `b` beside it; "beside" lets one run in the other's waiting time; "needs" asks for one of `b`.
    `newcomer` holds for new clients only, `unless` names a "method=school" that lifts it.
    """

    kind: Literal["apart", "before", "one", "alone", "beside", "needs"]
    a: tuple[str, ...]
    b: tuple[str, ...] = ()
    newcomer: bool = False
    unless: str = ""
    only: str = ""
    absolute: bool = False


#: State of skin → degree, 1 the least.
Degrees = dict[str, int]


class SkinState(Cited):
    """A state that work leaves skin in, and what each degree of it is called, the least first. A hazard holds on for so
    many hours after the visit, 0 ends with it; `inside` it holds against later stages of the same step too. A merit
    ends with the visit, and is given by one work where it is missing, degree by degree: its `mends`.
    """

    state: str
    degrees: tuple[str, ...] = Field(min_length=1)
    hours: tuple[float, ...] = ()
    inside: bool = False
    merit: bool = False
    mends: tuple[str, ...] = ()


class Guard(Cited):
    """What guards the client, or all in the room: how it `puts_on`, and `comes_off` where it does before the visit is
    over; the zones that it hides, what else it does the work of, whether it is worn `only` where it is asked for, what
    of it lies ready.
    """

    guard: str
    name: str
    puts_on: str
    comes_off: str = ""
    hides: tuple[str, ...] = ()
    also: tuple[str, ...] = ()
    only: bool = False
    tray: tuple[str, ...] = ()


#: What is sent through a coat.
Through = Literal["light", "sound", "current"]


class Product(Cited):
    """A kind of product on the shelf: by what other names it goes, what its coat lets through, whether it is sterile or
    light is not borne on it; how much lies on skin, mg/cm²; what is laid in its place on `opened` skin, or where it is
    to be `lit`; whether it comes `off` before the visit goes on; what of it people are allergic to, by the answers of
    that question; its pH from and to; out of what it is mixed at the chair and how long that lives, minutes; what it
    costs as an extra.
    """

    name: str
    called: tuple[str, ...] = ()
    kind: Literal[
        "gel",
        "serum",
        "booster",
        "cream",
        "cleanser",
        "tonic",
        "mist",
        "antiseptic",
        "saline",
        "softener",
        "exfoliant",
        "powder",
        "acid",
        "mask",
        "sheet",
        "foam",
        "numbing",
        "pencil",
        "sun protection",
    ]
    lets: tuple[Through, ...] = ()
    sterile: bool = False
    photosensitising: bool = False
    film: float = Field(0, ge=0, le=1000)
    unit: Literal["mL", "g"] = "mL"
    opened: str = ""
    lit: str = ""
    off: bool = False
    holds: tuple[str, ...] = ()
    ph: tuple[float, float] | None = None
    mixed: tuple[str, ...] = ()
    life_min: float = Field(0, ge=0, le=240)
    price: float = Field(0, ge=0, le=1000)


class SkinCase(BookEntry):
    """What a modality lays, leaves, bears and counts as otherwise where all of this is set, and what is set passes
    these rules.
    """

    set: dict[str, str] = Field(default_factory=dict)
    above: dict[str, str] = Field(default_factory=dict)
    coat: tuple[str, ...] = ()
    asks: Degrees = Field(default_factory=dict)
    leaves: Degrees = Field(default_factory=dict)
    bears: Degrees = Field(default_factory=dict)
    counts: Degrees = Field(default_factory=dict)


class OnSkin(Cited):
    """The hazards that a modality leaves skin in, and those that it may be done on, up to which degree: what is not
    listed is forbidden; what else it bears where all that it lays is `sterile`. The merits that it `asks` for, those
    that it `gives`, and to which degree it `ends` others. The products of its `coat`, the newest last; what has to get
    `through` whatever lies on the skin, whether it is never worked on skin without a `film`, and whether it `lifts`
    what lies there. The `guards` that it asks for, all where it says nothing, and those that it has to be `clear` of.
    Cases that hold change these. What it is done with `touches` skin, or what lies on it, unless it says otherwise.
    For how soon it may come again it `counts` as these agents, each by its degree.
    """

    modality: str
    touches: bool = True
    coat: tuple[str, ...] = ()
    through: Through | Literal[""] = ""
    film: bool = False
    lifts: bool = False
    guards: tuple[str, ...] | None = None
    clear: tuple[str, ...] = ()
    sterile: Degrees = Field(default_factory=dict)
    asks: Degrees = Field(default_factory=dict)
    gives: Degrees = Field(default_factory=dict)
    ends: Degrees = Field(default_factory=dict)
    leaves: Degrees = Field(default_factory=dict)
    bears: Degrees = Field(default_factory=dict)
    counts: Degrees = Field(default_factory=dict)
    cases: tuple[SkinCase, ...] = ()


class Agent(Cited):
    """What skin was given, whoever gave it: the days until the same skin may have it `again`, by degree, and the least
    that a `course` leaves; `dark` for phototypes IV and V where it is longer; the days until `others` of these may
    follow, and how long it waits itself `after_open`. Whether it `opens` skin, and whether a senior may make it a fifth
    `shorter`.
    """

    agent: str
    name: str
    again: tuple[int, ...] = Field(min_length=1)
    course: int = 0
    dark: int = 0
    others: int = 0
    after_open: int = 0
    opens: bool = False
    shorter: bool = False


class School(BookEntry):
    """One way of doing it: what it changes at the chair, in settings, in the order, in what is added; where what it is
    `on` goes when nothing else is said (zones and groups of them); `senior` asks for one.
    """

    id: str
    words: str
    action: str
    on: tuple[str, ...] = ()
    zones: tuple[str, ...] = ()
    set: dict[str, dict[str, str | float | bool]] = Field(default_factory=dict)
    rank: dict[str, int] = Field(default_factory=dict)
    adds: tuple[str, ...] = ()
    tray: tuple[str, ...] = ()
    senior: bool = False


class Method(Cited):
    """A matter that practitioners disagree on. The first school is the house's until the studio chooses another."""

    schools: tuple[School, ...]


AdviceWeight = Literal["do", "avoid", "normal", "call", "emergency"]


class Topic(BookEntry):
    """What aftercare speaks of: a `ladder` of words, each step saying what those below say and more; its pictogram.
    While the topic that it `gives_way` to lasts, it waits.
    """

    id: str
    weight: AdviceWeight
    sign: str
    ladder: tuple[str, ...]
    gives_way: str = ""


class Advice(Sourced):
    """One line of aftercare: after what was done (`tags`), on which topic, which step of its ladder, from and until so
    many hours after the end of the visit. `until_h` None holds until the next visit, or to the moment that `until`
    names. With `when` it concerns only those clients.
    """

    tags: tuple[str, ...]
    topic: str
    step: int = Field(0, ge=0)
    from_h: float = Field(0, ge=0)
    until_h: float | None = Field(None, ge=0)
    until: Literal["", "reading", "event"] = ""
    when: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """What it says. Raises KnowledgeError for a topic or step that there is not."""
        try:
            return topics()[self.topic].ladder[self.step]
        except (KeyError, IndexError):
            raise KnowledgeError(f"{self.id}: no step {self.step} of a topic “{self.topic}”") from None


class Home(Cited):
    """A product for home: how it is used, after what, for which family of skin (empty: all), from and until so many
    hours after it.

    Its amount a time is a film over the treated skin (`film` names a rule after.…_film, in mg/cm²) or `grams`. It
    begins when the one that it `follows` has ended.
    """

    use: str
    tags: tuple[str, ...]
    family: tuple[str, ...] = ()
    from_h: float = 0
    until_h: float
    film: str = ""
    grams: float = 0
    times: int = 1
    sterile: bool = False
    follows: str = ""


class AskOption(BookEntry):
    """One answer of a question afterwards."""

    value: str
    words: str


class AskAfter(Cited):
    """One question that is asked afterwards: which field of the answer it fills, and at which follow-ups."""

    field: str
    kinds: tuple[str, ...]
    options: tuple[AskOption, ...]


class Remedy(Cited):
    """What soothes: for what was seen from grade `least` on, for so many minutes; never where screening stops the
    modality that it is `screened_as`, nor after these.
    """

    seen: tuple[str, ...]
    least: int
    minutes: int
    screened_as: str = ""
    not_after: tuple[str, ...] = ()


class Landmark(BookEntry):
    """A point of a default half plate: x mm from the midline along the skin, y mm down. Named once a plate."""

    id: str
    x: float
    y: float
    plate: str = "face"


class Work(Cited):
    """A modality as the plate knows it: done in `strokes`, as a `grid` of footprints, or over an `area` at once.

    The tip is width × height in mm (a round one has one diameter), the overlap a share of it, the speed in mm/s;
    `paths` are the lines between landmarks that it follows, and `ends` where they do; `free` keeps no margin.
    The one that is `first` has its margins shown where nothing is chosen, the one that is `whole` goes everywhere.
    """

    manner: Literal["strokes", "grid", "area"]
    shape: Literal["rectangle", "square", "circle", "hexagon"] = "circle"
    tip_mm: tuple[float, float] = (10, 10)
    overlap: float = 0
    style: Literal["lines", "circles", "stroke and hold", "back and forth", "cross-hatch", "between landmarks"] = (
        "lines"
    )
    paths: tuple[str, ...] = ("low", "middle", "high", "jaw lift", "brow", "forehead", "neck")
    speed_mm_s: float = 20
    dwell_s: float | None = None
    film_mm: float | None = None
    free: bool = False
    first: bool = False
    whole: bool = False
    ends: Literal["hairline", "short of the temple"] = "hairline"


class Margin(Cited):
    """What modalities keep their distance from: a zone or spot, in finger breadths of the treating hand or in mm."""

    works: tuple[str, ...]
    keep_from: str
    value: float
    unit: Literal["finger", "mm"] = "finger"


class NoGo(Cited):
    """Places (zones or spots) where modalities never go. Nobody narrows these."""

    works: tuple[str, ...]
    places: tuple[str, ...]


class MarkKind(Cited):
    """A kind of finding that is marked on the plate: how it may be drawn, on which layer it lies, and which work it
    keeps out.

    `keeps_out` names ways of working, or is ("all",); they stay `keep_mm` away from it, or so far as `keep_mm_of`
    says of one. `measured` kinds carry a reading in that unit.
    """

    shapes: tuple[Literal["spot", "line", "area"], ...]
    layer: Literal["findings", "reactions", "temperature"] = "findings"
    graded: bool = False
    measured: str = ""
    keeps_out: tuple[str, ...] = ()
    keep_mm: float = 0
    keep_mm_of: dict[str, float] = Field(default_factory=dict)

    def keeps(self, work: str) -> float | None:
        """How far a way of working stays away from it, mm; None where it may pass over it."""
        if "all" not in self.keeps_out and work not in self.keeps_out:
            return None
        return self.keep_mm_of.get(work, self.keep_mm)


class About(Cited):
    """A modality in words: what it is, who may, how it is done, when it is enough, when to stop, what it uses up, which
    aftercare.

    `licence` names the right that it needs beyond the therapist's own; "physician" is recorded and referred, never
    planned. `work` is its name on the plate, "" where it touches no skin of its own. What it uses
    up `stays` on the skin or does not; `promise` is the rule of what is never promised of it. It is worked on these
    `plates` and on no other, on the first where nothing is said; or `beyond` them too, on what no plate draws; `also`
    on these zones beside the skin that is worked, where they are asked for.
    """

    title: str
    group: Literal[
        "current", "sound", "light", "heat", "cold and touch", "oxygen", "abrasion", "acids", "needles", "support"
    ]
    groups: tuple[str, ...] = ()
    work: str = ""
    licence: Literal["", "pulsed light", "fractional", "focused", "micro depth", "physician"] = ""
    technique: tuple[str, ...]
    endpoint: str
    stop: tuple[str, ...]
    consumables: tuple[str, ...] = ()
    stays: bool = False
    promise: str = ""
    tags: tuple[str, ...]
    plates: tuple[str, ...] = Field(min_length=1)
    beyond: bool = False
    also: tuple[str, ...] = ()


class Emergency(Cited):
    """An emergency card: how it looks (`words`), what to do, when to call, what to write down.

    `modalities` (or groups) are those that it is likely with. `leaves` is what it left, as the record says it; what
    waits for a doctor's letter afterwards are `letter_for` ("OWN": what was being done when it happened).
    """

    title: str
    action: tuple[str, ...]
    call: str
    record: str
    modalities: tuple[str, ...] = ()
    leaves: str = ""
    letter_for: tuple[str, ...] = ()


class Halting(Cited):
    """What is done first when a treatment is stopped, by modality or group."""

    modalities: tuple[str, ...]


class Tissue(Cited):
    """A layer of skin and below: thickness mm, conductivity W/(m·K), density kg/m³, heat capacity J/(kg·K), perfusion
    1/s.
    """

    mm: float
    k: float
    rho: float
    c: float
    perfusion: float = 0.0


class Book(BookEntry):
    """Everything in the folder, read once."""

    rule: tuple[Rule, ...] = ()
    question: tuple[Question, ...] = ()
    topic: tuple[Topic, ...] = ()
    advice: tuple[Advice, ...] = ()
    home: tuple[Home, ...] = ()
    ask_after: tuple[AskAfter, ...] = ()
    remedy: tuple[Remedy, ...] = ()
    landmark: tuple[Landmark, ...] = ()
    work: tuple[Work, ...] = ()
    margin: tuple[Margin, ...] = ()
    no_go: tuple[NoGo, ...] = ()
    mark_kind: tuple[MarkKind, ...] = ()
    modality: tuple[About, ...] = ()
    tissue: tuple[Tissue, ...] = ()
    sign: tuple[Sign, ...] = ()
    group: tuple[Group, ...] = ()
    aspect: tuple[Aspect, ...] = ()
    condition: tuple[Condition, ...] = ()
    help: tuple[Help, ...] = ()
    programme: tuple[Programme, ...] = ()
    trait: tuple[Trait, ...] = ()
    pairing: tuple[Pairing, ...] = ()
    skin_state: tuple[SkinState, ...] = ()
    on_skin: tuple[OnSkin, ...] = ()
    guard: tuple[Guard, ...] = ()
    agent: tuple[Agent, ...] = ()
    product: tuple[Product, ...] = ()
    method: tuple[Method, ...] = ()
    emergency: tuple[Emergency, ...] = ()
    halting: tuple[Halting, ...] = ()


#: What stands for a number in words: this rule's own, or another's by its id.
PLACE = re.compile(r"\{(value|[a-z0-9_]+(?:\.[a-z0-9_]+)+)\}")


def told(of: Book) -> Book:
    """The book with its numbers in its words: "{value}" is a rule's own, "{rf_bulk.stop}" another's.

    Raises KnowledgeError for one that is not there.
    """
    numbers = {rule.id: rule.value for rule in of.rule}
    return of.model_copy(
        update={
            kind: tuple(
                _told(entry, getattr(entry, "value", None), numbers, f"the {kind} “{entry.id}”") for entry in there
            )
            for kind in Book.model_fields
            if (there := getattr(of, kind))
        }
    )


def _told(of: Any, own: float | None, numbers: dict[str, float | None], name: str) -> Any:
    """Whatever has words in it, with its numbers in them; the same where there are none."""
    if isinstance(of, str):
        return PLACE.sub(lambda place: _number_in(place[1], own, numbers, name), of) if "{" in of else of
    if isinstance(of, tuple):
        new = tuple(_told(one, own, numbers, name) for one in of)
        return new if any(a is not b for a, b in zip(of, new, strict=True)) else of
    if isinstance(of, BookEntry):
        fields = {key: getattr(of, key) for key in of.model_fields_set}
        changed = {key: new for key, was in fields.items() if (new := _told(was, own, numbers, name)) is not was}
        return of.model_copy(update=changed) if changed else of
    return of


def _number_in(place: str, own: float | None, numbers: dict[str, float | None], name: str) -> str:
    value = own if place == "value" else numbers.get(place)
    if value is None:
        raise KnowledgeError(f"{name} prints a number that is not there: {{{place}}}")
    return printed(value)


def read_file(path: Path) -> Book:
    """One file of the rule book, validated.

    Raises KnowledgeError naming the file and the line, for broken TOML as for a broken entry.
    """
    text = path.read_text(encoding="utf-8")
    try:
        return Book.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as broken:
        raise KnowledgeError(f"{path.name}: {broken}") from broken
    except ValidationError as broken:
        first = broken.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise KnowledgeError(f"{path.name}, line {_line_of(text, first['loc'])}: {where}: {first['msg']}") from broken


def files() -> list[Path]:
    """The files of the rule book: what all share, then the modalities' own."""
    return [path for folder in (FOLDER, *MODALITY_FOLDERS) for path in sorted(folder.glob("*.toml"))]


@cache
def _places() -> dict[tuple[str, str], str]:
    """Where every entry stands: (kind, id) → file and line."""
    found: dict[tuple[str, str], str] = {}
    for path in files():
        kind = ""
        for number_, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            if heading := re.fullmatch(r"\[\[(\w+)\]\]", line.strip()):
                kind, begun = heading[1], number_
            elif kind and (named := re.fullmatch(r'id = "([^"]+)"', line.strip())):
                found.setdefault((kind, named[1]), f"{path.name}, line {begun}")
    return found


def place_of(kind: str, entry_id: str) -> str:
    """The file and the line where an entry of the rule book begins; its folder for what stands nowhere."""
    return _places().get((kind, entry_id), "knowledge")


def _line_of(text: str, loc: tuple[int | str, ...]) -> int:
    """The line where the entry that `loc` points at begins."""
    heading, index = f"[[{loc[0]}]]", loc[1] if len(loc) > 1 and isinstance(loc[1], int) else 0
    starts = [number for number, line in enumerate(text.splitlines(), 1) if line.strip() == heading]
    return starts[index] if index < len(starts) else 1


@cache
def written() -> Book:
    """The whole rule book as it is written, its numbers not yet in its words. Raises KnowledgeError when a file is
    broken or an id stands twice.
    """
    parts: dict[str, list[Any]] = {kind: [] for kind in Book.model_fields}
    known: set[tuple[str, ...]] = set()
    for path in files():
        read = read_file(path)
        for kind, entries in parts.items():
            for entry in getattr(read, kind):
                name = (kind, entry.id, getattr(entry, "plate", ""))
                if name in known:
                    raise KnowledgeError(f"{path.name}: the {kind} “{entry.id}” stands twice")
                known.add(name)
                entries.append(entry)
    return joined(Book(**parts))


def joined(of: Book) -> Book:
    """The book with what modalities say of themselves where it is read: their groups, and the conditions they help."""
    groups = (
        group.model_copy(
            update={"members": (*group.members, *(one.id for one in of.modality if group.id in one.groups))}
        )
        for group in of.group
    )
    by_rank = sorted(of.help, key=lambda one: (one.condition, one.rank, one.id))
    conditions = (
        condition.model_copy(
            update={
                "consider": tuple(
                    Consider(**one.model_dump(include={"modality", "evidence", "set", "programme", "where"}))
                    for one in by_rank
                    if one.condition == condition.id
                )
            }
        )
        for condition in of.condition
    )
    return of.model_copy(update={"group": tuple(groups), "condition": tuple(conditions)})


@cache
def published() -> Book:
    """The rule book that everybody has. Raises KnowledgeError as `written`, and for words without their number."""
    return told(written())


def book() -> Book:
    """The rule book that counts here: the published one, or what the studio made of it. Raises KnowledgeError."""
    other = current.held()
    return published() if other is None else other.book


@cache
def published_edition() -> str:
    """What this edition of the rule book is known by: the first half of the SHA-256 of its files."""
    whole = sha256()
    for path in files():
        whole.update(path.name.encode() + b"\0" + path.read_bytes())
    return whole.hexdigest()[:32]


def edition() -> str:
    """What the rule book that counts here is known by: its edition, and the studio's own version where it has one."""
    return current.edition() or published_edition()


@by_book()
def landmarks(plate: str) -> dict[str, tuple[float, float]]:
    """The default half's landmarks of a plate by name, (x, y) in mm."""
    return {mark.id: (mark.x, mark.y) for mark in book().landmark if mark.plate == plate}


@by_book()
def works() -> dict[str, Work]:
    """The modalities as the plate knows them, by id."""
    return {work.id: work for work in book().work}


@by_book()
def free_work() -> str:
    """The way of working that goes everywhere and keeps no distance from anything."""
    return next(work.id for work in book().work if work.whole)


@by_book()
def usual_work() -> str:
    """The way of working whose margins are shown where nothing is chosen."""
    return next(work.id for work in book().work if work.first)


@by_book()
def mark_kinds() -> dict[str, MarkKind]:
    """The kinds of finding by id."""
    return {kind.id: kind for kind in book().mark_kind}


@by_book()
def about() -> dict[str, About]:
    """The modalities in words, by id."""
    return {entry.id: entry for entry in book().modality}


@by_book()
def tissues() -> dict[str, Tissue]:
    """The layers of tissue by id."""
    return {entry.id: entry for entry in book().tissue}


@by_book()
def traits() -> dict[str, Trait]:
    """What a plan has to know of each modality, by modality."""
    return {entry.modality: entry for entry in book().trait}


@by_book()
def skin_states() -> dict[str, SkinState]:
    """The states that work leaves skin in, by name."""
    return {entry.state: entry for entry in book().skin_state}


@by_book()
def on_skin() -> dict[str, OnSkin]:
    """What each modality leaves and bears, by modality."""
    return {entry.modality: entry for entry in book().on_skin}


@by_book()
def guards() -> dict[str, Guard]:
    """What guards the client and all in the room, by name."""
    return {entry.guard: entry for entry in book().guard}


@by_book()
def agents() -> dict[str, Agent]:
    """What counts for how soon skin may be worked again, by name."""
    return {entry.agent: entry for entry in book().agent}


@by_book()
def shelf() -> dict[str, Product]:
    """The kinds of product, by each name that they go by, in small letters."""
    return {name.lower(): one for one in book().product for name in (one.name, *one.called)}


@by_book()
def programmes() -> dict[str, tuple[Programme, ...]]:
    """The programmes that a step may start with, by modality."""
    found: dict[str, tuple[Programme, ...]] = {}
    for entry in book().programme:
        found[entry.modality] = (*found.get(entry.modality, ()), entry)
    return found


@by_book()
def conditions() -> dict[str, Condition]:
    """The conditions that are graded, by id."""
    return {entry.id: entry for entry in book().condition}


@by_book()
def methods() -> dict[str, Method]:
    """The matters that practitioners disagree on, by id."""
    return {entry.id: entry for entry in book().method}


@by_book()
def topics() -> dict[str, Topic]:
    """What aftercare speaks of, by id."""
    return {entry.id: entry for entry in book().topic}


@by_book()
def aspects() -> dict[str, Aspect]:
    """The aspects of modalities by id."""
    return {entry.id: entry for entry in book().aspect}


@by_book()
def members(name: str) -> frozenset[str]:
    """The modalities and aspects of a group, or the one that carries this name. Raises KnowledgeError for neither."""
    for group in book().group:
        if group.id == name:
            return frozenset(one for member in group.members for one in members(member))
    if name not in about() and name not in aspects():
        raise KnowledgeError(f"no modality, aspect or group “{name}” in the rule book")
    return frozenset({name})


@by_book()
def all_of(names: tuple[str, ...]) -> frozenset[str]:
    """Everything that these names mean together."""
    return frozenset(one for name in names for one in members(name))


@by_book()
def emergencies(modality: str = "") -> tuple[Emergency, ...]:
    """The emergency cards, those that are likely with a modality first."""
    return tuple(sorted(book().emergency, key=lambda card: not (modality and modality in all_of(card.modalities))))


@by_book()
def halting(modality: str) -> str:
    """What is done first when this is stopped; words for anything where the rule book has none."""
    found = (entry.words for entry in book().halting if modality in all_of(entry.modalities))
    return next(found, "Everything off the skin; look, and ask.")


@by_book()
def _rules() -> dict[str, Rule]:
    return {entry.id: entry for entry in book().rule}


def rule(rule_id: str) -> Rule:
    """The rule with this id. Raises KnowledgeError when there is none."""
    try:
        return _rules()[rule_id]
    except KeyError:
        raise KnowledgeError(f"no rule “{rule_id}” in the rule book") from None


def has_rule(rule_id: str) -> bool:
    """Whether the rule book has a rule of this id."""
    return rule_id in _rules()


@cache
def _published_numbers() -> dict[str, float]:
    return {rule.id: rule.value for rule in published().rule if rule.value is not None}


def number(rule_id: str) -> float:
    """The rule's value, in the rule's unit. Raises KnowledgeError when it carries none, or when nobody registered that
    it is read, and in which unit.
    """
    other = current.held()
    value = (_published_numbers() if other is None else other.numbers).get(rule_id)
    if value is None:
        rule(rule_id)
        raise KnowledgeError(f"the rule “{rule_id}” carries no number")
    if not is_read(rule_id):
        raise KnowledgeError(f"the rule “{rule_id}” is read by a module that does not say so")
    return value


def quantity(rule_id: str, name: str, digits: int = 0) -> Quantity:
    """The rule's value as an input of a working."""
    found = rule(rule_id)
    return Quantity(name=name, value=found.value, unit=found.unit, digits=digits, rules=(rule_id,))


def caution(rule_id: str, weight: Weight = "know", words: str = "", action: str = "", field: str = "") -> Caution:
    """A rule as a caution: its own words and its reason, unless there are words for this case."""
    found = rule(rule_id)
    return Caution(weight=weight, words=words or found.words, action=action or found.reason, rule=rule_id, field=field)


@by_book()
def _cited() -> dict[str, tuple[str, str, str, str]]:
    everything = book()
    found: dict[str, tuple[str, str, str, str]] = {
        f"screening.{one.id}": (one.ask, "A screening answer acts on each modality separately.", one.source, one.mark)
        for one in everything.question
    }
    kinds: tuple[Sequence[Cited | Advice], ...] = (
        everything.advice,
        everything.margin,
        everything.no_go,
        everything.mark_kind,
        everything.work,
        everything.modality,
        everything.tissue,
        everything.sign,
        everything.group,
        everything.aspect,
        everything.condition,
        everything.trait,
        everything.pairing,
        everything.skin_state,
        everything.on_skin,
        everything.guard,
        everything.agent,
        everything.product,
        everything.method,
        everything.rule,
        everything.emergency,
        everything.halting,
        everything.home,
        everything.ask_after,
        everything.remedy,
    )
    return found | {entry.id: (entry.words, entry.reason, entry.source, entry.mark) for kind in kinds for entry in kind}


def cited(rule_id: str) -> tuple[str, str, str, str] | None:
    """(words, reason, source, mark) of whatever carries this id: a rule, a question, an advice, a margin … None when
    unknown.
    """
    return _cited().get(rule_id)


_PLANNING = (
    "sign",
    "group",
    "aspect",
    "condition",
    "trait",
    "pairing",
    "skin_state",
    "on_skin",
    "guard",
    "agent",
    "product",
    "method",
    "emergency",
    "halting",
    "home",
    "ask_after",
    "remedy",
)


def all_ids() -> Iterator[str]:
    """Every id of the rule book."""
    yield from _rules()
    yield from (f"screening.{question.id}" for question in book().question)
    yield from (
        entry.id
        for kind in ("advice", "margin", "no_go", "mark_kind", "work", "tissue", *_PLANNING)
        for entry in getattr(book(), kind)
    )
