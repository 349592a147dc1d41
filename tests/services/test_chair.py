"""The chair through the services, on the real PostgreSQL: handover, spots that become tasks, incidents, instruments at
work.
"""

from datetime import timedelta
from io import BytesIO
from uuid import UUID

import pytest
from PIL import Image

from builders.work import (
    GRADED,
    HOURS,
    as_,
    ask_nothing,
    at,
    begun,
    later,
    looked_twice,
    new_visit,
    setting,
    tap_of,
    tapped,
)
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.services.after import closing, tasks
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied
from merak.services.treatment import adverse, instruments, treating
from merak.services.treatment.standing import state_of
from merak.services.visit import planning
from merak.services.visit.file import open_file


def test_the_assistant_starts_and_the_senior_takes_over(ctx: Context) -> None:
    visit = begun(ctx, "numbing", "rf_fractional", "finish", by="lin", rf_fractional="mid cheek")
    lin = as_(ctx, "lin")
    n = at(lin, visit, "pulses")
    with pytest.raises(Denied):
        tapped(lin, visit, "unlock", words="it will be fine")
    forged = tapped(lin, visit, "take_over", licences=["fractional"], name="Adaeze Okonjo")
    assert state_of(forged)["acts"][n]["lock"]["kind"] == "licence" and forged.state.holder == "Lin Farrow", (
        "who I am is not for me to say"
    )
    run = tapped(ctx, visit, "take_over")
    assert state_of(run)["acts"][n]["lock"]["kind"] == "spot" and run.state.holder == "Adaeze Okonjo"
    with pytest.raises(BadInput):
        tapped(ctx, visit, "unlock", words="no")
    tapped(ctx, visit, "unlock", words="spot read last week on the same settings")
    with pytest.raises(Denied, match="licence for fractional"):
        instruments.attach(lin, visit)
    run = tapped(lin, visit, "count")
    assert run.state.runs[n].strokes == 0 and "Lin Farrow holds no licence for fractional" in run.state.unheard, (
        "the senior's is not hers"
    )
    assert tapped(lin, visit, "pain", 2.0).state.runs[n].pain == 2.0, "what the client says, anybody writes down"
    run = tapped(ctx, visit, "count")
    assert run.state.runs[n].strokes == 1 and run.state.runs[n].hands == ["Lin Farrow", "Adaeze Okonjo"], "who did what"
    assert run.state.runs[n].unlocked.startswith("Adaeze Okonjo: spot read")


def test_a_spot_of_pulsed_light_is_a_visit_of_its_own_and_is_carried_into_the_next_plan(ctx: Context) -> None:
    visit = begun(ctx, "cleanse", "pulsed_light", "finish", minutes=50)
    acts = treating.run_of(ctx, visit).acts
    spot = next(n for n, act in enumerate(acts) if act.spot)
    assert acts[spot].title == "Test spot: pulsed light" and not any(act.kind == "pulses" for act in acts), (
        "today only the spot"
    )
    tapped(ctx, visit, "go", float(spot))
    again = tap_of("spot", ctx.now, None, "", spot, {"zone": "right jawline"})
    for _ in range(2):
        treating.record(ctx, visit, [again])
    tapped(ctx, visit, "stop", words="client asks")
    looked_twice(ctx, visit)
    closing.close(ctx, visit, GRADED)
    closed = closing.closing(ctx, visit)
    assert "pulsed_light" not in closed.kept.did, "a spot is no treatment"
    (due,) = tasks.left_by(ctx, visit, "x")
    assert due.task.kind == "spot" and due.task.due_at - ctx.now >= timedelta(hours=48) - timedelta(seconds=2)
    look = {"redness": "1", "swelling": "0", "pain": "1", "mark": "no"}
    with pytest.raises(OutOfTurn, match="Too soon"):
        tasks.finish(later(ctx, hours=47), due.task.id, look)
    with pytest.raises(BadInput) as missing:
        tasks.finish(later(ctx, hours=49), due.task.id, {"redness": "9"})
    assert set(missing.value.fields) == {"redness", "swelling", "pain", "mark"}
    assert any(one.task.id == due.task.id for one in tasks.due(later(ctx, hours=30)))
    read = tasks.finish(later(ctx, hours=49), due.task.id, {**look, "redness": "3"})
    assert read.answer and read.answer.verdict == "down" and read.answer.set_to == due.task.about.at - 1
    with pytest.raises(OutOfTurn, match="done already"):
        tasks.finish(later(ctx, hours=50), due.task.id, look)
    ahead = later(ctx, days=15)
    name = f"{due_client(ctx, visit)}, born 2 Apr 1985"
    second = new_visit(ahead, name=name, start=next(HOURS))
    ask_nothing(ahead, second)
    page = planning.edit(ahead, second, "add", {"modality": "pulsed_light"})
    assert float(setting(page, "pulsed_light", "at")) == read.answer.set_to, "its answer is where the next plan begins"


