"""The run of a treatment as JSON: taps in, state out; live for whoever follows; the instruments at the chair."""

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from datetime import datetime
from typing import Annotated, Any, Literal, Self
from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, BeforeValidator, Field, model_validator

from merak.auth import Parts, entered
from merak.core.ports import Reply
from merak.core.treatment import Tap, TapData
from merak.core.treatment.moments import Sender
from merak.core.treatment.taps import SERVERS, SERVERS_DATA
from merak.services.treatment import adverse, instruments, treating
from merak.services.treatment.following import following
from merak.services.treatment.standing import state_of

router = APIRouter(prefix="/api/visits/{visit_id}", tags=["treat"])
Short = Annotated[str, Field(max_length=80)]
Steady = Annotated[float, Field(ge=0, le=1e8, allow_inf_nan=False)]
Millimetre = Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)]
#: A follower is told at least so often that the line still stands, s.
HEARTBEAT_S = 15.0


class SentData(TapData):
    """What else belongs to a tap as it may be sent; `name`, `licences`, `file` and `when` are for the server to say."""

    zone: Short = ""
    source: Short = ""
    redness: Annotated[int, Field(ge=0, le=4)] | None = None
    swelling: Annotated[int, Field(ge=0, le=4)] | None = None
    pain: Annotated[int, Field(ge=0, le=10)] | None = None
    card: Short = ""
    done: Annotated[str, Field(max_length=400)] = ""
    told: Annotated[str, Field(max_length=400)] = ""
    incident: Short = ""
    plate: Short = ""
    xy: tuple[Millimetre, Millimetre] | None = None


class SentTap(Tap):
    """One tap as it may be sent. `id` is made by the browser (UUIDv7), so that sending it again is harmless; `at` is
    the tap's own moment.

    `act` is the act that it was made in; `value` a place, a level, a heat word, a pain or °C, by kind. `load` is the
    page load that it was made in and `mono_s` the reading of that load's steady clock (s): with them no jump of a clock
    moves it. `by`, `seq`, `marked`, `told` and `own` are for the server to say; a photograph comes with its file, by
    its own address.
    """

    value: float | None = Field(None, ge=-100, le=10_000, allow_inf_nan=False)
    words: Annotated[str, Field(max_length=300)] = ""
    act: int | None = Field(None, ge=0, le=500)
    data: Annotated[SentData, BeforeValidator(lambda told: SentData() if told is None else told)] = SentData()
    mono_s: Steady | None = None

    @model_validator(mode="after")
    def _nothing_of_the_servers(self) -> Self:
        said = self.model_fields_set & SERVERS | self.data.model_fields_set & SERVERS_DATA
        if said:
            raise ValueError(f"only the server says: {', '.join(sorted(said))}")
        if self.kind == "photo":
            raise ValueError("a photograph comes with its file, by its own address")
        return self


class TapsIn(BaseModel):
    """Taps in the order in which they were made; by which page load they are sent, and when by its steady clock."""

    taps: Annotated[list[SentTap], Field(max_length=500)]
    sent: Sender | None = None


class PaceOut(BaseModel):
    """Seconds used, seconds still planned, how many of them are too many, the acts that go short as (act, seconds),
    what starves.
    """

    used_s: float
    left_s: float
    late_s: float
    starved: list[tuple[int, float]]
    words: str


class LockOut(BaseModel):
    """What an act waits for."""

    kind: Literal["licence", "spot"]
    words: str
    action: str


class SpotOut(BaseModel):
    """The last test spot, and the rule's answer to it."""

    placed: datetime
    due: datetime
    at: float
    zone: str
    answer: dict[str, Any] | None


class WarmthOut(BaseModel):
    """One zone: last and highest reading (°C), seconds in the band, CEM43 minutes at surface and hottest depth, dwell
    left (s).
    """

    last: float
    peak: float
    band_s: float
    cem43: float
    deep43: float
    dwell_s: float | None
    at: datetime


class ActOut(BaseModel):
    """One act's run; of one that was not begun only that. `walk` is the places counted in the pass under way, in order,
    `walks` those of closed passes, `tally` how often each place was counted in the pass under way, `seen` where what is
    marked when it is seen lay (the how-manieth count, plate, mm). `worked_s` is as of the server's `now`: `banked_s`,
    and since `since` what ran on.
    """

    begun: bool
    ended: bool = False
    on: bool = False
    worked_s: float = 0
    banked_s: float = 0
    since: datetime | None = None
    ended_at: datetime | None = None
    strokes: int = 0
    tally: list[int] = []
    walk: list[int] = []
    walks: list[list[int]] = []
    seen: list[tuple[int, str, float, float]] = []
    next: int | None = None
    passes: int = 0
    complete: bool = False
    missed: int = 0
    doubled: int = 0
    level_shift: float = 0
    said: list[str] = []
    heat: float | None = None
    pain: float | None = None
    asked: datetime | None = None
    since_clean: int = 0
    lock: LockOut | None = None
    over: str = ""
    left: str = ""
    set_to: float | None = None
    unlocked: bool = False
    stepped_up: bool = False
    spot: SpotOut | None = None
    hands: list[str] = []
    warmth: dict[str, WarmthOut] = {}


