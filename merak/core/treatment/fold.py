"""The treatment as a fold over taps: state = fold(order, taps).

An event that does not fit the state it meets (a count while it stands, a second start) changes nothing; it stays on the record. What was
tapped before the state changed still counts when it arrives after: a tap names its own act and its own moment.
"""

from collections.abc import Callable, Iterable
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from merak.core.plan.acts import guests_of
from merak.core.plan.spots import SpotLook, answer, due
from merak.core.treatment.events import OLD_NAMES, Event
from merak.core.treatment.hands import may_give
from merak.core.treatment.locks import locked
from merak.core.treatment.order import Order
from merak.core.treatment.state import ActRun, Ending, Incident, RunState, Spot
from merak.core.treatment.walk import next_place, tallied
from merak.core.treatment.warmth import Warmth

#: Readings of skin outside these are none, °C.
COLDEST, WARMEST = -10.0, 80.0
#: What may be said in one act, at most: beyond it the oldest goes.
MOST_SAID = 60


def fold(order: Order, events: Iterable[Event], before: RunState | None = None) -> RunState:
    """The state after these events, in this order, from the beginning or from the state `before`. Repeated ids are harmless."""
    state = before.copy() if before else RunState(runs=[ActRun() for _ in order.acts])
    for event in events:
        if event.id not in state.seen:
            state.seen.add(event.id)
            kind = OLD_NAMES.get(event.kind, event.kind)
            handle = HANDLERS.get(kind)
            if handle and (not state.over or kind in AFTERWARDS):
                state.unheard = may_give(order, state, _act_of(state, order, event), kind, event)
                if not state.unheard:
                    handle(state, order, event)
    return state


def _act_of(state: RunState, order: Order, event: Event) -> int:
    """The act that a tap was made in; the current one where it does not say, or says one that there is not."""
    return event.act if event.act is not None and 0 <= event.act < len(order.acts) else state.act


def _felt_in(state: RunState, order: Order, event: Event) -> ActRun:
    """The run of the act that something was felt, said or set in: the tap's own, or the current one where that has not begun."""
    run = state.runs[_act_of(state, order, event)]
    return run if run.begun is not None else state.runs[state.act]


def _open(state: RunState, order: Order, event: Event) -> ActRun | None:
    """The run of the tap's act when something may be counted in it: begun, unlocked, going on, or standing only since after the tap."""
    n = _act_of(state, order, event)
    run = state.runs[n]
    if run.begun is None or run.over or locked(order, state, n) is not None:
        return None
    going = state.status == "running" or (state.stood_at is not None and event.at <= state.stood_at)
    return run if going else None


def _start(state: RunState, order: Order, event: Event) -> None:
    if state.status == "ready":
        state.status, state.started = "running", event.at
        _held(state, event)
        _enter(state, order, 0, event)


def _count(state: RunState, order: Order, event: Event) -> None:
    act = order.acts[_act_of(state, order, event)]
    run = _open(state, order, event)
    if run is None or not act.wanted or len(run.passes) >= act.passes:
        return
    if not run.tally:
        run.tally = [0] * len(act.wanted)
    place = next_place(act, run) if event.value is None else int(event.value)
    if place is None or not 0 <= place < len(act.wanted):
        return
    if act.lines:
        at = max(1.0, act.lines[place].level + run.level_shift)
        run.level_most = max(run.level_most or 0.0, at)
    run.walk.append(place)
    run.tally[place] += 1
    run.since_clean += 1
    run.counted = event.at
    _hand(run, event)


def _uncount(state: RunState, order: Order, event: Event) -> None:
    n = _act_of(state, order, event)
    run = state.runs[n]
    if not run.walk and run.passes:
        run.walk = run.passes.pop()
        run.tally = tallied(order.acts[n], run.walk)
    if run.walk:
        run.tally[run.walk.pop()] -= 1
        run.since_clean = max(0, run.since_clean - 1)


def _pass(state: RunState, order: Order, event: Event) -> None:
    act, run = order.acts[_act_of(state, order, event)], _open(state, order, event)
    if run is not None and run.walk and len(run.passes) < act.passes:
        run.passes.append(run.walk)
        run.walk, run.tally = [], [0] * len(act.wanted)


def _next(state: RunState, order: Order, event: Event) -> None:
    """On to the next act; a tap that was made in another act than the current one has been overtaken. A host whose guests were not yet
    begun stays open beside them; after the last guest comes the host again.
    """
    here = state.act
    to = following(order, state)
    if state.status not in ("running", "paused") or state.owed or to is None or event.act not in (None, here):
        return
    state.status, state.why, state.stood_at = "running", "", None
    if order.acts[to].beside != here:
        _leave(state, here, event.at)
    _enter(state, order, to, event)


