"""A number that travels with its working, and a caution that says what to do."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict


def by_value(value: object) -> object:
    """Something that hashes as this value, whatever it holds."""
    kind = type(value)  # at every change of a plan, for all of it: several times as quick as `isinstance`
    if kind is dict or kind is MappingProxyType:
        return tuple([(key, by_value(one)) for key, one in value.items()])  # type: ignore[attr-defined]
    if kind is tuple or kind is list:
        return tuple([by_value(one) for one in value])  # type: ignore[attr-defined]
    return value


class Frozen(BaseModel):
    """Base of every value of the core: immutable, and strict about unknown fields."""

    __slots__ = ("_hashed",)
    model_config = ConfigDict(frozen=True, extra="forbid")

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Another with some values changed: what was worked out from those that it had is not carried along."""
        copy = super().model_copy(update=update, deep=deep)
        for name in copy.__dict__.keys() - type(self).model_fields.keys() if update else ():
            del copy.__dict__[name]
        return copy

    def __hash__(self) -> int:
        """By value, whatever its fields hold; worked out once."""
        try:
            found: int = object.__getattribute__(self, "_hashed")
        except AttributeError:
            found = hash((type(self), by_value(self.__dict__)))
            object.__setattr__(self, "_hashed", found)
        return found


class Quantity(Frozen):
    """A value with its unit, the formula in words, what went in, and the ids of the rules that were used.

    A quantity with neither formula nor rule is something that a person entered. `value` None means unknown, and
    `formula` says why.
    """

    name: str
    value: float | None
    unit: str = ""
    digits: int = 0
    formula: str = ""
    inputs: tuple["Quantity", ...] = ()
    rules: tuple[str, ...] = ()

    @property
    def known(self) -> float:
        """The value of what is never unknown: nothing is reckoned on with a zero that nobody said.

        Raises ValueError where it is unknown.
        """
        if self.value is None:
            raise ValueError(f"{self.name} is unknown")
        return self.value

    @property
    def figure(self) -> str:
        """The value as it is shown, without its unit: "0.25", or "unknown"."""
        if self.value is None:
            return "unknown"
        return f"{self.value:.{self.digits}f}".replace("-", "−")

    @property
    def text(self) -> str:
        """The value as it is shown, with its unit."""
        return f"{self.figure} {self.unit}".strip() if self.value is not None else "unknown"


Weight = Literal["know", "change", "stop"]


class Saying(Frozen):
    """Something that a client may say while treated, and what to do then; `stop` where it is a sign to stop."""

    words: str
    action: str
    rule: str
    stop: bool = False


class Caution(Frozen):
    """What to know, change or stop for; `act` says what to do about it, `field` beside which field it belongs."""

    weight: Weight
    words: str
    action: str
    rule: str
    field: str = ""
