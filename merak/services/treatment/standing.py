"""Where a treatment stands, as plain values for whoever paints it."""

from datetime import datetime
from typing import Any

from merak.core.acts import Act
from merak.core.treatment import complete, following, locked, next_place, pace
from merak.core.treatment.state import ActRun, Spot
from merak.core.treatment.walk import missed_in_all
from merak.core.treatment.warmth import Warmth
from merak.services.treatment.treating import Run

SAID = 3


def state_of(run: Run) -> dict[str, Any]:
    """Where it stands: seconds, counts and words by act, as of the server's `now`."""
    state, acts = run.state, run.acts
    tempo = pace(run.order, state, run.now)
    return {
        "status": state.status,
        "act": state.act,
        "following": following(run.order, state),
        "why": state.why,
        "owed": state.owed,
        "reason": state.reason,
        "holder": state.holder,
        "licences": sorted(state.licences),
        "stood_at": _iso(state.stood_at),
        "ran": state.ran,
        "machine": state.machine,
        "unheard": state.unheard,
        "incidents": [
            {"at": _iso(one.at)} | {key: getattr(one, key) for key in ("id", "card", "zone", "grade", "done", "struck")}
            for one in state.incidents
        ],
        "endings": [
            {"at": _iso(one.at), "by": one.by, "reason": one.reason, "back": _iso(one.back)} for one in state.endings
        ],
        "photos": len(state.photos),
        "seq": run.seq,
        "now": run.now.isoformat(),
        "pace": {
            "used_s": tempo.used_s,
            "left_s": tempo.left_s,
            "late_s": tempo.late_s,
            "starved": tempo.starved,
            "words": tempo.words,
        },
        "acts": [_act(run, n, acts[n], one) for n, one in enumerate(state.runs)],
    }


def _act(run: Run, n: int, act: Act, one: ActRun) -> dict[str, Any]:
    if one.begun is None:
        return {"begun": False}
    lock = locked(run.order, run.state, n)
    missed, doubled = missed_in_all(act, one)
    return {
        "begun": True,
        "ended": one.ended is not None,
        "on": one.since is not None,
        "worked_s": one.seconds(run.now),
        "banked_s": one.worked_s,
        "since": _iso(one.since),
        "ended_at": _iso(one.ended),
        "strokes": one.strokes,
        "tally": one.tally,
        "walk": one.walk,
        "walks": one.passes,
        "seen": one.seen,
        "next": next_place(act, one),
        "passes": len(one.passes),
        "complete": complete(act, one),
        "missed": missed,
        "doubled": doubled,
        "level_shift": one.level_shift,
        "said": one.said[-SAID:],
        "heat": one.heat,
        "pain": one.pain,
        "asked": _iso(one.asked),
        "since_clean": one.since_clean,
        "lock": {"kind": lock.kind, "words": lock.words, "action": lock.action} if lock else None,
        "over": one.over,
        "left": one.left,
        "set_to": one.set_to,
        "unlocked": bool(one.unlocked),
        "stepped_up": any(spot.answer is not None and spot.answer.verdict == "up" for spot in one.spots),
        "spot": _spot(one.spots[-1]) if one.spots else None,
        "hands": one.hands,
        "warmth": {zone: _warmth(act, found) for zone, found in one.warmth.items()},
    }


def _spot(spot: Spot) -> dict[str, Any]:
    answer = spot.answer
    told = {"verdict": answer.verdict, "set_to": answer.set_to, "words": answer.words} if answer else None
    return {"placed": _iso(spot.placed), "due": _iso(spot.due), "at": spot.at, "zone": spot.zone, "answer": told}


def _warmth(act: Act, found: Warmth) -> dict[str, Any]:
    return {
        "last": found.last_c,
        "peak": found.peak_c,
        "band_s": found.band_s,
        "cem43": found.cem43_min,
        "deep43": found.deep43_min,
        "dwell_s": found.dwell_s(act.heat) if act.heat else None,
        "at": _iso(found.at),
    }


def _iso(moment: datetime | None) -> str | None:
    return moment.isoformat() if moment else None
