"""The treatment as a fold over taps: state = fold(order, taps).

A tap that does not fit the state it meets (a count while it stands, a second start) changes nothing; it stays on the
record. What was tapped before the state changed still counts when it arrives after: a tap names its own act and its own
moment.
"""

from collections.abc import Callable, Iterable
from datetime import datetime

from pydantic import ValidationError

from merak.core.acts import guests_of
from merak.core.spots import SpotLook, answer, due
from merak.core.treatment.hands import may_give
from merak.core.treatment.locks import locked
from merak.core.treatment.order import Order
from merak.core.treatment.seen import may_lie_on
from merak.core.treatment.state import ActRun, Ending, Incident, RunState, Sighting, Spot
from merak.core.treatment.taps import OLD_NAMES, Tap
from merak.core.treatment.walk import next_place, tallied
from merak.core.treatment.warmth import Warmth

#: Readings of skin outside these are none, °C.
COLDEST, WARMEST = -10.0, 80.0
#: What may be said in one act, at most: beyond it the oldest goes.
MOST_SAID = 60


def fold(order: Order, taps: Iterable[Tap], before: RunState | None = None) -> RunState:
    """The state after these taps, in this order, from the beginning or from the state `before`. Repeated ids are
    harmless.
    """
    state = before.copy() if before else RunState(runs=[ActRun() for _ in order.acts])
    for tap in taps:
        if tap.id not in state.seen:
            state.seen.add(tap.id)
            kind = OLD_NAMES.get(tap.kind, tap.kind)
            handle = HANDLERS.get(kind)
            if handle and (not state.over or kind in AFTERWARDS):
                state.unheard = may_give(order, state, _act_of(state, order, tap), kind, tap)
                if not state.unheard:
                    handle(state, order, tap)
    return state


def _act_of(state: RunState, order: Order, tap: Tap) -> int:
    """The act that a tap was made in; the current one where it does not say, or says one that there is not."""
    return tap.act if tap.act is not None and 0 <= tap.act < len(order.acts) else state.act


def _felt_in(state: RunState, order: Order, tap: Tap) -> ActRun:
    """The run of the act that something was felt, said or set in: the tap's own, or the current one where that has not
    begun.
    """
    run = state.runs[_act_of(state, order, tap)]
    return run if run.begun is not None else state.runs[state.act]


def _open(state: RunState, order: Order, tap: Tap) -> ActRun | None:
    """The run of the tap's act when something may be counted in it: begun, unlocked, going on, or standing only since
    after the tap.
    """
    n = _act_of(state, order, tap)
    run = state.runs[n]
    if run.begun is None or run.over or locked(order, state, n) is not None:
        return None
    going = state.status == "running" or (state.stood_at is not None and tap.at <= state.stood_at)
    return run if going else None


def _start(state: RunState, order: Order, tap: Tap) -> None:
    if state.status == "ready":
        state.status, state.started = "running", tap.at
        _held(state, tap)
        _enter(state, order, 0, tap)


def _count(state: RunState, order: Order, tap: Tap) -> None:
    act = order.acts[_act_of(state, order, tap)]
    run = _open(state, order, tap)
    if run is None or not act.wanted or len(run.passes) >= act.passes:
        return
    if not run.tally:
        run.tally = [0] * len(act.wanted)
    place = next_place(act, run) if tap.value is None else int(tap.value)
    if place is None or not 0 <= place < len(act.wanted):
        return
    if act.lines:
        at = max(1.0, act.lines[place].level + run.level_shift)
        run.level_most = max(run.level_most or 0.0, at)
    run.walk.append(place)
    run.tally[place] += 1
    if act.at_most and tap.data.xy is not None and may_lie_on(act, tap.data.plate):
        run.seen.append(Sighting(run.strokes, tap.data.plate, *tap.data.xy))
    run.since_clean += 1
    run.counted = tap.at
    _hand(run, tap)


def _uncount(state: RunState, order: Order, tap: Tap) -> None:
    n = _act_of(state, order, tap)
    run = state.runs[n]
    if not run.walk and run.passes:
        run.walk = run.passes.pop()
        run.tally = tallied(order.acts[n], run.walk)
    if run.walk:
        run.tally[run.walk.pop()] -= 1
        run.since_clean = max(0, run.since_clean - 1)
        if run.seen and run.seen[-1].nth > run.strokes:
            run.seen.pop()


def _pass(state: RunState, order: Order, tap: Tap) -> None:
    act, run = order.acts[_act_of(state, order, tap)], _open(state, order, tap)
    if run is not None and run.walk:
        run.passes.append(run.walk)
        run.walk, run.tally = [], [0] * len(act.wanted)