def due_client(ctx: Context, visit: UUID) -> str:
    return open_file(ctx, visit).visit.client.name


def test_an_incident_stands_on_the_record_with_a_photograph_and_a_call_tomorrow(ctx: Context) -> None:
    visit = begun(ctx, "rf_bulk", "finish", rf_bulk="mid cheek")
    at(ctx, visit, "sections")
    run = tapped(ctx, visit, "heat", 4.0)
    assert (run.state.status, run.state.owed) == ("paused", "burn")
    assert tapped(ctx, visit, "resume").state.status == "paused"
    with pytest.raises(BadInput):
        adverse.add_photo(ctx, visit, b"no picture", "Burn")
    picture = BytesIO()
    Image.new("RGB", (40, 30), "#aa7755").save(picture, "JPEG")
    adverse.add_photo(ctx, visit, picture.getvalue(), "Burn", "right mid cheek")
    told = tap_of(
        "incident",
        ctx.now,
        2.0,
        "",
        None,
        {"card": "Burn", "zone": "right mid cheek", "done": "cooled", "told": "Marit"},
    )
    for _ in range(2):
        run = treating.record(ctx, visit, [told])
    assert not run.state.owed and len(run.state.incidents) == len(run.state.photos) == 1
    (due,) = tasks.left_by(ctx, visit, "x")
    assert due.task.kind == "follow-up" and due.task.due_at - ctx.now == timedelta(hours=number("chair.follow_up"))
    with pytest.raises(Denied):
        tasks.task_page(as_(ctx, "joost"), due.task.id)
    assert tasks.due(as_(ctx, "joost")) == [], "the front desk reads no notes"
    with pytest.raises(BadInput):
        tasks.finish(ctx, due.task.id, {"note": ""})
    assert tasks.finish(ctx, due.task.id, {"note": "settled", "doctor": "no"}).due.task.answer == {
        "note": "settled",
        "doctor": False,
    }


def device(ctx: Context, modality: str) -> str:
    return next(key for key, one in instruments.shelf(ctx).sources.items() if one.modality == modality)


def test_a_machine_counts_asks_to_be_wiped_and_is_lost_in_mid_step(ctx: Context) -> None:
    visit = begun(ctx, "numbing", "rf_fractional", "finish")
    n = at(ctx, visit, "pulses")
    tapped(ctx, visit, "unlock", words="read on the other cheek")
    pins = device(ctx, "rf_fractional")
    for command in ("unplug", "plug", "mend", "wipe"):  # as new, whoever had it before
        instruments.drive(ctx, pins, command)
    assert not instruments.drive(ctx, pins, "set", "99").ok and not instruments.drive(ctx, pins, "fire").ok, (
        "not set: refused"
    )
    for nothing in ("much", "NaN", "-inf", "1e309"):
        for command in ("set", "fire"):
            with pytest.raises(BadInput, match="A number, please"):
                instruments.drive(ctx, pins, command, nothing)
    answer, run = instruments.attach(ctx, visit)
    assert (
        answer.ok and run.state.machine == "plugged" and instruments.at_work(ctx, run)["at"] == run.acts[n].dials[0][1]
    )  # type: ignore[index]
    every = run.acts[n].clean_every
    given = instruments.drive(ctx, pins, "fire", "400")
    assert given.pulses == every == 50, "no more than until it wants wiping"
    run = treating.run_of(ctx, visit)
    assert run.state.runs[n].strokes == every and not instruments.drive(ctx, pins, "fire").ok
    instruments.drive(ctx, pins, "wipe")
    instruments.drive(ctx, pins, "fire", "3")
    instruments.drive(ctx, pins, "unplug")
    run = treating.run_of(ctx, visit)
    assert (run.state.machine, run.state.runs[n].strokes, run.state.runs[n].since_clean) == ("lost", every + 3, 3)
    run = tapped(ctx, visit, "machine", words="hand")
    assert tapped(ctx, visit, "count").state.runs[n].strokes == every + 4, "it goes on by hand"
    instruments.drive(ctx, pins, "plug")
    with pytest.raises(NotFound):
        instruments.drive(ctx, pins, "dance")


