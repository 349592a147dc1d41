"""The client as the rules see one: profile and findings, no name."""

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from merak.core.working import Frozen

Side = Literal["right", "left"]
#: How skin arrives; "" where nobody looked.
Arrival = Literal["", "made up", "washed"]
SkinType = Literal["dry", "normal", "combination", "oily"]
#: L*, a* or b*.
Tone = Annotated[float, Field(ge=-128, le=128, allow_inf_nan=False)]
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
    """What was looked at today: Fitzpatrick's phototype, 1 (always burns) to 6 (never burns); grades 0 to 4 by
    condition and "side zone" key; heights in mm above a level line, per side; and the soft tapes. `tone` is L*, a*, b*
    of skin that sees no sun, `hydration` a meter's reading in its own units, `burning` the phototype questionnaire's
    points. How the skin `arrived`, "" where nobody looked.
    """

    skin_type: SkinType | None = None
    arrived: Arrival = ""
    phototype: int | None = Field(None, ge=1, le=6)
    sensitive: bool | None = None
    hydration: int | None = Field(None, ge=0, le=120)
    tone: tuple[Tone, Tone, Tone] | None = None
    burning: dict[str, int] = Field(default_factory=dict)
    grades: dict[str, dict[str, Annotated[int, Field(ge=0, le=4)]]] = Field(default_factory=dict)
    brow_right_mm: float | None = Field(None, ge=0, le=60)
    brow_left_mm: float | None = Field(None, ge=0, le=60)
    cheek_right_mm: float | None = Field(None, ge=0, le=60)
    cheek_left_mm: float | None = Field(None, ge=0, le=60)

    @model_validator(mode="before")
    @classmethod
    def _older(cls, body: Any) -> Any:
        """Records from before there were more than two conditions."""
        if isinstance(body, dict) and ("laxity" in body or "fine_lines" in body):
            older = {name: body[name] for name in ("laxity", "fine_lines") if body.get(name)}
            body = {key: value for key, value in body.items() if key not in ("laxity", "fine_lines")}
            body["grades"] = older | body.get("grades", {})
        return body

    def worst(self, condition: str) -> int:
        """The highest grade of a condition, 0 where it was not found."""
        return max(self.grades.get(condition, {}).values(), default=0)

    def where(self, condition: str, least: int = 1) -> tuple[str, ...]:
        """The zones where a condition is graded so high or higher, without their side."""
        return tuple(
            sorted({key.partition(" ")[2] for key, grade in self.grades.get(condition, {}).items() if grade >= least})
        )

    @property
    def measures(self) -> Measures:
        """The tape measures alone: what the plate is scaled by."""
        return Measures(**{name: getattr(self, name) for name in Measures.model_fields})


class LastTime(Frozen):
    """What the last finished visit left behind: where each thing `ended`, what went wrong (`incidents`), in words."""

    on: date
    ended: tuple[str, ...] = ()
    redness: int | None = None
    swelling: int | None = None
    pain: int | None = None
    note: str = ""
    incidents: tuple[str, ...] = ()


def age_on(born: date, today: date) -> int:
    """Whole years of age."""
    return today.year - born.year - ((today.month, today.day) < (born.month, born.day))