def following(order: Order, state: RunState) -> int | None:
    """The act that "next" leads to; None from the last one."""
    here = state.act
    guests = [n for n in guests_of(order.acts, here) if state.runs[n].ended is None]
    if guests:
        return guests[0]
    host = order.acts[here].beside
    if host is not None:
        more = next((n for n in guests_of(order.acts, host) if n > here and state.runs[n].ended is None), None)
        return more if more is not None else host if state.runs[host].ended is None else _after(order, host)
    return _after(order, here)


def _after(order: Order, host: int) -> int | None:
    """The first act of the main track behind one."""
    return next((n for n in range(host + 1, len(order.acts)) if order.acts[n].beside is None), None)


def _back(state: RunState, order: Order, event: Event) -> None:
    if state.act > 0 and event.act in (None, state.act):
        _turn_to(state, order, state.act - 1, event)


def _go(state: RunState, order: Order, event: Event) -> None:
    if event.value is not None and 0 <= event.value < len(order.acts) and int(event.value) != state.act:
        _turn_to(state, order, int(event.value), event)


def _turn_to(state: RunState, order: Order, to: int, event: Event) -> None:
    """To any act, back or forth; what is on the skin works on."""
    if state.status in ("running", "paused") and not state.owed:
        _bank(state, order, event.at)
        state.status, state.why, state.stood_at = "running", "", None
        _enter(state, order, to, event)


def _pause(state: RunState, order: Order, event: Event) -> None:
    if state.status == "running":
        _stand(state, order, event.at, "")


def _resume(state: RunState, order: Order, event: Event) -> None:
    if state.status in ("paused", "halted") and not state.owed:
        state.status, state.why, state.stood_at = "running", "", None
        here = state.runs[state.act]
        if here.left:  # what was left and is gone on with has not ended
            here.left, here.ended = "", None
        host = order.acts[state.act].beside
        for run in (here, *([state.runs[host]] if host is not None else ())):
            if run.begun is not None and run.since is None and run.ended is None and not run.over:
                run.since = event.at


def _level(state: RunState, order: Order, event: Event) -> None:
    """Level up or down by `value`. Never below 1, and up only as far as the act's ceiling, which the core has set."""
    n = _act_of(state, order, event)
    act, run = order.acts[n], state.runs[n]
    if state.status not in ("running", "paused") or run.begun is None or not act.lines or event.value is None:
        return
    planned, before = max((line.level for line in act.lines), default=1.0), run.level_shift
    run.level_shift = min(max(planned + run.level_shift + event.value, 1.0), act.level_most) - planned
    run.level_changes += run.level_shift != before
    if event.words:
        _say(run, event, event.words)


def _comfort(state: RunState, order: Order, event: Event) -> None:
    if state.status in ("running", "paused"):
        _say(_felt_in(state, order, event), event, event.words)


def _heat(state: RunState, order: Order, event: Event) -> None:
    """The heat word. At "stop" the hands stand; a 4 is an incident, which is written before anything goes on."""
    if state.status == "ready" or event.value is None or not 0 <= event.value <= order.limits.heat_never:
        return
    run = _felt_in(state, order, event)
    run.heat = event.value
    _say(run, event, f"heat {event.value:g}")
    if event.value >= order.limits.heat_stop:
        _stand(state, order, event.at, f"heat {event.value:g}")
    if event.value >= order.limits.heat_never:
        state.owed = "burn"


def _pain(state: RunState, order: Order, event: Event) -> None:
    if state.status == "ready" or event.value is None or not 0 <= event.value <= 10:
        return
    run = _felt_in(state, order, event)
    run.pain, run.pain_most = event.value, max(run.pain_most or 0, event.value)
    _say(run, event, f"pain {event.value:g}")
    if event.value >= order.limits.pain_stop:
        _stand(state, order, event.at, f"pain {event.value:g}")


def _reading(state: RunState, order: Order, event: Event) -> None:
    """A surface temperature in a zone. At the stop, or past the thermal dose, the act is over: nobody resumes it."""
    n = _act_of(state, order, event)
    heat, run, zone = order.acts[n].heat, state.runs[n], str(event.data.get("zone", ""))
    if heat is None or run.begun is None or event.value is None or not COLDEST <= event.value <= WARMEST:
        return
    known = run.warmth.get(zone)
    if known is None:
        known = run.warmth[zone] = Warmth(event.value, event.at, event.value)
    else:
        known.read(event.value, event.at, heat)
    _hand(run, event)
    if known.over(heat) and not run.over:
        hot = known.peak_c >= heat.stop_c
        run.over = f"{known.peak_c:.1f} °C in {zone or 'a zone'}" if hot else f"{known.deep43_min:.1f} CEM43 min in {zone or 'a zone'}"
        if n == state.act:
            _stand(state, order, event.at, run.over)
        else:
            _bank_run(run, event.at)


