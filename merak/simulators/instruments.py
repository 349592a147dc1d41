"""Simulated instruments that read: an infrared thermometer, a meter of moisture and colour."""

from math import exp
from random import Random
from typing import Any

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.ports import Reply
from merak.core.working import Frozen

needs(
    __name__,
    """
    mm: thermometer.below thermometer.spread
    points: meter.noise
    °C: thermometer.noise
    """,
)


class SimulatedThermometer(Frozen):
    """An infrared thermometer: plugged or not, the highest reading since it was set back, how often it read."""

    name: str = "infrared thermometer"
    plugged: bool = True
    peak_c: float | None = None
    reads: int = 0

    def but(self, **changes: Any) -> "SimulatedThermometer":
        """The same, otherwise."""
        return self.model_copy(update=changes)

    def read(self, place_c: float, around_c: float, aim_mm: float = 0.0) -> tuple["SimulatedThermometer", Reply]:
        """Reads what lies below its dot: the place itself only when the dot is held so much above it (rule
        thermometer.below).
        """
        if not self.plugged:
            return self, Reply(ok=False, words=f"The {self.name} is unplugged: read another, and type it.")
        beside_mm = number("thermometer.below") - aim_mm
        share = exp(-((beside_mm / number("thermometer.spread")) ** 2))
        seen = (
            around_c
            + (place_c - around_c) * share
            + _chance(self.name, self.reads).gauss(0, number("thermometer.noise"))
        )
        shown = round(seen, 1)
        words = (
            ""
            if share > 0.9
            else (
                f"It read {beside_mm:.0f} mm below the place: hold the dot {number('thermometer.below'):.0f} mm"
                " above it."
            )
        )
        after = self.but(reads=self.reads + 1, peak_c=shown if self.peak_c is None else max(self.peak_c, shown))
        return after, Reply(ok=True, words=words, value=shown)


class SimulatedMeter(Frozen):
    """A meter of moisture and colour."""

    name: str = "moisture and colour meter"
    plugged: bool = True
    reads: int = 0

    def but(self, **changes: Any) -> "SimulatedMeter":
        """The same, otherwise."""
        return self.model_copy(update=changes)

    def read(
        self, moisture: float, tone: tuple[float, float, float]
    ) -> tuple["SimulatedMeter", Reply, tuple[float, float, float]]:
        """Reads skin of this moisture (its own points, 0 to 120) and tone (L*, a*, b*)."""
        if not self.plugged:
            return self, Reply(ok=False, words=f"The {self.name} is unplugged."), tone
        chance, noise = _chance(self.name, self.reads), number("meter.noise")
        shown = round(min(120.0, max(0.0, moisture + chance.gauss(0, noise))))
        light, red, yellow = (round(part + chance.gauss(0, noise / 2), 1) for part in tone)
        return self.but(reads=self.reads + 1), Reply(ok=True, value=shown), (light, red, yellow)


def _chance(name: str, reads: int) -> Random:
    """The same scatter for the same reading, so that what was read can be told again."""
    return Random(f"{name} {reads}")  # noqa: S311 (a simulated scatter, no secret)
