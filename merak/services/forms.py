"""Forms as Pydantic models: what a person types becomes fields; what is wrong with it is told in plain words beside
each.

An empty text is no value, a decimal comma a point, a ticked box yes, pairs of numbers one a line.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache
from math import isfinite
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Self, TypeVar, Union, cast, get_args, get_origin

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    ValidationError,
    WrapValidator,
    create_model,
    model_validator,
)
from pydantic import ValidationInfo as Info
from pydantic.fields import FieldInfo
from pydantic_core import PydanticCustomError

from merak.core.errors import BadInput
from merak.core.windows import DateKind, read_day

Model = TypeVar("Model", bound=BaseModel)
_DECIMAL_COMMA = re.compile(r"^\s*(-?\d*),(\d+)\s*$")


@dataclass(frozen=True)
class Otherwise:
    """What is said of a field that cannot be read ("{typed}" is what was typed); where it is `needed`, of an empty one,
    too.
    """

    words: str
    needed: bool = False


@dataclass(frozen=True)
class Prefixed:
    """Fields of a form that begin alike, as one: what follows the prefix → what was typed."""

    prefix: str


class AsTyped:
    """A text that is taken with its spaces: a password."""


def decimal(text: str) -> str:
    """ "1,5" as "1.5"; anything else as it is."""
    return _DECIMAL_COMMA.sub(r"\1.\2", text)


def finite(text: str) -> float:
    """A number as it is typed, comma or point. Raises ValueError for what is none, and for one without end."""
    value = float(decimal(text))
    if not isfinite(value):
        raise ValueError(f"{text} is without end")
    return value


def number_typed(typed: object) -> object:
    """A number as it is typed; nothing where nothing was."""
    return (decimal(typed.strip()) or None) if isinstance(typed, str) else typed


def _digits(typed: object) -> object:
    if isinstance(typed, str) and not (typed.isascii() and typed.isdigit() and len(typed) <= 9):
        raise PydanticCustomError("int_parsing", "not a whole number")
    return typed


def _in_window(kind: DateKind) -> Any:
    def read(typed: object, info: Info) -> date | None:
        if not isinstance(typed, str):
            return cast(date | None, typed)
        given = info.context or {}
        day, outside = read_day(typed, kind, given["today"], given.get("born"))
        if outside:
            raise PydanticCustomError("day", "{words}", {"words": outside})
        return day

    return read


def cut(most: int) -> AfterValidator:
    """A text of which no more than so many characters are kept."""
    return AfterValidator(lambda text: text[:most])


def day_of(kind: DateKind) -> WrapValidator:
    """A date within its window (`core.windows`); the form is parsed with `today`, and `born` where it is known."""
    return WrapValidator(lambda typed, handler, info: _in_window(kind)(typed, info))


#: A whole number as it is typed: digits alone.
Whole = Annotated[int, BeforeValidator(_digits)]
#: A grade, 0 to 4.
Grade = Annotated[Whole, Field(ge=0, le=4)]
#: A grade, 0 to 10.
TenGrade = Annotated[Whole, Field(ge=0, le=10)]


class FromTexts(BaseModel):
    """Base of what is read from a form's texts."""

    @model_validator(mode="before")
    @classmethod
    def _from_texts(cls, form: Any) -> Any:
        if not isinstance(form, Mapping):
            return form
        found: dict[str, Any] = {}
        for name, info in cls.model_fields.items():
            key, kind = info.alias or name, _kind(info)[0]
            group = next((one for one in info.metadata if isinstance(one, Prefixed)), None)
            text = str(form.get(key, ""))
            text = text if AsTyped in info.metadata else text.strip()
            if group:
                found[key] = {k.removeprefix(group.prefix): v for k, v in form.items() if k.startswith(group.prefix)}
            elif kind == "yes":
                found[key] = text in ("on", "true", "yes")
            elif kind == "points":
                found[key] = _pairs(text)
            elif text:
                found[key] = decimal(text) if kind == "number" else text
            elif key in form and info.default is None:
                found[key] = None  # said to be nothing, which is more than not said
        return found


