"""The instruments: what is plugged in, what it says. Here stand-ins are plugged in, behind the ports that real ones would use."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from uuid_utils.compat import uuid7

from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.knowledge import has_rule, number, rule
from merak.core.modality import rf_bulk
from merak.core.modality.device import MachineCard, read_cards
from merak.core.ports import Answer
from merak.core.session import setting
from merak.desk import treating
from merak.desk.desk import Desk, NotFound, OutOfTurn
from merak.desk.file import turn
from merak.desk.permission import Denied
from merak.desk.treating import Run, Tap, append, kept, run_of
from merak.records import people, standins, visits
from merak.records.db import transaction
from merak.standins.instruments import MeterStandIn, ThermometerStandIn
from merak.standins.source import FAULTS, SourceStandIn, source_for

THERMOMETER, METER = "thermometer", "meter"
Reader = ThermometerStandIn | MeterStandIn
#: Skin of which nothing was measured: moisture points, and L*, a*, b* by phototype.
MOISTURE = 45.0
TONES = {
    1: (70.0, 9.0, 14.0), 2: (66.0, 10.0, 16.0), 3: (61.0, 11.0, 18.0), 4: (54.0, 12.0, 20.0), 5: (44.0, 12.0, 18.0), 6: (34.0, 10.0, 13.0)
}  # fmt: skip


@dataclass
class Shelf:
    """Everything that can be plugged in."""

    sources: dict[str, SourceStandIn]
    thermometer: ThermometerStandIn
    meter: MeterStandIn
    said: str = ""


def shelf(desk: Desk, said: str = "") -> Shelf:
    """All instruments as they stand."""
    desk.demand("use the bench")
    kept = standins.all_of(desk.db)
    cards = read_cards((str(one.id), one.card) for one in people.devices(desk.db))
    sources = {key: _source(kept.get(key), card) for key, card in cards}
    return Shelf(
        sources, ThermometerStandIn.model_validate(kept.get(THERMOMETER, {})), MeterStandIn.model_validate(kept.get(METER, {})), said
    )


def _source(body: dict[str, Any] | None, card: Any) -> SourceStandIn:
    wipe = f"{card.modality}.clean"
    fresh = source_for(card, int(number(wipe)) if isinstance(card, MachineCard) and has_rule(wipe) else 0)
    return SourceStandIn.model_validate(body) if body else fresh


def _one_source(desk: Desk, device: str) -> SourceStandIn:
    card = _card_of(desk, device)
    if card is None:
        raise NotFound("There is no such instrument.")
    return _source(standins.one(desk.db, device), card)


def _card_of(desk: Desk, device: str) -> Any:
    """The card of a machine, also of one that was put away: a treatment that was ordered with it goes on. None where there is none."""
    found = people.device(desk.db, device)
    return next((card for _, card in read_cards([(device, found.card)])), None) if found else None


def drive(desk: Desk, instrument: str, command: str, value: str = "") -> Answer:
    """Does something to an instrument, as a hand would: plug, unplug, fault, mend, set, fire, wipe.

    What happens to one that is at work in a treatment is told there: pulses are counted, a lost machine is a state with a next act.
    Raises NotFound for what there is not, BadInput on "value" for a number that is none.
    """
    desk.demand("use the bench")
    run = None
    with transaction(desk.db):
        if instrument in (THERMOMETER, METER):
            return _drive_reader(desk, instrument, command)
        source = _one_source(desk, instrument)
        after, answer = _driven(source, command, value)
        standins.keep(desk.db, instrument, after.model_dump(mode="json"))
        if source.visit and answer.ok:
            run = _tell_treatment(desk, instrument, UUID(source.visit), after, command, answer)
    if run is not None:
        kept(UUID(source.visit), run)
    return answer


def _drive_reader(desk: Desk, instrument: str, command: str) -> Answer:
    kind: type[Reader] = ThermometerStandIn if instrument == THERMOMETER else MeterStandIn
    if command not in ("plug", "unplug", "reset"):
        raise NotFound(f"It knows no “{command}”.")
    found = kind.model_validate(standins.one(desk.db, instrument) or {})
    changes: dict[str, Any] = {"peak_c": None} if command == "reset" else {"plugged": command == "plug"}
    standins.keep(desk.db, instrument, found.but(**changes).model_dump(mode="json"))
    return Answer(ok=True)


def _driven(source: SourceStandIn, command: str, value: str) -> tuple[SourceStandIn, Answer]:
    match command:
        case "plug" | "unplug":
            return source.plug(command == "plug"), Answer(ok=True, words=f"{command}ged")
        case "fault":
            return source.but(fault=value if value in FAULTS else FAULTS[0]), Answer(ok=True, words="at fault")
        case "mend":
            return source.but(fault=""), Answer(ok=True, words="mended")
        case "wipe":
            return source.wipe()
        case "set" | "fire":
            try:
                given = float(value or 1)
            except ValueError:
                raise BadInput({"value": "A number, please."}) from None
            return source.set_to(given) if command == "set" else source.fire(int(min(given, 500)))
        case _:
            raise NotFound(f"It knows no “{command}”.")


def _tell_treatment(desk: Desk, device: str, visit_id: UUID, source: SourceStandIn, command: str, answer: Answer) -> Run | None:
    """What an instrument at work says to its treatment. One whose treatment is over goes back to the shelf."""
    run = run_of(desk, visit_id)
    mine = run.steps[run.state.step].machine == device
    if run.state.over or not run.state.machine:
        standins.keep(desk.db, device, source.but(visit="").model_dump(mode="json"))
        return None
    data, taps = {"source": source.name}, []
    if command == "fire" and mine:
        taps = [_tap(desk, run, "count", data) for _ in range(answer.pulses)]
    elif command == "wipe" and mine:
        taps = [_tap(desk, run, "clean", data)]
    elif command in ("unplug", "fault"):
        taps = [_tap(desk, run, "machine", data, "lost")]
    elif command in ("plug", "mend") and source.plugged and not source.fault:
        taps = [_tap(desk, run, "machine", data, "plugged")]
    return append(desk, visit_id, taps) if taps else None


def _tap(desk: Desk, run: Run, kind: str, data: dict[str, Any], words: str = "", value: float | None = None) -> Tap:
    return Tap(uuid7(), kind, desk.now, value, words, run.state.step, data, own=True)


def attach(desk: Desk, visit_id: UUID) -> tuple[Answer, Run]:
    """Lets the machine of the current step count for itself: it is set as planned, or as the test spot said, and refuses what it cannot."""
    with transaction(desk.db):
        run = run_of(desk, visit_id)
        n, step = run.state.step, run.steps[run.state.step]
        if not step.machine:
            raise OutOfTurn("This step has no machine.")
        if step.licence and step.licence not in treating.my_licences(desk):
            raise Denied(f"Who holds a licence for {step.licence} connects it. {rule('chair.hands').words}")
        source = _one_source(desk, step.machine)
        after, answer = source.set_to(setting(step, run.state.runs[n]) or 0.0)
        if answer.ok:
            standins.keep(desk.db, step.machine, after.but(visit=str(visit_id)).model_dump(mode="json"))
            run = append(desk, visit_id, [_tap(desk, run, "machine", {"source": source.name}, "plugged")])
    kept(visit_id, run)
    return answer, run


def record(desk: Desk, visit_id: UUID, taps: Sequence[Tap]) -> Run:
    """Keeps taps, as `treating.record` does; a machine that is connected is then set to what they left: a level, a spot's answer."""
    run = treating.record(desk, visit_id, taps)
    step, wanted = run.steps[run.state.step], setting(run.steps[run.state.step], run.state.runs[run.state.step])
    if run.state.machine == "plugged" and wanted is not None:
        source = _one_source(desk, step.machine)
        if source.visit == str(visit_id) and source.at != wanted:
            after, answer = source.set_to(wanted)
            with transaction(desk.db):
                standins.keep(desk.db, step.machine, after.model_dump(mode="json"))
                run = run if answer.ok else append(desk, visit_id, [_tap(desk, run, "machine", {"source": source.name}, "lost")])
            kept(visit_id, run)
    return run


