"""Taps by chance over every kind of act, deep into a treatment, and what the fold makes of each: a corpus for whoever
mirrors it.
"""

from datetime import datetime, timedelta
from random import Random
from typing import Any
from uuid import UUID

from builders.orders import LIFT, PINS, SEEN, T0, WARM, ordered
from merak.core.treatment import Order, Tap, fold, locked
from merak.core.treatment.state import RunState
from merak.services.treatment.standing import state_of
from merak.services.treatment.treating import Run

PEOPLE = (
    {"name": "Adaeze", "licences": ["fractional", "pulsed light", "focused"]},
    {"name": "Lin", "licences": []},
)
#: Kind → how often it comes.
WEIGHTS = {
    "count": 34,
    "uncount": 7,
    "pass": 5,
    "next": 7,
    "back": 2,
    "go": 4,
    "pause": 4,
    "resume": 12,
    "level": 4,
    "comfort": 3,
    "heat": 4,
    "pain": 4,
    "reading": 6,
    "clean": 3,
    "spot": 5,
    "spot_read": 6,
    "unlock": 3,
    "take_over": 2,
    "incident": 3,
    "strike": 1,
    "photo": 1,
    "machine": 2,
    "halt": 3,
    "why": 2,
    "leave": 2,
    "stop": 0.7,
    "finish": 0.7,
    "reopen": 4,
}
ORDERS = {
    "lift": LIFT,
    "pins": PINS,
    "warm": WARM,
    "lines": ordered("focused_lifting", "microcurrent", "cold"),
    "wet": ordered("wet_abrasion", "finish"),
    "peel": ordered("peel", "mask", "led", beside=(2, 1)),
    "seen": SEEN,
}


def transitions(name: str, runs: int, length: int) -> list[dict[str, Any]]:
    """Runs of an order by a seed of its own name: each with every state before and after, the tap, and who gave it."""
    order, found = ORDERS[name], []
    for n in range(runs):
        chance, state, at, steps = Random(f"{name} {n}"), None, T0, []
        before = told(order, fold(order, []), at)
        state = fold(order, [])
        for k in range(length):
            at += timedelta(milliseconds=chance.choice([0, 200, 1500, 20_000, 90_000, 400_000]))
            me = chance.choices(PEOPLE, [9, 1])[0]
            tap = _tap(chance, order, state, k, at)
            state = fold(order, [given(tap, me)], state)
            after = told(order, state, at)
            steps.append({"before": before, "tap": tap, "me": me, "after": after})
            before = after
        found.append({"name": f"{name} {n}", "order": _for_browsers(order), "steps": steps})
    return found


def told(order: Order, state: RunState, at: datetime) -> dict[str, Any]:
    return state_of(Run(order, state, 0, at))


def _for_browsers(order: Order) -> dict[str, Any]:
    acts = [act.model_dump(mode="json") | {"wanted": act.wanted, "must_end": act.must_end} for act in order.acts]
    return {"acts": acts, "limits": order.limits.model_dump(mode="json")}


def _tap(chance: Random, order: Order, state: RunState, k: int, at: datetime) -> dict[str, Any]:
    kind = "start" if k == 0 else "go" if k == 1 else chance.choices(list(WEIGHTS), list(WEIGHTS.values()))[0]
    act = order.acts[state.act]
    if k and state.status == "running" and locked(order, state, state.act) and chance.random() < 0.5:
        kind = chance.choice(["spot", "spot_read", "unlock", "take_over"])
    zone = chance.choice([part.name for part in act.parts[:3]] or ["right cheek", ""])
    value: float | None = None
    words = chance.choice(["", "just felt", "just felt", "  "])
    data: dict[str, Any] = {}
    match kind:
        case "count":
            value = chance.choice([None] * 6 + [0, 1, len(act.wanted) - 1, len(act.wanted), -1])
            if act.at_most and chance.random() < 0.7:
                data = {
                    "plate": chance.choice(["face", "face", "neck", "thighs"]),
                    "xy": [chance.choice([-20.4, 11]), 7],
                }
        case "go":
            counted = [n for n, one in enumerate(order.acts) if one.wanted]
            value = chance.choice([chance.randrange(-1, len(order.acts) + 1), *counted])
        case "level":
            value = chance.choice([0.5, 1, -0.5, -3, None])
        case "heat":
            value = chance.choice([1, 2, 2.5, 3, 3.5, 4, 5, None])
        case "pain":
            value = chance.choice([0, 3, 4.5, 6, 7, 10, 11, None])
        case "reading":
            value, data = chance.choice([33, 38.4, 40.2, 41, 41.9, 42.6, 43, 99, None]), {"zone": zone}
        case "spot":
            data = {"zone": "right jawline"}
        case "spot_read":
            data = {
                "redness": chance.choice([0, 1, 2, 3, 9]),
                "swelling": chance.choice([0, 0, 1, 4]),
                "pain": chance.choice([0, 2, 8]),
                "mark": chance.random() < 0.03,
            }
        case "incident":
            value, data = chance.choice([0, 2, 4, 7, None]), {"card": "Burn", "zone": zone, "done": "cooled"}
        case "strike":
            data = {"incident": chance.choice([one.id for one in state.incidents] or ["none"])}
        case "machine":
            words = chance.choice(["plugged", "lost", "hand", "", "odd"])
    named = chance.choice([None, None, state.act, state.act, chance.randrange(-1, len(order.acts) + 1)])
    made = UUID(int=chance.getrandbits(128))
    return {
        "id": str(made),
        "kind": kind,
        "at": at.isoformat(timespec="milliseconds"),
        "value": value,
        "words": words,
        "act": named,
        "data": data,
    }


def given(tap: dict[str, Any], me: dict[str, Any]) -> Tap:
    return Tap.model_validate(
        {**tap, "data": tap["data"] | {"licences": me["licences"], "name": me["name"]}, "by": me["name"]}
    )
