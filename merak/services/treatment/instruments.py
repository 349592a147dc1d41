"""The instruments: what is plugged in, what it says. Here simulators are plugged in, behind the ports that real ones
would use.
"""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.knowledge import rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card
from merak.core.ports import Reply
from merak.core.treatment import Tap, setting
from merak.records import people, simulators, visits
from merak.records.db import transaction
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import finite
from merak.services.permission import Denied
from merak.services.treatment import treating
from merak.services.treatment.treating import Run, append, hearing, kept, own_tap, run_of
from merak.services.visit.file import changing
from merak.simulators.instruments import SimulatedMeter, SimulatedThermometer
from merak.simulators.source import FAULTS, SimulatedSource, source_for

needs(
    __name__,
    """
    words: chair.hands
    """,
)

THERMOMETER, METER = "thermometer", "meter"
Reader = SimulatedThermometer | SimulatedMeter
#: Skin of which nothing was measured: moisture points, and L*, a*, b* by phototype.
MOISTURE = 45.0
#: Skin that nothing warms, °C.
SKIN_C = 33.0
TONES = {
    1: (70.0, 9.0, 14.0),
    2: (66.0, 10.0, 16.0),
    3: (61.0, 11.0, 18.0),
    4: (54.0, 12.0, 20.0),
    5: (44.0, 12.0, 18.0),
    6: (34.0, 10.0, 13.0),
}


@dataclass
class Shelf:
    """Everything that can be plugged in."""

    sources: dict[str, SimulatedSource]
    thermometer: SimulatedThermometer
    meter: SimulatedMeter
    said: str = ""


def shelf(ctx: Context, said: str = "") -> Shelf:
    """All instruments as they stand."""
    ctx.demand("use the bench")
    kept = simulators.all_of(ctx.db)
    sources = {
        key: SimulatedSource.model_validate(kept[key]) if key in kept else _fresh(card)
        for key, card in ((str(one.id), one.card) for one in people.devices(ctx.db))
    }
    return Shelf(
        sources,
        SimulatedThermometer.model_validate(kept.get(THERMOMETER, {})),
        SimulatedMeter.model_validate(kept.get(METER, {})),
        said,
    )


def _fresh(card: Card) -> SimulatedSource:
    """A machine that was never touched."""
    return source_for(card, MODALITIES[card.modality].WAYS.wiped_after)


def _one_source(ctx: Context, device: str) -> SimulatedSource:
    card = _card_of(ctx, device)
    if card is None:
        raise NotFound("There is no such instrument.")
    return simulators.one(ctx.db, device, SimulatedSource) or _fresh(card)


def _card_of(ctx: Context, device: str) -> Card | None:
    """The card of a machine, also of one that was put away: a treatment that was ordered with it goes on. None where
    there is none.
    """
    found = people.device(ctx.db, device)
    return found.card if found else None


def drive(ctx: Context, instrument: str, command: str, value: str = "") -> Reply:
    """Does something to an instrument, as a hand would: plug, unplug, fault, mend, set, fire, wipe.

    What happens to one that is at work in a treatment is told there: pulses are counted, a lost machine is a state with
    a next act. Raises NotFound for what there is not, BadInput on "value" for a number that is none.
    """
    ctx.demand("use the bench")
    run = None
    with transaction(ctx.db):
        if instrument in (THERMOMETER, METER):
            return _drive_reader(ctx, instrument, command)
        source = _one_source(ctx, instrument)
        after, answer = _driven(source, command, value)
        simulators.keep(ctx.db, instrument, after)
        if source.visit and answer.ok:
            run = _tell_treatment(ctx, instrument, UUID(source.visit), after, command, answer)
    if run is not None:
        kept(UUID(source.visit), run)
    return answer


def _drive_reader(ctx: Context, instrument: str, command: str) -> Reply:
    kind: type[Reader] = SimulatedThermometer if instrument == THERMOMETER else SimulatedMeter
    if command not in ("plug", "unplug", "reset"):
        raise NotFound(f"This instrument has no command “{command}”.")
    found = simulators.one(ctx.db, instrument, kind) or kind()
    changes: dict[str, bool | None] = {"peak_c": None} if command == "reset" else {"plugged": command == "plug"}
    simulators.keep(ctx.db, instrument, found.but(**changes))
    return Reply(ok=True)


def _driven(source: SimulatedSource, command: str, value: str) -> tuple[SimulatedSource, Reply]:
    match command:
        case "plug" | "unplug":
            return source.plug(command == "plug"), Reply(ok=True, words=f"{command}ged")
        case "fault":
            return source.but(fault=value if value in FAULTS else FAULTS[0]), Reply(ok=True, words="at fault")
        case "mend":
            return source.but(fault=""), Reply(ok=True, words="mended")
        case "wipe":
            return source.wipe()
        case "set" | "fire":
            try:
                given = finite(value or "1")
            except ValueError:
                raise BadInput({"value": "A number, please."}) from None
            return source.set_to(given) if command == "set" else source.fire(int(min(given, 500)))
        case _:
            raise NotFound(f"This instrument has no command “{command}”.")


