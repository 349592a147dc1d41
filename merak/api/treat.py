"""The run of a treatment as JSON: taps in, state out."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Request, Response
from pydantic import AwareDatetime, BaseModel, Field

from merak.core.session import Kind
from merak.desk import treating
from merak.door import entered

router = APIRouter(prefix="/api/visits/{visit_id}", tags=["treat"])


class TapIn(BaseModel):
    """One tap. `id` is made by the browser (UUIDv7), so that sending it again is harmless; `at` is the tap's own moment."""

    id: UUID
    kind: Kind
    at: AwareDatetime
    value: float | None = Field(None, ge=-10, le=10)
    words: Annotated[str, Field(max_length=300)] = ""


class TapsIn(BaseModel):
    """Taps in the order in which they were made."""

    taps: Annotated[list[TapIn], Field(max_length=500)]


class StepOut(BaseModel):
    """One step's run."""

    strokes: int
    worked_s: float
    begun: bool
    level_shift: float
    said: list[str]


class StateOut(BaseModel):
    """Where the treatment stands, as of the server's `now`."""

    phase: Literal["ready", "running", "paused", "stopped", "finished"]
    step: int
    steps: list[StepOut]
    reason: str
    seq: int
    now: datetime


def _told(run: treating.Run) -> Response:
    """Where it stands as JSON, written once: FastAPI would check and write it again on another thread."""
    return Response(StateOut.model_validate(treating.state_of(run)).model_dump_json(), media_type="application/json")


@router.get("/run", response_model=StateOut)
def run(request: Request, visit_id: UUID) -> Response:
    """Where the treatment stands. 409 before it began."""
    with entered(request) as desk:
        return _told(treating.run_of(desk, visit_id))


@router.post("/run", response_model=StateOut)
def record(request: Request, visit_id: UUID, sent: TapsIn) -> Response:
    """Keeps taps, once each; when this answers they are on the disk.

    403 without the right or the token, 409 before it began or after closing, 422 for taps that cannot be read.
    """
    with entered(request) as desk:
        taps = [treating.Tap(tap.id, tap.kind, tap.at, tap.value, tap.words) for tap in sent.taps]
        return _told(treating.record(desk, visit_id, taps))