def _next(state: RunState, order: Order, tap: Tap) -> None:
    """On to the next act; a tap that was made in another act than the current one has been overtaken. A host whose
    guests were not yet begun stays open beside them; after the last guest comes the host again.
    """
    here = state.act
    to = following(order, state)
    if state.status not in ("running", "paused") or state.owed or to is None or tap.act not in (None, here):
        return
    state.status, state.why, state.stood_at = "running", "", None
    if order.acts[to].beside != here:
        _leave(state, here, tap.at)
    _enter(state, order, to, tap)


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


def _back(state: RunState, order: Order, tap: Tap) -> None:
    if state.act > 0 and tap.act in (None, state.act):
        _turn_to(state, order, state.act - 1, tap)


def _go(state: RunState, order: Order, tap: Tap) -> None:
    if tap.value is not None and 0 <= tap.value < len(order.acts) and int(tap.value) != state.act:
        _turn_to(state, order, int(tap.value), tap)


def _turn_to(state: RunState, order: Order, to: int, tap: Tap) -> None:
    """To any act, back or forth; what is on the skin works on."""
    if state.status in ("running", "paused") and not state.owed:
        _bank(state, order, tap.at)
        state.status, state.why, state.stood_at = "running", "", None
        _enter(state, order, to, tap)


def _pause(state: RunState, order: Order, tap: Tap) -> None:
    if state.status == "running":
        _stand(state, order, tap.at, "")


def _resume(state: RunState, order: Order, tap: Tap) -> None:
    if state.status in ("paused", "halted") and not state.owed:
        state.status, state.why, state.stood_at = "running", "", None
        here = state.runs[state.act]
        if here.left:  # what was left and is gone on with has not ended
            here.left, here.ended = "", None
        host = order.acts[state.act].beside
        for run in (here, *([state.runs[host]] if host is not None else ())):
            if run.begun is not None and run.since is None and run.ended is None and not run.over:
                run.since = tap.at


def _level(state: RunState, order: Order, tap: Tap) -> None:
    """Level up or down by `value`. Never below 1, and up only as far as the act's ceiling, which the core has set."""
    n = _act_of(state, order, tap)
    act, run = order.acts[n], state.runs[n]
    if state.status not in ("running", "paused") or run.begun is None or not act.lines or tap.value is None:
        return
    planned, before = max((line.level for line in act.lines), default=1.0), run.level_shift
    run.level_shift = min(max(planned + run.level_shift + tap.value, 1.0), act.level_most) - planned
    run.level_changes += run.level_shift != before
    if tap.words:
        _say(run, tap, tap.words)


def _comfort(state: RunState, order: Order, tap: Tap) -> None:
    if state.status in ("running", "paused"):
        _say(_felt_in(state, order, tap), tap, tap.words)


def _heat(state: RunState, order: Order, tap: Tap) -> None:
    """The heat word. At "stop" the hands stand; a 4 is an incident, which is written before anything goes on."""
    if state.status == "ready" or tap.value is None or not 0 <= tap.value <= order.limits.heat_never:
        return
    run = _felt_in(state, order, tap)
    run.heat = tap.value
    _say(run, tap, f"heat {tap.value:g}")
    if tap.value >= order.limits.heat_stop:
        _stand(state, order, tap.at, f"heat {tap.value:g}")
    if tap.value >= order.limits.heat_never:
        state.owed = "burn"


def _pain(state: RunState, order: Order, tap: Tap) -> None:
    if state.status == "ready" or tap.value is None or not 0 <= tap.value <= 10:
        return
    run = _felt_in(state, order, tap)
    run.pain, run.pain_most = tap.value, max(run.pain_most or 0, tap.value)
    _say(run, tap, f"pain {tap.value:g}")
    if tap.value >= order.limits.pain_stop:
        _stand(state, order, tap.at, f"pain {tap.value:g}")


def _reading(state: RunState, order: Order, tap: Tap) -> None:
    """A surface temperature in a zone. At the stop, or past the thermal dose, the act is over: nobody resumes it."""
    n = _act_of(state, order, tap)
    heat, run, zone = order.acts[n].heat, state.runs[n], tap.data.zone
    if heat is None or run.begun is None or tap.value is None or not COLDEST <= tap.value <= WARMEST:
        return
    known = run.warmth.get(zone)
    if known is None:
        known = run.warmth[zone] = Warmth(tap.value, tap.at, tap.value)
    else:
        known.read(tap.value, tap.at, heat)
    _hand(run, tap)
    if known.over(heat) and not run.over:
        hot = known.peak_c >= heat.stop_c
        run.over = (
            f"{known.peak_c:.1f} °C in {zone or 'a zone'}"
            if hot
            else f"{known.deep43_min:.1f} CEM43 min in {zone or 'a zone'}"
        )
        if n == state.act:
            _stand(state, order, tap.at, run.over)
        else:
            _bank_run(run, tap.at)