def at_work(desk: Desk, run: Run) -> dict[str, Any] | None:
    """The machine of the current step as it stands, when it counts for itself."""
    step = run.steps[run.state.step]
    if run.state.machine not in ("plugged", "lost") or not step.machine:
        return None
    source = _one_source(desk, step.machine)
    told = ("name", "at", "scale", "pulses", "since_clean", "clean_every", "fault", "plugged")
    return {key: getattr(source, key) for key in told} | {"wants_wiping": source.wants_wiping}


def read_temperature(desk: Desk, visit_id: UUID, zone: str, aim_mm: float) -> tuple[Answer, Run]:
    """One reading of the thermometer in a zone, kept as a tap. Raises OutOfTurn where the current step warms nothing."""
    with transaction(desk.db):
        run = run_of(desk, visit_id)
        n, step = run.state.step, run.steps[run.state.step]
        if step.heat is None:
            raise OutOfTurn("Nothing is warmed in this step.")
        place, around = _skin(desk, visit_id, run)
        known = ThermometerStandIn.model_validate(standins.one(desk.db, THERMOMETER) or {})
        after, answer = known.read(place, around, aim_mm)
        standins.keep(desk.db, THERMOMETER, after.model_dump(mode="json"))
        if answer.ok:
            data = {"zone": zone, "source": known.name}
            run = append(desk, visit_id, [Tap(uuid7(), "reading", desk.now, answer.value, "", n, data, own=True)])
    kept(visit_id, run)
    return answer, run


def _skin(desk: Desk, visit_id: UUID, run: Run) -> tuple[float, float]:
    """(worked place, skin around) in °C, as the bioheat model has them for the time that this zone was worked."""
    n, step = run.state.step, run.steps[run.state.step]
    items = (visits.order(desk.db, visit_id) or {}).get("plan", {}).get("items", ())
    item = next(one for one in items if one["id"] == step.item)
    settings = rf_bulk.Settings.model_validate(item["settings"])
    card = _card_of(desk, step.machine)
    power = (card.physical(settings.at) if isinstance(card, MachineCard) else None) or 0.0
    one = run.state.runs[n]
    since = one.counted or one.begun or desk.now
    seconds = min((desk.now - since).total_seconds(), one.seconds(desk.now))
    runaway = bool(step.machine) and _one_source(desk, step.machine).fault == "overheated"
    return rf_bulk.surface_c(power, settings, min(max(seconds, 1.0) * (10 if runaway else 1), rf_bulk.PATIENCE_S), not runaway)


def read_meter(desk: Desk, visit_id: UUID) -> Answer:
    """One reading of moisture and colour, into today's findings."""
    with turn(desk, visit_id, "look") as file:
        known = MeterStandIn.model_validate(standins.one(desk.db, METER) or {})
        seen = file.findings
        after, answer, tone = known.read(float(seen.hydration or MOISTURE), seen.tone or TONES[seen.phototype or 3])
        standins.keep(desk.db, METER, after.model_dump(mode="json"))
        if answer.ok and answer.value is not None:
            body = seen.model_dump(mode="json") | {"hydration": int(answer.value), "tone": tone}
            kept = Findings.model_validate(body).model_dump(mode="json")
            visits.add_version(desk.db, visit_id, "look", kept, desk.me.id, desk.now)
    return answer