def _clean(state: RunState, order: Order, event: Event) -> None:
    run = state.runs[_act_of(state, order, event)]
    if run.begun is not None and state.status != "ready":
        run.since_clean, run.cleans = 0, run.cleans + 1


def _spot(state: RunState, order: Order, event: Event) -> None:
    """A spot is placed, at the setting that stands: the plan's, or what the last answer said."""
    n = _act_of(state, order, event)
    rule, run = order.acts[n].spot, state.runs[n]
    waiting = bool(run.spots) and run.spots[-1].answer is None
    if rule is None or run.begun is None or waiting or run.over or _no_licence(order, state, n):
        return
    at = run.set_to if run.set_to is not None else rule.at
    run.spots.append(Spot(event.id, event.at, at, str(event.data.get("zone", ""))[:80], due(event.at, rule)))
    _hand(run, event)


def _spot_read(state: RunState, order: Order, event: Event) -> None:
    n = _act_of(state, order, event)
    rule, run = order.acts[n].spot, state.runs[n]
    spot = run.spots[-1] if run.spots else None
    if rule is None or spot is None or spot.answer is not None or event.at < spot.due or not rule.same_visit:
        return
    try:
        look = SpotLook.model_validate({key: event.data[key] for key in SpotLook.model_fields if key in event.data})
    except ValidationError:
        return
    up = any(one.answer is not None and one.answer.verdict == "up" for one in run.spots)
    spot.look, spot.answer = look, answer(rule, spot.at, look, up)
    run.set_to = spot.answer.set_to
    if spot.answer.verdict == "stop":
        run.over = spot.answer.words
    _hand(run, event)


def _unlock(state: RunState, order: Order, event: Event) -> None:
    """A senior lets it begin without a read spot, in writing. Whether it is one is for the services to ask before it keeps the event."""
    n = _act_of(state, order, event)
    run = state.runs[n]
    if order.acts[n].spot is not None and run.begun is not None and not run.over and event.words.strip():
        run.unlocked = f"{event.data.get('name', '')}: {event.words.strip()}"


def _take_over(state: RunState, order: Order, event: Event) -> None:
    if state.status != "ready":
        _held(state, event)
        _hand(state.runs[state.act], event)


def _held(state: RunState, event: Event) -> None:
    state.holder = str(event.data.get("name", event.by))
    state.licences = frozenset(map(str, event.data.get("licences", ())))
    state.holders.append((event.at, state.holder))


def _incident(state: RunState, order: Order, event: Event) -> None:
    said: Any = event.data
    grade = int(event.value) if event.value is not None and 0 <= event.value <= 4 else 0
    card, zone, done, told = (str(said.get(key, ""))[:400] for key in ("card", "zone", "done", "told"))
    state.incidents.append(Incident(event.id, event.at, event.by, _act_of(state, order, event), card, zone, grade, done, told))
    state.owed = ""


def _strike(state: RunState, order: Order, event: Event) -> None:
    """An incident that was written by mistake is struck out with a reason; it stays to be read."""
    one = next((one for one in state.incidents if one.id == str(event.data.get("incident", "")) and not one.struck), None)
    if one is not None and event.words.strip():
        one.struck = f"{event.by}: {event.words.strip()}"


def _photo(state: RunState, order: Order, event: Event) -> None:
    state.photos.append((str(event.data.get("file", "")), str(event.data.get("when", "")), str(event.data.get("zone", ""))))


def _machine(state: RunState, order: Order, event: Event) -> None:
    if state.status != "ready" and event.words in ("plugged", "lost", "hand", ""):
        state.machine = event.words


def _halt(state: RunState, order: Order, event: Event) -> None:
    """The stop button: everything that hands hold stands at once; why comes after."""
    if state.status in ("running", "paused"):
        _stand(state, order, event.at, state.why)
        for act, run in zip(order.acts, state.runs, strict=True):
            if run.since is not None and not act.keeps:
                _bank_run(run, event.at)
        state.status = "halted"


def _why(state: RunState, order: Order, event: Event) -> None:
    """Why it was stopped, in a word. It ends nothing."""
    if state.status in ("halted", "paused") and event.words.strip():
        state.why = event.words.strip()
        _say(state.runs[state.act], event, state.why)