def _clean(state: RunState, order: Order, tap: Tap) -> None:
    run = state.runs[_act_of(state, order, tap)]
    if run.begun is not None and state.status != "ready":
        run.since_clean, run.cleans = 0, run.cleans + 1


def _spot(state: RunState, order: Order, tap: Tap) -> None:
    """A spot is placed, at the setting that stands: the plan's, or what the last answer said."""
    n = _act_of(state, order, tap)
    rule, run = order.acts[n].spot, state.runs[n]
    waiting = bool(run.spots) and run.spots[-1].answer is None
    if rule is None or run.begun is None or waiting or run.over or _no_licence(order, state, n):
        return
    at = run.set_to if run.set_to is not None else rule.at
    run.spots.append(Spot(str(tap.id), tap.at, at, tap.data.zone[:80], due(tap.at, rule)))
    _hand(run, tap)


def _spot_read(state: RunState, order: Order, tap: Tap) -> None:
    n = _act_of(state, order, tap)
    rule, run = order.acts[n].spot, state.runs[n]
    spot = run.spots[-1] if run.spots else None
    if rule is None or spot is None or spot.answer is not None or tap.at < spot.due or not rule.same_visit:
        return
    try:
        told = {key: getattr(tap.data, key) for key in SpotLook.model_fields}
        look = SpotLook.model_validate({key: value for key, value in told.items() if value is not None})
    except ValidationError:
        return
    up = any(one.answer is not None and one.answer.verdict == "up" for one in run.spots)
    spot.look, spot.answer = look, answer(rule, spot.at, look, up)
    run.set_to = spot.answer.set_to
    if spot.answer.verdict == "stop":
        run.over = spot.answer.words
    _hand(run, tap)


def _unlock(state: RunState, order: Order, tap: Tap) -> None:
    """A senior lets it begin without a read spot, in writing. Whether it is one is for the services to ask before it
    keeps the tap.
    """
    n = _act_of(state, order, tap)
    run = state.runs[n]
    if order.acts[n].spot is not None and run.begun is not None and not run.over and tap.words.strip():
        run.unlocked = f"{tap.data.name}: {tap.words.strip()}"


def _take_over(state: RunState, order: Order, tap: Tap) -> None:
    if state.status != "ready":
        _held(state, tap)
        _hand(state.runs[state.act], tap)


def _held(state: RunState, tap: Tap) -> None:
    state.holder = tap.data.name or tap.by
    state.licences = frozenset(tap.data.licences or ())
    state.holders.append((tap.at, state.holder))


def _incident(state: RunState, order: Order, tap: Tap) -> None:
    grade = int(tap.value) if tap.value is not None and 0 <= tap.value <= 4 else 0
    card, zone, done, told = (text[:400] for text in (tap.data.card, tap.data.zone, tap.data.done, tap.data.told))
    act = _act_of(state, order, tap)
    state.incidents.append(Incident(str(tap.id), tap.at, tap.by, act, card, zone, grade, done, told))
    state.owed = ""


def _strike(state: RunState, order: Order, tap: Tap) -> None:
    """An incident that was written by mistake is struck out with a reason; it stays to be read."""
    one = next((one for one in state.incidents if one.id == tap.data.incident and not one.struck), None)
    if one is not None and tap.words.strip():
        one.struck = f"{tap.by}: {tap.words.strip()}"


def _photo(state: RunState, order: Order, tap: Tap) -> None:
    state.photos.append((tap.data.file, tap.data.when, tap.data.zone))


def _machine(state: RunState, order: Order, tap: Tap) -> None:
    if state.status != "ready" and tap.words in ("plugged", "lost", "hand", ""):
        state.machine = tap.words


def _halt(state: RunState, order: Order, tap: Tap) -> None:
    """The stop button: everything that hands hold stands at once; why comes after."""
    if state.status in ("running", "paused"):
        _stand(state, order, tap.at, state.why)
        for act, run in zip(order.acts, state.runs, strict=True):
            if run.since is not None and not act.keeps:
                _bank_run(run, tap.at)
        state.status = "halted"


