"""The bench as JSON: every calculation, and every modality tried on a described skin. Nothing is kept."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field, create_model

from merak.auth import entered
from merak.core.bench.answer import Calculation, Inputs, Result
from merak.core.bench.catalogue import CALCULATIONS
from merak.core.errors import BadInput
from merak.core.knowledge import about
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.modality.shared import Modality, Subject, begun, in_zone
from merak.core.working import Caution, Quantity

router = APIRouter(prefix="/api/bench", tags=["bench"])
#: What may go wrong, as the OpenAPI tells it; the body is {"error": {"status", "words", "fields"}}.
TROUBLE: dict[int | str, dict[str, Any]] = {
    401: {"description": "Nobody is signed in."},
    403: {"description": "Without the right, or without this sign-in's token."},
    409: {"description": "Refused by a rule: never planned here."},
    422: {"description": "A field cannot be read or used; `fields` says which, and why."},
}


class On(BaseModel):
    """What stands on the bench."""

    id: str
    title: str
    group: str
    words: str


class Tried(BaseModel):
    """What a modality's settings come to: numbers with their workings, cautions, refusals by field."""

    numbers: dict[str, Quantity]
    cautions: list[Caution]
    refused: dict[str, Caution]


class Started(BaseModel):
    """A modality's start-up settings, and how they came about."""

    settings: dict[str, Any]
    working: Quantity


@router.get("", responses=TROUBLE)
def on_the_bench(request: Request) -> dict[str, list[On]]:
    """All calculations and modalities."""
    with entered(request) as ctx:
        ctx.demand("use the bench")
        return {
            "calculations": [
                On(id=one.id, title=one.title, group=one.group, words=one.words) for one in CALCULATIONS.values()
            ],
            "modalities": [
                On(id=one.id, title=one.title, group=one.group, words=one.words) for one in about().values()
            ],
        }


def _calculation(what: Calculation) -> None:
    """A calculation's own address, typed by its inputs."""

    def calculate(request: Request, asked: Inputs) -> Result:
        with entered(request) as ctx:
            ctx.demand("use the bench")
            found: Result = what.work(asked)
            return found

    calculate.__annotations__["asked"] = what.inputs
    router.post(f"/{what.id}", name=what.id, summary=what.title, description=what.words, responses=TROUBLE)(calculate)


def _modality(module: Modality) -> None:
    """A modality's own addresses: its start values, and what settings come to."""
    card: Any = module.CARD
    with_card: dict[str, Any] = {"card": (card, Field())} if card else {}
    whom: dict[str, Any] = {
        "subject": (Subject, Subject()),
        "zone": (str, Field("", max_length=60, description="a zone of a plate, for its bone, thin skin and area")),
    }
    skin = create_model(f"{module.NAME}_start", **whom, **with_card)
    trial = create_model(f"{module.NAME}_trial", settings=(module.Settings, Field()), **whom, **with_card)

    def start(request: Request, asked: Any) -> Started:
        with entered(request) as ctx:
            ctx.demand("use the bench")
            found = begun(module, _card(module, asked), _skin(module, asked))
            return Started(settings=found.settings.model_dump(mode="json"), working=found.worked)

    def try_out(request: Request, asked: Any) -> Tried:
        with entered(request) as ctx:
            ctx.demand("use the bench")
            found = module.dose(asked.settings, _card(module, asked), _skin(module, asked))
            return Tried(numbers=found.numbers, cautions=list(found.cautions), refused=found.refused)

    _typed(start, skin)
    _typed(try_out, trial)
    words, at = about()[module.NAME], f"/modality/{module.NAME}"
    router.post(f"{at}/start", name=f"{module.NAME}_start", summary=f"{words.title}: start values", responses=TROUBLE)(
        start
    )
    router.post(at, name=f"{module.NAME}_try", summary=words.title, description=words.words, responses=TROUBLE)(try_out)


def _typed(act: Callable[..., Any], body: type[BaseModel]) -> None:
    act.__annotations__["asked"] = Annotated[body, Field()]


def _skin(module: Modality, asked: Any) -> Subject:
    """The skin that was sent, in its zone where one was named. Raises BadInput for a zone that is none or may not be
    treated.
    """
    skin: Subject = asked.subject
    return in_zone(skin, asked.zone, about()[module.NAME].work) if asked.zone else skin


def _card(module: Modality, asked: Any) -> Any:
    """The card that was sent. Raises BadInput for another modality's."""
    card = getattr(asked, "card", None)
    if card is not None and not fits(card, module.NAME):
        raise BadInput({"card": f"This is a card for {card.modality}."})
    return card


for _what in CALCULATIONS.values():
    _calculation(_what)
for _module in MODALITIES.values():
    if _module.NAME in about():  # without words the rule book is not closed, and nothing is served
        _modality(_module)
