"""Typed values from what a person types, and what is wrong with it in plain words; and a model's fields as a form shows
them.
"""

import re
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from types import NoneType, UnionType
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from merak.core.errors import BadInput

Model = TypeVar("Model", bound=BaseModel)
_DECIMAL_COMMA = re.compile(r"^\s*(-?\d*),(\d+)\s*$")


def decimal(text: str) -> str:
    """ "1,5" as "1.5"; anything else as it is."""
    return _DECIMAL_COMMA.sub(r"\1.\2", text)


def said(error: dict[str, Any]) -> str:
    """A validation error in plain words."""
    limits = error.get("ctx", {})
    match error["type"]:
        case "greater_than_equal" | "greater_than":
            return f"More than that: from {limits.get('ge', limits.get('gt')):g} up."
        case "less_than_equal" | "less_than":
            return f"{limits.get('le', limits.get('lt')):g} at most."
        case "too_short":
            return "At least one line."
        case "float_parsing" | "int_parsing" | "int_from_float" | "finite_number" | "float_type" | "int_type":
            return f"“{error['input']}” is not a number that fits here."
        case "literal_error":
            return f"One of: {limits['expected']}."
        case "missing":
            return "This is needed."
        case "value_error":
            return str(error["msg"]).removeprefix("Value error, ").capitalize().rstrip(".") + "."
        case _:
            return str(error["msg"])


@dataclass(frozen=True)
class Shown:
    """A field of a form: its name, words, unit, kind of control, options, and what stands in it."""

    name: str
    label: str
    unit: str
    kind: Literal["number", "choice", "yes", "points", "moment", "text"]
    options: tuple[str, ...]
    value: str


def shown(model: type[BaseModel], values: dict[str, str], prefix: str = "") -> tuple[Shown, ...]:
    """A model's fields as a form shows them, in the model's order; those that no form can ask for are left out."""
    return tuple(
        Shown(f"{prefix}{name}", label, unit, kind, options, values.get(f"{prefix}{name}", ""))
        for name, label, unit, kind, options in _controls(model)
    )


Control = Literal["number", "choice", "yes", "points", "moment", "text"]


@cache
def _controls(model: type[BaseModel]) -> tuple[tuple[str, str, str, Control, tuple[str, ...]], ...]:
    """(name, words, unit, kind, options) of each field that a form can ask for."""
    found = []
    for name, info in model.model_fields.items():
        kind, options = _kind(info)
        if kind is not None:
            extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
            found.append((name, info.title or name.replace("_", " "), str(extra.get("unit", "")), kind, options))
    return tuple(found)


def _kind(info: FieldInfo) -> tuple[Control | None, tuple[str, ...]]:
    kinds = [info.annotation]
    if get_origin(info.annotation) in (Union, UnionType):
        kinds = [one for one in get_args(info.annotation) if one is not NoneType]
    options = tuple(str(value) for one in kinds if get_origin(one) is Literal for value in get_args(one))
    if options:
        return "choice", options
    plain = {bool: "yes", int: "number", float: "number", datetime: "moment", str: "text"}
    if kinds[0] in plain:
        return plain[kinds[0]], ()  # type: ignore[return-value]
    inner = get_args(kinds[0])
    if get_origin(kinds[0]) is tuple and inner and get_origin(inner[0]) is tuple:
        return "points", ()
    return None, ()


def texts(thing: BaseModel, prefix: str = "") -> dict[str, str]:
    """A model's values as a form's texts."""
    return {f"{prefix}{name}": _text(getattr(thing, name)) for name in type(thing).model_fields}


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else ""
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, datetime):
        return value.strftime("%Y-%m-%dT%H:%M")
    if isinstance(value, tuple):
        return "\n".join(" ".join(f"{part:g}" for part in one) if isinstance(one, tuple) else str(one) for one in value)
    return str(value)


def read(model: type[Model], form: dict[str, str], prefix: str = "") -> Model:
    """A model from a form's texts. Raises BadInput by field, under the field's name in the form."""
    body: dict[str, Any] = {}
    for field in shown(model, form, prefix):
        name = field.name.removeprefix(prefix)
        text = form.get(field.name, "").strip()
        if field.kind == "yes":
            body[name] = text in ("on", "true", "yes")
        elif field.kind == "points":
            body[name] = _points(field.name, text)
        elif text:
            body[name] = decimal(text) if field.kind == "number" else text
    try:
        return model.model_validate(body)
    except ValidationError as broken:
        raise BadInput({f"{prefix}{_place(e, model)}": said(dict(e)) for e in broken.errors()}) from broken


def _place(error: Any, model: type[BaseModel]) -> str:
    """The field that an error belongs to; one of the whole belongs to the last points, or the first field."""
    if error["loc"]:
        return str(error["loc"][0])
    fields = shown(model, {})
    return next((field.name for field in fields if field.kind == "points"), fields[0].name)


def _points(name: str, text: str) -> list[tuple[float, ...]]:
    """Pairs of numbers, one pair a line. Raises BadInput."""
    found: list[tuple[float, ...]] = []
    for line in filter(str.strip, text.splitlines()):
        try:
            pair = tuple(float(decimal(part)) for part in re.split(r"[\s;]+", line.strip()))
        except ValueError:
            pair = ()
        if len(pair) != 2:
            raise BadInput({name: f"“{line.strip()}” is not a pair of numbers."})
        found.append(pair)
    return found
