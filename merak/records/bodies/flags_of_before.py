"""Records from when settings said what went on around them, numbing, an acid, heat to come: a plan sees that by itself
now, on the skin as it goes.
"""

from typing import Any

#: A body as the database holds it.
Raw = dict[str, Any]
#: Modality → the setting that said so.
FLAGS = {
    "cold": "heat_follows",
    "diamond": "peel_follows",
    "nano": "peel_today",
    "micro_needling": "acids_today",
    "rf_bulk": "numbed",
    "focused_lifting": "numbed",
    "oxygen_mask": "numbed_today",
}


def _stage(stage: Raw) -> Raw:
    flag, settings = FLAGS.get(stage.get("modality", "")), stage.get("settings", {})
    if flag not in settings:
        return stage
    return {**stage, "settings": {key: value for key, value in settings.items() if key != flag}}


def _steps(body: Raw) -> Raw:
    """What has steps of stages: a plan, a routine."""
    if "steps" not in body:
        return body
    steps = [{**step, "stages": [_stage(stage) for stage in step["stages"]]} for step in body["steps"]]
    return {**body, "steps": steps}


def plan_of_flags(body: Raw) -> Raw:
    """A draft or an order, with its plan."""
    return {**body, "plan": _steps(body["plan"])} if "plan" in body else body


def routine_of_flags(body: Raw) -> Raw:
    """A routine."""
    return _steps(body)