def _tell_treatment(
    ctx: Context, device: str, visit_id: UUID, source: SimulatedSource, command: str, answer: Reply
) -> Run | None:
    """What an instrument at work says to its treatment. One whose treatment is over goes back to the shelf."""
    run = run_of(ctx, visit_id)
    mine = run.acts[run.state.act].machine == device
    if run.state.over or not run.state.machine:
        simulators.keep(ctx.db, device, source.but(visit=""))
        return None
    act, said = run.state.act, source.name
    taps: list[Tap] = []
    if command == "fire" and mine:
        taps = [own_tap(ctx, visit_id, "count", act, source=said) for _ in range(answer.pulses)]
    elif command == "wipe" and mine:
        taps = [own_tap(ctx, visit_id, "clean", act, source=said)]
    elif command in ("unplug", "fault"):
        taps = [own_tap(ctx, visit_id, "machine", act, words="lost", source=said)]
    elif command in ("plug", "mend") and source.plugged and not source.fault:
        taps = [own_tap(ctx, visit_id, "machine", act, words="plugged", source=said)]
    return append(ctx, visit_id, taps) if taps else None


def attach(ctx: Context, visit_id: UUID) -> tuple[Reply, Run]:
    """Lets the machine of the current act count for itself: it is set as planned, or as the test spot said, and refuses
    what it cannot.
    """
    with transaction(ctx.db):
        run = run_of(ctx, visit_id)
        n, act = run.state.act, run.acts[run.state.act]
        if not act.machine:
            raise OutOfTurn("This act has no machine.")
        if act.licence and act.licence not in treating.my_licences(ctx):
            raise Denied(f"Who holds a licence for {act.licence} connects it. {rule('chair.hands').words}")
        source = _one_source(ctx, act.machine)
        after, answer = source.set_to(setting(act, run.state.runs[n]) or 0.0)
        if answer.ok:
            simulators.keep(ctx.db, act.machine, after.but(visit=str(visit_id)))
            run = append(ctx, visit_id, [own_tap(ctx, visit_id, "machine", n, words="plugged", source=source.name)])
    kept(visit_id, run)
    return answer, run


@hearing
def follow_setting(ctx: Context, visit_id: UUID, run: Run) -> Run:
    """A machine that is connected is set to what the last taps left: a level, a spot's answer. One that refuses is
    lost.
    """
    n = run.state.act
    act, wanted = run.acts[n], setting(run.acts[n], run.state.runs[n])
    if run.state.machine != "plugged" or wanted is None:
        return run
    source = _one_source(ctx, act.machine)
    if source.visit != str(visit_id) or source.at == wanted:
        return run
    after, answer = source.set_to(wanted)
    with transaction(ctx.db):
        simulators.keep(ctx.db, act.machine, after)
        if not answer.ok:
            run = append(ctx, visit_id, [own_tap(ctx, visit_id, "machine", n, words="lost", source=source.name)])
    kept(visit_id, run)
    return run


def at_work(ctx: Context, run: Run) -> dict[str, Any] | None:
    """The machine of the current act as it stands, when it counts for itself."""
    act = run.acts[run.state.act]
    if run.state.machine not in ("plugged", "lost") or not act.machine:
        return None
    source = _one_source(ctx, act.machine)
    told = ("name", "at", "scale", "pulses", "since_clean", "clean_every", "fault", "plugged")
    return {key: getattr(source, key) for key in told} | {"wants_wiping": source.wants_wiping}


def read_temperature(ctx: Context, visit_id: UUID, zone: str, aim_mm: float) -> tuple[Reply, Run]:
    """One reading of the thermometer in a zone, kept as a tap. Raises OutOfTurn where the current act warms nothing."""
    with transaction(ctx.db):
        run = run_of(ctx, visit_id)
        n, act = run.state.act, run.acts[run.state.act]
        if act.heat is None:
            raise OutOfTurn("Nothing is warmed in this act.")
        place, around = _skin(ctx, visit_id, run)
        known = simulators.one(ctx.db, THERMOMETER, SimulatedThermometer) or SimulatedThermometer()
        after, answer = known.read(place, around, aim_mm)
        simulators.keep(ctx.db, THERMOMETER, after)
        if answer.ok:
            reading = own_tap(ctx, visit_id, "reading", n, answer.value, zone=zone, source=known.name)
            run = append(ctx, visit_id, [reading])
    kept(visit_id, run)
    return answer, run


def _skin(ctx: Context, visit_id: UUID, run: Run) -> tuple[float, float]:
    """(worked place, skin around) in °C, as the bioheat model has them for the time that this zone was worked."""
    n, act = run.state.act, run.acts[run.state.act]
    order = visits.order(ctx.db, visit_id)
    stage = next(one for one in (order.plan.stages if order else ()) if one.id == act.stage)
    one = run.state.runs[n]
    since = one.counted or one.begun or ctx.now
    seconds = min((ctx.now - since).total_seconds(), one.seconds(ctx.now))
    runaway = bool(act.machine) and _one_source(ctx, act.machine).fault == "overheated"
    long = max(seconds, 1.0) * (10 if runaway else 1)
    found: tuple[float, float] | None = stage.as_it_was.warmed_c(_card_of(ctx, act.machine), long, not runaway)
    return found or (SKIN_C, SKIN_C)


def read_meter(ctx: Context, visit_id: UUID) -> Reply:
    """One reading of moisture and colour, into today's findings."""
    with changing(ctx, visit_id, "look") as file:
        known = simulators.one(ctx.db, METER, SimulatedMeter) or SimulatedMeter()
        seen = file.findings
        after, answer, tone = known.read(float(seen.hydration or MOISTURE), seen.tone or TONES[seen.phototype or 3])
        simulators.keep(ctx.db, METER, after)
        if answer.ok and answer.value is not None:
            measured = Findings.model_validate(dict(seen) | {"hydration": int(answer.value), "tone": tone})
            file.keep(ctx, measured)
    return answer
