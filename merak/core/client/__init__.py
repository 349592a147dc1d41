"""The client as the rules see one: profile and findings, no name."""

from datetime import date
from typing import Literal

from pydantic import Field

from merak.core.working import Frozen

Side = Literal["right", "left"]
SkinType = Literal["dry", "normal", "combination", "oily"]
Build = Literal["women's mean", "men's mean"]


class Measures(Frozen):
    """Soft-tape measures in mm along the skin; None takes the build's default (`body.tapes`)."""

    build: Build = "women's mean"
    ear_to_ear_mm: float | None = None
    hairline_chin_mm: float | None = None
    ear_chin_ear_mm: float | None = None
    neck_round_mm: float | None = None
    chin_notch_mm: float | None = None
    hand_breadth_mm: float | None = None
    hand_length_mm: float | None = None
    arm_round_mm: float | None = None
    arm_length_mm: float | None = None
    thigh_round_mm: float | None = None
    thigh_length_mm: float | None = None


class Findings(Measures):
    """What was looked at today: Fitzpatrick's phototype, 1 (always burns) to 6 (never burns); grades 0 to 4 by "side zone" key;
    heights in mm above a level line, per side; and the soft tapes.
    """

    skin_type: SkinType | None = None
    phototype: int | None = Field(None, ge=1, le=6)
    sensitive: bool | None = None
    laxity: dict[str, int] = Field(default_factory=dict)
    fine_lines: dict[str, int] = Field(default_factory=dict)
    brow_right_mm: float | None = Field(None, ge=0, le=60)
    brow_left_mm: float | None = Field(None, ge=0, le=60)
    cheek_right_mm: float | None = Field(None, ge=0, le=60)
    cheek_left_mm: float | None = Field(None, ge=0, le=60)

    @property
    def measures(self) -> Measures:
        """The tape measures alone: what the plate is scaled by."""
        return Measures(**{name: getattr(self, name) for name in Measures.model_fields})


class LastTime(Frozen):
    """What the last finished visit of the same treatment left behind."""

    on: date
    level: float | None = None
    led_minutes: float | None = None
    redness: int | None = None
    swelling: int | None = None
    pain: int | None = None
    note: str = ""

    @property
    def reacted(self) -> bool:
        """A strong reaction: redness or swelling of 3 or more (rule microcurrent.reacted)."""
        return max(self.redness or 0, self.swelling or 0) >= 3


def age_on(born: date, today: date) -> int:
    """Whole years of age."""
    return today.year - born.year - ((today.month, today.day) < (born.month, born.day))
