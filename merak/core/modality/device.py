"""Device cards: the studio's own machines, each with its scale and what it means in physical units."""

import json
from collections.abc import Iterable
from functools import lru_cache
from itertools import pairwise
from math import pi
from typing import Annotated, Literal

from pydantic import Discriminator, Field, Tag, TypeAdapter, model_validator

from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    words: device.calibration
    """,
)


def _straight(x: float, points: tuple[tuple[float, float], ...]) -> float | None:
    """y at x, straight between rising points; None outside them. For one x, quicker than NumPy's, which checks it in
    the tests.
    """
    for (a, low), (b, high) in pairwise(points):
        if a <= x <= b:
            return low + (high - low) * (x - a) / (b - a)
    return None


#: A measured value: no machine of a studio reads beyond it.
Bounded = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class MicrocurrentCard(Frozen):
    """A microcurrent machine. `calibration` holds measured (level, µA) points, rising; empty means
    doses are unknown. Its outputs are `isolated` where its maker says so.
    """

    modality: Literal["microcurrent"] = "microcurrent"
    name: str
    levels: int = Field(10, ge=2, le=100)
    contact_cm2: float = Field(ge=0.01, le=50)
    calibration: tuple[tuple[Bounded, Bounded], ...] = Field((), max_length=100)
    isolated: bool = False

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
            formula=f"the {self.name}'s calibration at level {level:g}"
            if self.calibration
            else f"the {self.name} has no calibration",
            inputs=(Quantity(name="level", value=level, unit=f"of {self.levels}", digits=1),),
            rules=("device.calibration",),
        )


#: A panel's colours and about where they lie, nm.
COLOURS = {"blue": 415, "amber": 590, "red": 633, "near-infrared": 830}
Colour = Literal["red", "blue", "near-infrared", "amber"]
Points = Annotated[tuple[tuple[Bounded, Bounded], ...], Field(max_length=100)]


class LedCard(Frozen):
    """An LED panel. `points` holds measured (distance cm, irradiance mW/cm²) of its red, `colours` those of its other
    colours; without any, doses are unknown.
    """

    modality: Literal["led"] = "led"
    name: str
    wavelength_nm: int = Field(633, ge=620, le=660)
    points: Points = ()
    colours: dict[Colour, Points] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _positive(self) -> "LedCard":
        every = [point for points in (self.points, *self.colours.values()) for point in points]
        if any(distance <= 0 or bright <= 0 for distance, bright in every):
            raise ValueError("measured points must be positive")
        return self

    def points_of(self, colour: Colour) -> Points:
        """The measured points of a colour."""
        return self.points if colour == "red" else self.colours.get(colour, ())


class CardTip(Frozen):
    """A tip, head or pad of a machine. `pins` are pins, needles or holes; `cm2` the area that counts where it is not
    across × down.
    """

    name: str
    across_mm: float = Field(ge=0.01, le=300)
    down_mm: float = Field(ge=0.01, le=300)
    round: bool = False
    pins: int = Field(0, ge=0, le=2000)
    cm2: float | None = Field(None, ge=0.01, le=500)
    single_use: bool = False

    @property
    def area_cm2(self) -> float:
        """The area that counts, cm²."""
        if self.cm2 is not None:
            return self.cm2
        return self.across_mm * self.down_mm / 100 * (pi / 4 if self.round else 1)


#: The modalities whose machines are told by a scale, and the physical unit behind it; each says so in its own file.
MACHINES: dict[str, str] = {}
_ALSO: dict[str, frozenset[str]] = {}


def scaled(modality: str, unit: str, *also: str) -> "type[MachineCard]":
    """The kind of card that a modality's machines have: told by a scale, with this unit behind it. Machines of `also`
    do it too.
    """
    MACHINES[modality], _ALSO[modality] = unit, frozenset(also)
    return MachineCard


class MachineCard(Frozen):
    """Any other machine: a scale (levels, per cent, bar, or the physical unit itself) from `least` to `most` in steps,
    and what it means.

    `calibration` holds measured (scale, physical) points, rising in the scale and rising or falling throughout in the
    unit; empty means doses are unknown, unless the scale is the physical unit. `by_phototype` is the maker's ceiling in
    the physical unit; its outputs are `isolated` where the maker says so.
    """

    modality: str
    name: str = Field(min_length=1, max_length=80)
    scale: str = Field("level", max_length=20)
    least: float = Field(1, ge=-100, le=10_000)
    most: float = Field(10, ge=-100, le=10_000)
    step: float = Field(1, ge=0.001, le=10_000)
    calibration: tuple[tuple[Bounded, Bounded], ...] = Field((), max_length=100)
    tips: tuple[CardTip, ...] = ()
    by_phototype: dict[Annotated[int, Field(ge=1, le=6)], Annotated[float, Field(ge=0, le=10_000)]] = Field(
        default_factory=dict
    )
    cleaned: str = ""
    isolated: bool = False

    @model_validator(mode="after")
    def _true(self) -> "MachineCard":
        if not self.least < self.most or self.step > self.most - self.least:
            raise ValueError("the scale must rise, by steps that fit into it")
        if len(self.calibration) == 1:
            raise ValueError("a calibration needs at least two points")
        signs = {
            (a < b) * (1 if low < high else -1 if low > high else 0)
            for (a, low), (b, high) in pairwise(self.calibration)
        }
        if self.calibration and signs not in ({1}, {-1}):
            raise ValueError("calibration points must rise along the scale, and rise or fall throughout in the unit")
        return self

    @property
    def unit(self) -> str:
        """The physical unit behind the scale; "" for a machine whose modality is not there any more."""
        return MACHINES.get(self.modality, "")

    @property
    def rises(self) -> bool:
        """Whether its unit rises with its scale; of bare levels nobody knows, and more is more."""
        return self.calibration[0][1] < self.calibration[-1][1] if self.calibration else self.scale == self.unit

    def most_for(self, phototype: int | None) -> float | None:
        """The maker's ceiling for a phototype, in the physical unit; None where the card has none. Without an entry the
        stricter neighbour counts; for a phototype that is not known the strictest of all.
        """
        said = self.by_phototype
        if not said or phototype in said:
            return said.get(phototype or 0)
        if phototype is None:
            return min(said.values())
        lighter, darker = [kind for kind in said if kind < phototype], [kind for kind in said if kind > phototype]
        return min(said[kind] for kind in (max(lighter, default=0), min(darker, default=0)) if kind)

    def milder_beyond(self, at: float) -> bool:
        """Whether a setting outside the measured points lies on the side where less is done: less of the unit, of
        degrees more.
        """
        (first, low), (_, high) = self.calibration[0], self.calibration[-1]
        return (at < first) == ((low < high) != (self.unit == "°C"))

    def physical(self, at: float) -> float | None:
        """The physical value at a setting, straight between measured points; None outside them or without any."""
        if self.scale == self.unit and not self.calibration:
            return at if self.least <= at <= self.most else None
        return _straight(at, self.calibration)

    def at(self, value: float) -> float | None:
        """The setting for a physical value; None outside the measured points."""
        if self.scale == self.unit and not self.calibration:
            return value if self.least <= value <= self.most else None
        turned = tuple((y, x) for x, y in self.calibration)
        return _straight(value, turned if len(turned) < 2 or turned[0][0] < turned[-1][0] else turned[::-1])

    def quantity(self, at: float, name: str = "") -> Quantity:
        """The physical value at a setting, with its working."""
        direct = self.scale == self.unit and not self.calibration
        value = self.physical(at)
        if value is None:
            why = (
                f"{at:g} {self.scale} is outside the {self.name}'s measured points"
                if self.calibration or direct
                else ""
            )
            formula = why or f"the {self.name} has no calibration"
        else:
            formula = f"as set on the {self.name}" if direct else f"the {self.name}'s calibration"
        inputs = (Quantity(name="set to", value=at, unit=self.scale, digits=1),)
        return Quantity(
            name=name or QUANTITY.get(self.unit, "setting"),
            value=value,
            unit=self.unit,
            digits=2,
            formula=formula,
            inputs=inputs,
            rules=("device.calibration",),
        )

    def tip(self, name: str) -> CardTip | None:
        """A tip by name, or the first; None when the card has none."""
        return next((tip for tip in self.tips if tip.name == name), self.tips[0] if self.tips else None)


def scale_of(card: MicrocurrentCard | LedCard | MachineCard) -> str:
    """What a setting on the machine is told in; "" where it has no scale."""
    if isinstance(card, MicrocurrentCard):
        return f"of {card.levels}"
    return card.scale if isinstance(card, MachineCard) else ""


#: What the physical units measure.
QUANTITY = {
    "mA": "current",
    "µA": "current",
    "W/cm²": "intensity",
    "W": "power",
    "J/cm²": "fluence",
    "J a line": "energy a line",
    "°C": "temperature",
    "bar": "pressure",
    "kPa": "suction",
    "Hz": "rate",
}


def _kind(card: object) -> str:
    """Which of the three kinds a card is."""
    name = card.get("modality") if isinstance(card, dict) else getattr(card, "modality", None)
    return name if name in ("microcurrent", "led") else "scale"


Card = Annotated[
    Annotated[MicrocurrentCard, Tag("microcurrent")]
    | Annotated[LedCard, Tag("led")]
    | Annotated[MachineCard, Tag("scale")],
    Discriminator(_kind),
]
_CARD: TypeAdapter[MicrocurrentCard | LedCard | MachineCard] = TypeAdapter(Card)


@lru_cache(maxsize=256)
def read_card(text: str) -> MicrocurrentCard | LedCard | MachineCard | None:
    """A card from its JSON; None from an empty text."""
    return _CARD.validate_json(text) if text else None


def read_cards(cards: Iterable[tuple[str, object]]) -> list[tuple[str, MicrocurrentCard | LedCard | MachineCard]]:
    """Cards as the record has them, (id, fields or their JSON), as values; each is read once."""
    texts = ((key, body if isinstance(body, str) else json.dumps(body)) for key, body in cards)
    return [(key, found) for key, text in texts if (found := read_card(text))]


def fits(card: MicrocurrentCard | LedCard | MachineCard, modality: str) -> bool:
    """Whether a machine does a modality: its own, or one that the modality says can be done with it."""
    return card.modality == modality or card.modality in _ALSO.get(modality, ())
