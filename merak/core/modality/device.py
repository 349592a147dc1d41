"""Device cards: the studio's own machines, each with its scale and what it means in physical units."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from merak.core.working import Frozen, Quantity


def _straight(x: float, points: tuple[tuple[float, float], ...]) -> float | None:
    """y at x, straight between rising points; None outside them. For one x, quicker than NumPy's, which checks it in the tests."""
    for (a, low), (b, high) in pairwise(points):
        if a <= x <= b:
            return low + (high - low) * (x - a) / (b - a)
    return None


class MicrocurrentCard(Frozen):
    """A microcurrent machine. `calibration` holds measured (level, µA) points, rising; empty means doses are unknown."""

    modality: Literal["microcurrent"] = "microcurrent"
    name: str
    levels: int = Field(10, ge=2, le=100)
    contact_cm2: float = Field(gt=0, le=50)
    calibration: tuple[tuple[float, float], ...] = ()

    @model_validator(mode="after")
    def _rising(self) -> "MicrocurrentCard":
        for (a, low), (b, high) in pairwise(self.calibration):
            if not (a < b and low < high):
                raise ValueError("calibration points must rise, in level and in current")
        if len(self.calibration) == 1:
            raise ValueError("a calibration needs at least two points")
        return self

    def current_ua(self, level: float) -> float | None:
        """µA at a level, straight between the measured points; None without a calibration or outside it."""
        return _straight(level, self.calibration)

    def level_for(self, current_ua: float) -> float | None:
        """The level that gives a current (µA), to a hundredth; None outside the measured points."""
        level = _straight(current_ua, tuple((ua, at) for at, ua in self.calibration))
        return None if level is None else round(level, 2)

    def current(self, level: float, name: str = "current") -> Quantity:
        """The current at a level, with its working."""
        return Quantity(
            name=name,
            value=self.current_ua(level),
            unit="µA",
            formula=f"the {self.name}'s calibration at level {level:g}" if self.calibration else f"the {self.name} has no calibration",
            inputs=(Quantity(name="level", value=level, unit=f"of {self.levels}", digits=1),),
            rules=("device.calibration",),
        )


class LedCard(Frozen):
    """An LED panel. `points` holds measured (distance cm, irradiance mW/cm²); empty means doses are unknown."""

    modality: Literal["led"] = "led"
    name: str
    wavelength_nm: int = Field(633, ge=620, le=660)
    points: tuple[Annotated[tuple[float, float], Field()], ...] = ()

    @model_validator(mode="after")
    def _positive(self) -> "LedCard":
        if any(distance <= 0 or bright <= 0 for distance, bright in self.points):
            raise ValueError("measured points must be more than nought")
        return self


Card = Annotated[MicrocurrentCard | LedCard, Field(discriminator="modality")]