def _leave_act(state: RunState, order: Order, event: Event) -> None:
    """The act under way is left before its end, with its reason; the hands stand before the next one. From the last one nothing follows."""
    if state.status not in ("running", "paused", "halted") or state.owed or event.act not in (None, state.act):
        return
    here, to = state.act, following(order, state)
    run = state.runs[here]
    if run.begun is None:
        return
    run.left = event.words.strip() or state.why or "left"
    _leave(state, here, event.at)
    state.status, state.why, state.stood_at = "running", "", None
    if to is not None:
        _enter(state, order, to, event)
    _stand(state, order, event.at, "")


def _stop(state: RunState, order: Order, event: Event) -> None:
    if state.status != "ready":
        _end(state, event)
        state.status, state.reason = "stopped", event.words


def _finish(state: RunState, order: Order, event: Event) -> None:
    if state.status in ("running", "paused") and not state.owed and following(order, state) is None:
        _end(state, event)
        state.status = "finished"


def _reopen(state: RunState, order: Order, event: Event) -> None:
    """The ending is taken back: the hands stand where they stood. What was on the skin has worked on meanwhile; both times are kept."""
    if not state.over:
        return
    ended = state.endings[-1]
    ended.back = event.at
    for n in state.ran:
        state.runs[n].ended = None
        if order.acts[n].keeps:
            state.runs[n].worked_s += max(0.0, (event.at - ended.at).total_seconds())
            state.runs[n].since = event.at
    if state.act not in state.ran and state.runs[state.act].ended == ended.at:
        state.runs[state.act].ended = None
    state.status, state.reason, state.why, state.stood_at = "paused", "", "", event.at


def _enter(state: RunState, order: Order, n: int, event: Event) -> None:
    """At an act. A level that was moved on one side goes with the therapist to the other; another machine is not connected yet."""
    if state.machine and order.acts[n].machine and order.acts[n].machine != order.acts[state.act].machine:
        state.machine = ""
    state.act = n
    run = state.runs[n]
    if run.begun is None:
        run.begun = event.at
        if order.acts[n].lines:
            run.level_shift = next((one.level_shift for one in reversed(state.runs[:n]) if one.level_shift), 0.0)
    run.ended = None
    if run.since is None and not run.over:
        run.since = event.at
    _hand(run, event)


def _leave(state: RunState, n: int, at: datetime) -> None:
    _bank_run(state.runs[n], at)
    state.runs[n].ended = at


def _bank(state: RunState, order: Order, at: datetime) -> None:
    """The current clock stands, unless what it counts works on by itself."""
    if not order.acts[state.act].keeps:
        _bank_run(state.runs[state.act], at)


def _bank_run(run: ActRun, at: datetime) -> None:
    run.worked_s, run.since = run.seconds(at), None


def _stand(state: RunState, order: Order, at: datetime, why: str) -> None:
    if state.status == "running":
        _bank(state, order, at)
        state.status, state.stood_at = "paused", at
    state.why = why


def _end(state: RunState, event: Event) -> None:
    state.ran = tuple(n for n, run in enumerate(state.runs) if run.since is not None)
    for n in state.ran:
        _bank_run(state.runs[n], event.at)
        state.runs[n].ended = event.at
    state.endings.append(Ending(event.at, event.by, event.words if event.kind == "stop" else ""))


def _say(run: ActRun, event: Event, words: str) -> None:
    run.said.append(words)
    del run.said[:-MOST_SAID]
    run.asked = event.at if run.asked is None else max(run.asked, event.at)
    _hand(run, event)


def _hand(run: ActRun, event: Event) -> None:
    """Who had a hand in an act."""
    if event.by and event.by not in run.hands:
        run.hands.append(event.by)


def _no_licence(order: Order, state: RunState, n: int) -> bool:
    lock = locked(order, state, n)
    return lock is not None and lock.kind == "licence"


HANDLERS: dict[str, Callable[[RunState, Order, Event], None]] = {
    "start": _start, "count": _count, "uncount": _uncount, "pass": _pass, "next": _next, "back": _back, "go": _go, "pause": _pause,
    "resume": _resume, "level": _level, "comfort": _comfort, "heat": _heat, "pain": _pain, "reading": _reading, "clean": _clean,
    "spot": _spot, "spot_read": _spot_read, "unlock": _unlock, "take_over": _take_over, "incident": _incident, "strike": _strike,
    "photo": _photo, "machine": _machine, "halt": _halt, "why": _why, "leave": _leave_act, "stop": _stop, "finish": _finish,
    "reopen": _reopen,
}  # fmt: skip
#: What is still heard once it is over: what went wrong is often seen afterwards.
AFTERWARDS = frozenset({"incident", "strike", "photo", "reopen"})