def _why(state: RunState, order: Order, tap: Tap) -> None:
    """Why it was stopped, in a word. It ends nothing."""
    if state.status in ("halted", "paused") and tap.words.strip():
        state.why = tap.words.strip()
        _say(state.runs[state.act], tap, state.why)


def _leave_act(state: RunState, order: Order, tap: Tap) -> None:
    """The act under way is left before its end, with its reason; the hands stand before the next one. From the last one
    nothing follows.
    """
    if state.status not in ("running", "paused", "halted") or state.owed or tap.act not in (None, state.act):
        return
    here, to = state.act, following(order, state)
    run = state.runs[here]
    if run.begun is None:
        return
    run.left = tap.words.strip() or state.why or "left"
    _leave(state, here, tap.at)
    state.status, state.why, state.stood_at = "running", "", None
    if to is not None:
        _enter(state, order, to, tap)
    _stand(state, order, tap.at, "")


def _stop(state: RunState, order: Order, tap: Tap) -> None:
    if state.status != "ready":
        _end(state, tap)
        state.status, state.reason = "stopped", tap.words


def _finish(state: RunState, order: Order, tap: Tap) -> None:
    if state.status in ("running", "paused") and not state.owed and following(order, state) is None:
        _end(state, tap)
        state.status = "finished"


def _reopen(state: RunState, order: Order, tap: Tap) -> None:
    """The ending is taken back: the hands stand where they stood. What was on the skin has worked on meanwhile; both
    times are kept.
    """
    if not state.over:
        return
    ended = state.endings[-1]
    ended.back = tap.at
    for n in state.ran:
        state.runs[n].ended = None
        if order.acts[n].keeps:
            state.runs[n].worked_s += max(0.0, (tap.at - ended.at).total_seconds())
            state.runs[n].since = tap.at
    if state.act not in state.ran and state.runs[state.act].ended == ended.at:
        state.runs[state.act].ended = None
    state.status, state.reason, state.why, state.stood_at = "paused", "", "", tap.at


def _enter(state: RunState, order: Order, n: int, tap: Tap) -> None:
    """At an act. A level that was moved on one side goes with the therapist to the other; another machine is not
    connected yet.
    """
    if state.machine and order.acts[n].machine and order.acts[n].machine != order.acts[state.act].machine:
        state.machine = ""
    state.act = n
    run = state.runs[n]
    if run.begun is None:
        run.begun = tap.at
        if order.acts[n].lines:
            run.level_shift = next((one.level_shift for one in reversed(state.runs[:n]) if one.level_shift), 0.0)
    run.ended = None
    if run.since is None and not run.over:
        run.since = tap.at
    _hand(run, tap)


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


def _end(state: RunState, tap: Tap) -> None:
    state.ran = tuple(n for n, run in enumerate(state.runs) if run.since is not None)
    for n in state.ran:
        _bank_run(state.runs[n], tap.at)
        state.runs[n].ended = tap.at
    state.endings.append(Ending(tap.at, tap.by, tap.words if tap.kind == "stop" else ""))


def _say(run: ActRun, tap: Tap, words: str) -> None:
    run.said.append(words)
    del run.said[:-MOST_SAID]
    run.asked = tap.at if run.asked is None else max(run.asked, tap.at)
    _hand(run, tap)


def _hand(run: ActRun, tap: Tap) -> None:
    """Who had a hand in an act."""
    if tap.by and tap.by not in run.hands:
        run.hands.append(tap.by)


def _no_licence(order: Order, state: RunState, n: int) -> bool:
    lock = locked(order, state, n)
    return lock is not None and lock.kind == "licence"


HANDLERS: dict[str, Callable[[RunState, Order, Tap], None]] = {
    "start": _start,
    "count": _count,
    "uncount": _uncount,
    "pass": _pass,
    "next": _next,
    "back": _back,
    "go": _go,
    "pause": _pause,
    "resume": _resume,
    "level": _level,
    "comfort": _comfort,
    "heat": _heat,
    "pain": _pain,
    "reading": _reading,
    "clean": _clean,
    "spot": _spot,
    "spot_read": _spot_read,
    "unlock": _unlock,
    "take_over": _take_over,
    "incident": _incident,
    "strike": _strike,
    "photo": _photo,
    "machine": _machine,
    "halt": _halt,
    "why": _why,
    "leave": _leave_act,
    "stop": _stop,
    "finish": _finish,
    "reopen": _reopen,
}
#: What is still heard once it is over: what went wrong is often seen afterwards.
AFTERWARDS = frozenset({"incident", "strike", "photo", "reopen"})
