"""A stage once lay on one plate, which its first zone named; zones of limbs were called alike on several of them."""

from typing import Any

#: A body as the database holds it.
Raw = dict[str, Any]

NECK = ("under the chin", "front of neck", "side of neck", "thyroid strip", "décolleté")
HANDS = ("back of the hand", "thumb", "knuckles", "little finger", "index finger", "ring finger", "middle finger")
#: Plate → its zones as they were called, with what they are called now; those of a face were, and are, all others.
PLATES: dict[str, dict[str, str]] = {
    "neck": {name: name for name in NECK},
    "hands": {name: name for name in HANDS},
    "arm-front": {
        "front, upper": "front of the arm, upper",
        "front, lower": "front of the arm, lower",
        "outer arm": "outer arm, front",
        "inner arm": "inner arm, front",
        "elbow crease": "elbow crease",
    },
    "arm-back": {
        "back, upper": "back of the arm, upper",
        "back, lower": "back of the arm, lower",
        "outer arm": "outer arm, back",
        "inner arm": "inner arm, back",
        "elbow": "elbow",
    },
    "thigh-front": {
        "front, upper": "front of the thigh, upper",
        "front, lower": "front of the thigh, lower",
        "outer thigh": "outer thigh, front",
        "inner thigh": "inner thigh, front",
        "above the knee": "above the knee",
    },
    "thigh-back": {
        "back, upper": "back of the thigh, upper",
        "back, lower": "back of the thigh, lower",
        "outer thigh": "outer thigh, back",
        "inner thigh": "inner thigh, back",
        "hollow of the knee": "hollow of the knee",
    },
}


def zones_now(zones: list[str]) -> list[str]:
    """The zones that a stage really lay on, as they are called now."""
    if not zones:
        return zones
    there = next((names for names in PLATES.values() if zones[0] in names), None)
    if there is None:
        beside = {zone for names in PLATES.values() for zone in names}
        return [zone for zone in zones if zone not in beside]
    return [there[zone] for zone in zones if zone in there]


def steps_of_zones(body: Raw) -> Raw:
    """A plan or a routine."""

    def stage(one: Raw) -> Raw:
        return {**one, "zones": zones_now(list(one["zones"]))} if one.get("zones") else one

    steps = [{**step, "stages": [stage(one) for one in step["stages"]]} for step in body.get("steps", ())]
    return {**body, "steps": steps} if "steps" in body else body


def draft_of_zones(body: Raw) -> Raw:
    """A plan with what was typed beside it."""
    return {**body, "plan": steps_of_zones(body["plan"])} if "plan" in body else body


def order_of_zones(body: Raw) -> Raw:
    """An order: its acts name the plate that they lie on."""
    return {**body, "plan": steps_of_zones(body["plan"])}