class IncidentOut(BaseModel):
    """An incident as it was written; `struck` who struck it out, and why."""

    id: str
    at: datetime
    card: str
    zone: str
    grade: int
    done: str
    struck: str


class EndingOut(BaseModel):
    """When it was ended, by whom, why, and when that was taken back."""

    at: datetime
    by: str
    reason: str
    back: datetime | None


class StateOut(BaseModel):
    """Where the treatment stands, as of the server's `now`."""

    status: Literal["ready", "running", "paused", "halted", "stopped", "finished"]
    act: int
    following: int | None
    why: str
    owed: str
    reason: str
    holder: str
    licences: list[str]
    stood_at: datetime | None
    ran: list[int]
    machine: str
    unheard: str
    incidents: list[IncidentOut]
    endings: list[EndingOut]
    photos: int
    seq: int
    now: datetime
    pace: PaceOut
    acts: list[ActOut]
    instrument: dict[str, Any] | None = None


class SaidOut(BaseModel):
    """What an instrument says, and where the treatment stands after it."""

    answer: Reply
    state: StateOut


def _standing(run: treating.Run, ctx: Any) -> dict[str, Any]:
    return state_of(run) | {"instrument": instruments.at_work(ctx, run)}


def _told(found: dict[str, Any]) -> Response:
    """As JSON, written once: FastAPI would check and write it again on another thread. A test holds it against its
    model.
    """
    return Response(json.dumps(found), media_type="application/json")


@router.get("/run", response_model=StateOut)
def run(request: Request, visit_id: UUID) -> Response:
    """Where the treatment stands. 409 before it began."""
    with entered(request) as ctx:
        return _told(_standing(treating.run_of(ctx, visit_id), ctx))


@router.post("/run", response_model=StateOut)
def record(request: Request, visit_id: UUID, sent: TapsIn) -> Response:
    """Keeps taps, once each; when this answers they are on the disk.

    A tap's moment lies between the order's begin, its device's last tap and the server's clock, give or take two
    seconds; one outside is kept with both times, marked, and counts as made when it arrived. 403 without the right or
    the token, 409 before it began or after closing, 422 for taps that cannot be read and for an id that belongs to
    another visit.
    """
    with entered(request) as ctx:
        return _told(_standing(treating.record(ctx, visit_id, sent.taps, sent.sent), ctx))


@router.get("/run/live", response_class=StreamingResponse)
async def live(request: Request, visit_id: UUID) -> StreamingResponse:
    """Server-sent events: the state at once, then after every change, from whichever device; a comment now and then
    while nothing changes.

    409 before it began. It ends when the sign-in does.
    """

    def read() -> str:
        with entered(request) as ctx:
            return json.dumps(_standing(treating.run_of(ctx, visit_id), ctx))

    await run_in_threadpool(read)  # what is refused is refused before anything streams
    return StreamingResponse(
        _events(visit_id, read), media_type="text/event-stream", headers={"x-accel-buffering": "no"}
    )


async def _events(visit_id: UUID, read: Callable[[], str]) -> AsyncIterator[str]:
    loop, woken = asyncio.get_running_loop(), asyncio.Event()
    woken.set()  # the state as it is comes first, read after one is told of changes: nothing falls between

    def wake() -> None:
        loop.call_soon_threadsafe(woken.set)

    with following(visit_id, wake):
        while True:
            try:
                await asyncio.wait_for(woken.wait(), HEARTBEAT_S)
                woken.clear()
                yield f"data: {await run_in_threadpool(read)}\n\n"
            except TimeoutError:
                yield ": still here\n\n"
            except Exception:  # signed out, closed, or the database is away: the browser asks again and is told why
                return


@router.post("/run/machine", response_model=SaidOut)
def machine(request: Request, visit_id: UUID) -> Response:
    """Lets the machine of the current act count for itself. `answer.ok` is false when it refuses what is planned. 409
    without one.
    """
    with entered(request) as ctx:
        answer, found = instruments.attach(ctx, visit_id)
        return _told({"answer": answer.model_dump(), "state": _standing(found, ctx)})


class ReadIn(BaseModel):
    """Where the thermometer is pointed: the zone, and how far above the place its dot is held (mm)."""

    zone: Short
    aim_mm: float = Field(0, ge=-100, le=100)


@router.post("/run/temperature", response_model=SaidOut)
def temperature(request: Request, visit_id: UUID, sent: ReadIn) -> Response:
    """One reading of the infrared thermometer, kept as a tap. 409 where the act warms nothing."""
    with entered(request) as ctx:
        answer, found = instruments.read_temperature(ctx, visit_id, sent.zone, sent.aim_mm)
        return _told({"answer": answer.model_dump(), "state": _standing(found, ctx)})


@router.post("/run/photo", response_model=StateOut)
def photo(request: Request, visit_id: UUID, parts: Parts) -> Response:
    """A photograph of the run, as a form with `file`, `when` and `zone`. 422 for what is no picture."""
    form, files = parts
    with entered(request, form) as ctx:
        return _told(
            _standing(
                adverse.add_photo(ctx, visit_id, files.get("file"), form.get("when", ""), form.get("zone", "")), ctx
            )
        )
