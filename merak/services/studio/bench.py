"""The bench: calculations by themselves, modalities tried on a described skin, results taken into a plan. Nothing is
kept.
"""

from dataclasses import dataclass, field
from uuid import UUID

from merak.core.bench.answer import Calculation, Result
from merak.core.bench.catalogue import CALCULATIONS
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import About, about
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card, fits
from merak.core.modality.shared import Dose, Modality, Subject, begun, in_zone
from merak.core.working import Quantity
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Shown, read, shown, texts
from merak.services.studio.machines import in_use
from merak.services.visit import planning
from merak.services.visit.file import open_file


@dataclass
class Bench:
    """One calculation on the bench: its fields as texts, the answer when they can be read, what is wrong by field."""

    what: Calculation
    fields: tuple[Shown, ...]
    answer: Result | None = None
    wrong: dict[str, str] = field(default_factory=dict)

    @property
    def slips(self) -> dict[str, str]:
        """What stands beside each field."""
        refused = self.answer.refused if self.answer else {}
        return {key: f"{one.words} {one.action}" for key, one in refused.items()} | self.wrong


def calculation(ctx: Context, name: str) -> Calculation:
    """A calculation by id. Raises NotFound, Denied."""
    ctx.demand("use the bench")
    if name not in CALCULATIONS:
        raise NotFound("There is no such calculation.")
    return CALCULATIONS[name]


def laid_out(ctx: Context, name: str, form: dict[str, str] | None = None) -> Bench:
    """A calculation with its fields as they were sent, or as they stand at first, and its answer."""
    what = calculation(ctx, name)
    if form is None:
        now = ctx.now.astimezone(ctx.zone).replace(tzinfo=None, second=0, microsecond=0)
        form = texts(what.inputs.model_validate({"set_at": now} if "set_at" in what.inputs.model_fields else {}))
    bench = Bench(what, shown(what.inputs, form))
    try:
        bench.answer = what.work(read(what.inputs, form))
    except BadInput as bad:
        bench.wrong = bad.fields
    return bench


@dataclass
class Trial:
    """A modality tried on a described skin: its words, the machines for it, fields as texts, what it comes to."""

    name: str
    words: About
    module: Modality
    machines: list[tuple[str, Card]]
    machine: str
    settings: tuple[Shown, ...] = ()
    subject: tuple[Shown, ...] = ()
    before: tuple[Shown, ...] = ()
    zone: str = ""
    start: Quantity | None = None
    dose: Dose | None = None
    wrong: dict[str, str] = field(default_factory=dict)
    refusal: str = ""

    @property
    def slips(self) -> dict[str, str]:
        """What stands beside each field."""
        refused = self.dose.refused if self.dose else {}
        return {f"settings.{key}": f"{one.words} {one.action}" for key, one in refused.items()} | self.wrong

    @property
    def fitted(self) -> str:
        """The machine and the skin that the settings were fitted to, to tell whether they still are the same."""
        return "|".join([self.machine, self.zone, *(one.value for one in (*self.subject, *self.before))])

    @property
    def card(self) -> Card | None:
        """The machine that was chosen."""
        return next((card for key, card in self.machines if key == self.machine), None)


def tried(ctx: Context, name: str, form: dict[str, str]) -> Trial:
    """A modality with settings as they were sent; with its start values when there are none, when the skin or the
    machine is another than they were `fitted` to, or when they are asked for `again`.
    """
    ctx.demand("use the bench")
    if name not in MODALITIES:
        raise NotFound("There is no such modality.")
    module = MODALITIES[name]
    fitting = [(str(key), card) for key, card in in_use(ctx) if fits(card, name)] if module.CARD else []
    trial = Trial(name, about()[name], module, fitting, form.get("machine") or (fitting[0][0] if fitting else ""))
    skin_form = form if any(key.startswith("subject.") for key in form) else texts(Subject(phototype=2), "subject.")
    before_form = form if any(key.startswith("before.") for key in form) else {}
    trial.subject = tuple(
        one for one in shown(Subject, skin_form, "subject.") if one.name != "subject.verdict"
    )  # screening’s to say
    trial.before = tuple(
        one
        for one in shown(Before, before_form, "before.")
        if Before.model_fields[one.name.removeprefix("before.")].title
    )
    trial.zone = form.get("zone", "")
    try:
        skin = read(Subject, skin_form, "subject.")
        if trial.zone:
            skin = in_zone(skin, trial.zone, trial.words.work)
            trial.subject = tuple(
                one for one in shown(Subject, texts(skin, "subject."), "subject.") if one.name != "subject.verdict"
            )
        if any(one.value for one in trial.before):
            skin = skin.model_copy(update={"last": read(Before, before_form, "before."), "first_visit": False})
        if module.CARD and trial.card is None:
            trial.refusal = "The studio has no machine for it: the owner adds one under Practice."
            return trial
        first = begun(module, trial.card, skin)
        trial.start = first.worked
        sent = {key: value for key, value in form.items() if key.startswith("settings.")}
        again = form.get("again") == "yes" or form.get("fitted", trial.fitted) != trial.fitted
        values = texts(first.settings, "settings.") if again or not sent else sent
        trial.settings = shown(module.Settings, values, "settings.")
        settings = read(module.Settings, values, "settings.")
        trial.dose = module.dose(settings, trial.card, skin)
    except BadInput as bad:
        trial.wrong = bad.fields
        trial.settings = trial.settings or shown(module.Settings, form, "settings.")
    except Refused as refused:
        trial.refusal = refused.words
    return trial


def client_of(ctx: Context, visit_id: UUID) -> str:
    """The first name of whose plan is open, for the button that fills it. Raises NotFound, Denied."""
    return open_file(ctx, visit_id, "plan").visit.client.name.split()[0]


def _open_plan(ctx: Context, visit_id: UUID | None) -> UUID:
    ctx.demand("plan")
    if visit_id is None:
        raise NotFound("No plan is open. Come to the bench from one.")
    return visit_id


def use(ctx: Context, visit_id: UUID | None, name: str, form: dict[str, str]) -> None:
    """Takes what a calculation found into the plan that is open. Raises NotFound where none is, OutOfTurn while it
    refuses or cannot be read, or has nothing for a plan.
    """
    into = _open_plan(ctx, visit_id)
    bench = laid_out(ctx, name, form)
    if bench.answer is None or bench.slips or not bench.what.fills:
        raise OutOfTurn("There is nothing here that a plan could take as it stands.")
    found = {key: number.value for key, number in bench.answer.numbers.items()}
    sent = {shown_.name: shown_.value for shown_ in bench.fields}
    values = {
        to: f"{found[key]:.3g}" if found.get(key) is not None else sent.get(key, "") for key, to in bench.what.fills
    }
    for modality in dict.fromkeys(to.partition(".")[0] for to in values):
        own = {to.partition(".")[2]: value for to, value in values.items() if to.partition(".")[0] == modality}
        planning.take_values(ctx, into, modality, own)


def use_trial(ctx: Context, visit_id: UUID | None, name: str, form: dict[str, str]) -> None:
    """Takes a tried modality's settings into the plan that is open. Raises NotFound where none is, OutOfTurn while
    something is refused, or a plan cannot take it.
    """
    into = _open_plan(ctx, visit_id)
    trial = tried(ctx, name, form)
    if trial.dose is None or trial.slips:
        raise OutOfTurn("There is nothing here that a plan could take as it stands.")
    planning.take_values(ctx, into, name, {one.name.removeprefix("settings."): one.value for one in trial.settings})
