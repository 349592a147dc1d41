"""The judgement calls as JSON: where everything stands for these answers, and what plan follows. Nothing is kept."""

from datetime import date

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from merak.api.bench import TROUBLE
from merak.auth import entered
from merak.core.acts import Span
from merak.core.client import Findings
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Wish
from merak.core.plan.fitting import Clash
from merak.core.plan.proposals import LeftOut, Support, proposals
from merak.core.plan.screening import Answer, Letter, Standing, questions
from merak.core.plan.visit_plan import Plan, visit_plan
from merak.core.working import Caution, Quantity
from merak.services.context import Context
from merak.services.studio.practice import brief_of

router = APIRouter(prefix="/api", tags=["judgement"], responses=TROUBLE)


class ClientBody(BaseModel):
    """The client as the rules see one: no name. Letters are doctors' letters that came in; a senior's word is not taken
    here.
    """

    born: date
    returning: bool = False
    answers: dict[str, Answer] = Field(default_factory=dict, max_length=100)
    findings: Findings = Findings()
    letters: tuple[Letter, ...] = Field((), max_length=50)


class Screened(BaseModel):
    """Where everything stands, by modality and aspect, and the questions that matter to this studio."""

    board: dict[str, Standing]
    questions: list[str]


class ClientAsked(ClientBody):
    """A client, what is wanted, and the plan to be computed; None proposes only."""

    wish: Wish = Wish()
    slot: float = Field(60, ge=10, le=480, description="booked minutes")
    plan: Plan | None = None
    propose: bool = True


class Computed(BaseModel):
    """A plan computed: its time, numbers with their workings, what is refused, stopped, does not fit."""

    plan: Plan
    startable: bool
    spans: tuple[Span, ...]
    numbers: dict[str, Quantity]
    cautions: dict[str, tuple[Caution, ...]]
    refused: dict[str, Caution]
    stopped: dict[str, Caution]
    clashes: tuple[Clash, ...]


class Proposed(BaseModel):
    """A proposal: its kind, score and evidence, what was left out and why, and the plan computed."""

    kind: str
    score: int
    supports: tuple[Support, ...]
    left_out: tuple[LeftOut, ...]
    settle_h: float
    computed: Computed


class Previewed(BaseModel):
    """What was asked for."""

    computed: Computed | None
    proposals: list[Proposed]


def _brief(ctx: Context, client: ClientBody, wish: Wish = Wish(), slot: float = 60) -> Brief:  # noqa: B008 (frozen)
    return brief_of(ctx).but(
        born=client.born,
        returning=client.returning,
        answers=client.answers,
        findings=client.findings,
        letters=client.letters,
        wish=wish,
        slot=slot,
    )


@router.post("/screening/preview")
def screening(request: Request, client: ClientBody) -> Screened:
    """Where each modality stands for these answers and findings, with this studio's machines."""
    with entered(request) as ctx:
        ctx.demand("use the bench")
        brief = _brief(ctx, client)
        return Screened(board=brief.board, questions=[one.id for one in questions(client.returning, brief.offered)])


@router.post("/plans/preview")
def plans(request: Request, asked: ClientAsked) -> Previewed:
    """A plan computed, and what would be proposed, by whoever asks: their licences, their finger."""
    with entered(request) as ctx:
        ctx.demand("use the bench")
        brief = _brief(ctx, asked, asked.wish, asked.slot)
        computed = visit_plan(brief, asked.plan) if asked.plan else None
        found = proposals(brief) if asked.propose else ()
        return Previewed(
            computed=Computed.model_validate(computed, from_attributes=True) if computed else None,
            proposals=[
                Proposed(
                    kind=one.kind,
                    score=one.score,
                    supports=one.supports,
                    left_out=one.left_out,
                    settle_h=one.settle_h,
                    computed=Computed.model_validate(one.computed, from_attributes=True),
                )
                for one in found
            ],
        )
