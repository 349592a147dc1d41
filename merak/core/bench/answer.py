"""What a calculation takes and what it answers."""

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from pydantic import ConfigDict, Field

from merak.core.modality.shared import Judge
from merak.core.working import Caution, Frozen, Quantity

#: A curve is drawn with no more points than this.
POINTS = 240


class Inputs(Frozen):
    """Base of a calculation's inputs: named with their unit, bounded, no number that is none."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Thread(Frozen):
    """One line of a curve, or dots where they were measured one by one."""

    name: str
    points: tuple[tuple[float, float], ...]
    dots: bool = False


class Limit(Frozen):
    """A level that matters, drawn across, or a moment, drawn down; `rule` says why."""

    words: str
    at: float
    across: bool = True
    rule: str = ""


class Curve(Frozen):
    """A picture of an answer: axes with their units, lines, limits; `span` is what the upright axis reaches over at
    least.
    """

    title: str
    x: str
    y: str
    threads: tuple[Thread, ...]
    limits: tuple[Limit, ...] = ()
    span: tuple[float, float] | None = None


class Result(Frozen):
    """Numbers by key with their workings, what to mind, what is refused by field, curves where they say more."""

    numbers: dict[str, Quantity]
    cautions: tuple[Caution, ...] = ()
    refused: dict[str, Caution] = Field(default_factory=dict)
    curves: tuple[Curve, ...] = ()


class Calculation(NamedTuple):
    """A calculation on the bench. `fills` pairs its numbers (or inputs) with fields of a plan that can take them."""

    id: str
    title: str
    group: str
    words: str
    inputs: type[Inputs]
    work: Callable[[Any], Result]
    fills: tuple[tuple[str, str], ...] = ()


def answered(judge: Judge, *curves: Curve) -> Result:
    """What a judge collected, as an answer."""
    return Result(numbers=judge.numbers, cautions=tuple(judge.mind), refused=judge.refused, curves=curves)


def thread(name: str, x: Any, y: Any) -> Thread:
    """A line through many points, thinned to what can be seen."""
    xs, ys = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    keep = np.unique(np.linspace(0, len(xs) - 1, min(POINTS, len(xs))).round().astype(int))
    return Thread(
        name=name,
        points=tuple((round(float(a), 5), round(float(b), 5)) for a, b in zip(xs[keep], ys[keep], strict=True)),
    )


def span(low: float, high: float, many: int = 120) -> list[float]:
    """Evenly spread values, both ends included."""
    return [float(value) for value in np.linspace(low, high, many)]