def test_a_connected_machine_follows_the_spot_and_the_level(ctx: Context) -> None:
    visit = begun(ctx, "numbing", "rf_fractional", "finish", rf_fractional="mid cheek")
    n = at(ctx, visit, "pulses")
    pins, early = device(ctx, "rf_fractional"), later(ctx, minutes=-9)
    tapped(early, visit, "spot", zone="right jawline")
    assert instruments.attach(ctx, visit)[0].value == 2
    looked = tap_of("spot_read", ctx.now, None, "", n, {"redness": 4, "swelling": 1})
    run = treating.record(ctx, visit, [looked])
    assert run.state.runs[n].set_to == 1 and instruments.shelf(ctx).sources[pins].at == 1, (
        "a step down is a step down at the machine"
    )
    visit = begun(ctx, "ultrasound", "microcurrent", "finish")
    at(ctx, visit, "sections")
    assert instruments.attach(ctx, visit)[1].state.machine == "plugged"
    lift = at(ctx, visit, "strokes")
    run = treating.run_of(ctx, visit)
    assert run.state.machine == "", "another machine is not connected yet"
    planned = run.acts[lift].lines[0].level
    assert instruments.attach(ctx, visit)[0].value == planned
    run = treating.record(ctx, visit, [tap_of("level", ctx.now, 0.5, "", lift)])
    unit = device(ctx, "microcurrent")
    assert instruments.shelf(ctx).sources[unit].at == planned + 0.5
    instruments.drive(ctx, unit, "unplug")
    assert treating.run_of(ctx, visit).state.machine == "lost"
    instruments.drive(ctx, unit, "plug")


def test_the_thermometer_reads_what_lies_below_its_dot_and_keeps_the_peak(ctx: Context) -> None:
    visit = begun(ctx, "rf_bulk", "finish", rf_bulk="mid cheek")
    n = at(ctx, visit, "sections")
    zone = treating.run_of(ctx, visit).acts[n].parts[0].name
    warm = later(ctx, minutes=4)
    aimed, _ = instruments.read_temperature(warm, visit, zone, number("thermometer.below"))
    beside, _ = instruments.read_temperature(later(ctx, minutes=4, seconds=2), visit, zone, 0)
    assert (
        aimed.value and beside.value and aimed.value > beside.value + 0.5 and "hold the dot 13 mm above" in beside.words
    )
    found = treating.run_of(ctx, visit).state.runs[n].warmth[zone]
    assert found.peak_c == aimed.value and found.last_c == beside.value and found.readings == 2
    instruments.drive(ctx, "thermometer", "unplug")
    answer, _ = instruments.read_temperature(warm, visit, zone, 0)
    assert not answer.ok and "type it" in answer.words
    instruments.drive(ctx, "thermometer", "plug")
    tapped(ctx, visit, "go", 0.0)
    with pytest.raises(OutOfTurn):
        instruments.read_temperature(ctx, visit, zone, 0)


def test_the_meter_fills_todays_findings(ctx: Context) -> None:
    visit = new_visit(ctx, start=next(HOURS))
    assert instruments.read_meter(ctx, visit).ok
    seen = open_file(ctx, visit).findings
    assert seen.hydration and abs(seen.hydration - instruments.MOISTURE) < 6 and seen.tone
    instruments.drive(ctx, "meter", "unplug")
    assert not instruments.read_meter(ctx, visit).ok
    instruments.drive(ctx, "meter", "plug")


def test_the_emergency_number_is_the_owners(ctx: Context) -> None:
    with pytest.raises(Denied):
        adverse.set_number(ctx, "911")
    with pytest.raises(BadInput):
        adverse.set_number(as_(ctx, "marit"), "help!")
    adverse.set_number(as_(ctx, "marit"), "911")
    assert adverse.number_of(as_(ctx, "lin")) == "911" and adverse.cards("rf_bulk")[0].title == "Burn"
    adverse.set_number(as_(ctx, "marit"), "112")
