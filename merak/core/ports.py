"""The ports that instruments are plugged into: what the product asks of one, be it real or simulated."""

from typing import Protocol

from merak.core.working import Frozen

#: L*, a*, b*.
ToneReading = tuple[float, float, float]


class Reply(Frozen):
    """What an instrument says: whether it did what was asked, in words; a value where it read one; pulses that it
    really gave.
    """

    ok: bool
    words: str = ""
    value: float | None = None
    pulses: int = 0


class Source(Protocol):
    """A source of energy. It accepts what it can be set to, counts its pulses, asks for its tip to be wiped, and may
    fail.
    """

    def set_to(self, at: float) -> "tuple[Source, Reply]":
        """Sets its scale; refuses what is out of range."""

    def fire(self, pulses: int) -> "tuple[Source, Reply]":
        """Gives pulses; none while it is unplugged, at fault, not set, or asks to be wiped."""

    def wipe(self) -> "tuple[Source, Reply]":
        """Its tip was wiped and dried."""


class Thermometer(Protocol):
    """An infrared thermometer. It reads below its dot, and keeps the highest reading."""

    def read(self, place_c: float, around_c: float, aim_mm: float) -> "tuple[Thermometer, Reply]":
        """Reads skin (°C) at the place, whose surroundings are at `around_c`, with the dot `aim_mm` above the place."""


class Meter(Protocol):
    """A meter of moisture and colour."""

    def read(self, moisture: float, tone: ToneReading) -> "tuple[Meter, Reply, ToneReading]":
        """Reads skin: moisture in its own points, and L*, a*, b*."""
