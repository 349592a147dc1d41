"""What a record holds: one model for each phase of a visit and each kind of task. A body says the version of its shape
(`v`; none is 0), and is brought up when it is read.

A record is never rewritten. A shape that changes gets the next number in `VERSIONS` and one upgrader more (`upgrades`),
for ever.
"""

from functools import lru_cache
from typing import TypeVar

from pydantic import BaseModel
from pydantic_core import from_json, to_json

from merak.core.after.answer import SkinAnswer
from merak.core.client import Findings
from merak.core.plan.draft import Draft
from merak.core.treatment.order import Ordered
from merak.records.bodies import visit
from merak.records.bodies.task import KINDS
from merak.records.bodies.upgrades import upgraded, versioned

Body = TypeVar("Body", bound=BaseModel)
#: Model → the phase that it is the body of.
PHASES: dict[type[BaseModel], str] = {
    visit.AskBody: "ask",
    Findings: "look",
    visit.MarginsBody: "margins",
    Draft: "plan",
    visit.OverridesBody: "overrides",
    visit.ConsentBody: "consent",
    Ordered: "order",
    SkinAnswer: "answer",
    visit.CloseBody: "close",
    visit.SheetBody: "sheet",
    visit.PhotosBody: "photos",
    visit.PhotosAfterBody: "photos_after",
    visit.ScalesBody: "scales",
}


def read(model: type[Body], text: str) -> Body:
    """A body as the database holds it, as a value of today's shape. Raises ValueError for one that a later program
    wrote.
    """
    return model.model_validate(upgraded(_named(model), from_json(text)))


@lru_cache(maxsize=400)
def _read_once(model: type[BaseModel], text: str) -> BaseModel:
    return read(model, text)


def opened(model: type[Body], text: str) -> Body:
    """The same; what was read lately is not read again, for a body never changes."""
    found = _read_once(model, text)
    assert isinstance(found, model)
    return found


def written(body: BaseModel) -> str:
    """A body as it is kept, with the version of its shape; one that never had another says none."""
    return to_json(versioned(_named(type(body)), body.model_dump(mode="json"))).decode()


def _named(model: type[BaseModel]) -> str:
    """What a model is the body of, as the upgraders call it; "" for what has no versions."""
    return PHASES.get(model) or ("task" if model in KINDS else "")
