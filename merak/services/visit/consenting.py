"""Consent: the words for each treatment of the plan, signed; and what of it may be printed."""

from dataclasses import dataclass
from typing import Annotated, Literal
from uuid import UUID

from merak.core.client import age_on
from merak.core.errors import BadInput
from merak.core.knowledge import about, number, rule, traits
from merak.core.knowledge.register import needs
from merak.core.plan.screening import housekeeping
from merak.core.plan.visit_plan import Plan
from merak.records.bodies.visit import ConsentBody
from merak.services.clients.keeping import keep_drawing, kept_file
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Otherwise, TypedForm
from merak.services.visit.changes import draft_of
from merak.services.visit.file import VisitFile, changing, open_file
from merak.services.visit.planning import Planned, planned

needs(
    __name__,
    """
    years: screening.age
    """,
)

#: What the client agrees to beside the words for each treatment, by version, so that the record says which words were
#: read.
GENERAL = {
    "2026-11": (
        "The plan was read to me: what is done, with which settings, how it may feel, how long it takes. I have said"
        " what I know about my health. I know that results differ and none is promised, and that I can say stop at any"
        " moment."
    )
}
VERSION = "2026-11"
UNSIGNED = "There is no signature yet."


class ConsentForm(TypedForm):
    """Whether the client agreed, and how it was signed."""

    agreed: str = ""
    signed: Annotated[Literal["drawn", "paper"], Otherwise("Signed here, or on paper?")] = "drawn"
    guardian: str = ""
    signature: str = ""


@dataclass(frozen=True)
class Wording:
    """The words for one treatment, as they are read and kept."""

    modality: str
    title: str
    words: str


def wordings(plan: Plan) -> tuple[Wording, ...]:
    """The words for each treatment of a plan: what it is, how it may feel, when it has settled, what to say at once."""
    found = []
    for name in dict.fromkeys(one.modality for one in plan.stages if one.modality not in housekeeping()):
        words, trait = about()[name], traits()[name]
        settle = f" It has usually settled within {hours(trait.settle_h)}." if trait.settle_h else ""
        stop = f" Say at once: {'; '.join(one.rstrip('.') for one in words.stop)}." if words.stop else ""
        honest = f" {rule(words.promise).words}" if words.promise else ""
        found.append(Wording(name, words.title, f"{words.words} It may feel: {trait.feel}.{settle}{honest}{stop}"))
    return tuple(found)


def hours(of: float) -> str:
    """Hours in words."""
    return f"{of:g} hour{'s' if of != 1 else ''}" if of < 48 else f"{of / 24:g} days"


class NotAsShown(OutOfTurn):
    """The plan is not any more what was on the screen; `page` is the plan as it stands now, to be shown before anybody
    agrees.
    """

    def __init__(self, page: Planned) -> None:
        super().__init__(NOT_AS_SHOWN)
        page.refusal = NOT_AS_SHOWN
        self.page = page


NOT_AS_SHOWN = (
    "The plan, or an answer that it follows from, was changed since this page was shown. Read it again, then ask again."
)


def consent(ctx: Context, visit_id: UUID, form: dict[str, str], shown: str | None = None) -> Planned:
    """Keeps that the client agreed, or did not, to the plan as it stands: the words of each treatment, and the
    signature.

    `shown` is what was on the screen (`VisitFile.shown`; None: asked without one). Raises NotAsShown when that is not
    what stands, OutOfTurn while the plan cannot be started, BadInput by field for a missing signature, or a guardian's
    where one is needed.
    """
    agreed = ConsentForm.parse(form)[0].agreed == "yes"
    with changing(ctx, visit_id, "plan") as file:
        page = planned(ctx, visit_id)
        if shown is not None and shown != file.shown:
            raise NotAsShown(page)
        if not page.settled:
            raise OutOfTurn(page.refusal or "The plan cannot be agreed to yet: something in it is refused or missing.")
        body = ConsentBody(agreed=agreed, words=VERSION, to=file.standing_versions)
        if agreed:
            texts = {one.modality: one.words for one in wordings(page.plan)}
            body = _signed(ctx, file, form, body.model_copy(update={"texts": texts}))
        file.keep(ctx, body)
    return planned(ctx, visit_id)


def needs_guardian(file: VisitFile) -> bool:
    """Whether the client is too young to consent alone."""
    return age_on(file.visit.client.born, file.today) < number("screening.age")


def _signed(ctx: Context, file: VisitFile, form: dict[str, str], consent: ConsentBody) -> ConsentBody:
    """The consent with how it was signed. Raises BadInput by field."""
    asked, wrong = ConsentForm.parse(form)
    if needs_guardian(file) and not asked.guardian:
        wrong["guardian"] = "The guardian’s name: a minor does not consent alone."
    drawn = asked.signed == "drawn"
    if "signed" in wrong:
        wrong["signature"] = wrong.pop("signed")
    elif drawn and not asked.signature:
        wrong["signature"] = UNSIGNED
    if wrong:
        raise BadInput(wrong)
    kept = keep_drawing(ctx, file.visit.client_id, asked.signature, "signature", UNSIGNED) if drawn else None
    named = {"signed": asked.signed, "guardian": asked.guardian, "by": ctx.me.name, "signature": kept}
    return consent.model_copy(update=named)


@dataclass
class Consented:
    """A consent to be printed: the words that were agreed to, as they were then, and the signature."""

    file: VisitFile
    body: ConsentBody
    wordings: tuple[Wording, ...]
    signature: bytes | None


def consent_sheet(ctx: Context, visit_id: UUID) -> Consented:
    """The consent that stands; before one was given, the words as they would be read. Raises
    NotFound without a plan.
    """
    file = open_file(ctx, visit_id)
    plan = draft_of(file)[0].plan
    if not plan.steps:
        raise NotFound("There is no plan yet to agree to.")
    body = file.consent if file.consented else ConsentBody()
    words = tuple(Wording(name, about()[name].title, text) for name, text in body.texts.items()) or wordings(plan)
    signature = kept_file(ctx, file.visit.client_id, body.signature).content if body.signature else None
    return Consented(file, body, words, signature)