class TypedForm(FromTexts):
    """A form of a page. Every field has a value that stands for "not said"."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)

    @classmethod
    def parse(cls, form: Mapping[str, str], **context: Any) -> tuple[Self, dict[str, str]]:
        """(the form, what is wrong by field); a field that is wrong or missing stands as if it had not been said."""
        wrong: dict[str, str] = {}
        try:
            found = cls.model_validate(form, context=context)
        except ValidationError as broken:
            wrong = _wrong(cls, broken)
            left = {key: text for key, text in form.items() if key not in wrong}
            found = cls.model_validate(left, context=context)
        for name, info in cls.model_fields.items():
            key = info.alias or name
            for one in info.metadata:
                if (
                    isinstance(one, Otherwise)
                    and one.needed
                    and key not in wrong
                    and getattr(found, name) in ("", None)
                ):
                    wrong[key] = one.words
        return found, wrong

    @classmethod
    def read(cls, form: Mapping[str, str], **context: Any) -> Self:
        """The form. Raises BadInput by field."""
        found, wrong = cls.parse(form, **context)
        if wrong:
            raise BadInput(wrong)
        return found


def _wrong(model: type[BaseModel], broken: ValidationError) -> dict[str, str]:
    """What is wrong, by the field's name in the form."""
    fields = {info.alias or name: info for name, info in model.model_fields.items()}
    found: dict[str, str] = {}
    for error in broken.errors():
        key = str(error["loc"][0]) if error["loc"] else _of_the_whole(model)
        metadata = fields[key].metadata if key in fields else []
        own = [one.words for one in metadata if isinstance(one, Otherwise)]
        key = next((f"{one.prefix}{error['loc'][1]}" for one in metadata if isinstance(one, Prefixed)), key)
        plain = own[0].replace("{typed}", f"{error['input']}") if own and error["type"] != "day" else said(dict(error))
        found.setdefault(key, plain)
    return found


def _of_the_whole(model: type[BaseModel]) -> str:
    """The field beside which an error of the whole is told: the last points, or the first field."""
    fields = shown(model, {})
    return next((field.name for field in fields if field.kind == "points"), fields[0].name)


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
        case "tuple_type":
            return f"“{error['input']}” is not a pair of numbers."
        case "literal_error":
            return f"One of: {limits['expected']}."
        case "missing":
            return "This is needed."
        case "value_error":
            return str(error["msg"]).removeprefix("Value error, ").capitalize().rstrip(".") + "."
        case _:
            return str(error["msg"])


@cache
def _form_of(model: type[BaseModel]) -> type[BaseModel]:
    """A model that reads its fields from a form's texts."""
    return create_model(f"{model.__name__}Form", __base__=(FromTexts, model))


def read(model: type[Model], form: Mapping[str, str], prefix: str = "") -> Model:
    """Any model from a form's texts. Raises BadInput by field, under the field's name in the form."""
    asked = {one.name for one in shown(model, {})}
    own = {key.removeprefix(prefix): text for key, text in form.items() if key.startswith(prefix)}
    try:
        found = _form_of(model).model_validate({key: text for key, text in own.items() if key in asked})
    except ValidationError as broken:
        raise BadInput({f"{prefix}{key}": words for key, words in _wrong(model, broken).items()}) from broken
    return model.model_validate(dict(found))


Control = Literal["number", "choice", "yes", "points", "moment", "text"]


@dataclass(frozen=True)
class Shown:
    """A field of a form: its name, words, unit, kind of control, options, what stands in it, and what counts where
    nothing does.
    """

    name: str
    label: str
    unit: str
    kind: Control
    options: tuple[str, ...]
    value: str
    usual: str = ""


def shown(model: type[BaseModel], values: Mapping[str, str], prefix: str = "") -> tuple[Shown, ...]:
    """A model's fields as a form shows them, in the model's order; those that no form can ask for are left out."""
    return tuple(
        Shown(f"{prefix}{name}", label, unit, kind, options, values.get(f"{prefix}{name}", ""))
        for name, label, unit, kind, options in _controls(model)
    )


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
    if get_origin(kinds[0]) is Annotated:
        kinds = [get_args(kinds[0])[0]]
    options = tuple(str(value) for one in kinds if get_origin(one) is Literal for value in get_args(one))
    if options:
        return "choice", options
    plain: dict[Any, Control] = {bool: "yes", int: "number", float: "number", datetime: "moment", str: "text"}
    if kinds[0] in plain:
        return plain[kinds[0]], ()
    inner = get_args(kinds[0])
    if get_origin(kinds[0]) is tuple and inner and get_origin(inner[0]) is tuple:
        return "points", ()
    return None, ()


def _pairs(text: str) -> list[tuple[float, ...]] | str:
    """Pairs of numbers, one pair a line; the first line that is none, as it was typed."""
    found: list[tuple[float, ...]] = []
    for line in filter(str.strip, text.splitlines()):
        try:
            pair = tuple(finite(part) for part in re.split(r"[\s;]+", line.strip()))
        except ValueError:
            return line.strip()
        if len(pair) != 2:
            return line.strip()
        found.append(pair)
    return found


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
