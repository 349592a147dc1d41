"""How a modality ended when it was last done."""

from datetime import date
from typing import Literal

from pydantic import Field

from merak.core.working import Frozen


class Before(Frozen):
    """How the same modality ended last time: where it was set, whether its endpoint was seen, how the skin answered (0
    to 4), the worst pain (0 to 10), what mark it left in words and when that was told, how the result was graded (−2
    much worse to 2 much better), whether anybody graded it; what incident there was, in words ("Burn, grade 2").
    """

    at: float | None = Field(None, ge=-50, le=10_000, title="Ended at")
    endpoint_seen: Literal["seen", "not seen", ""] = Field("", title="Endpoint")
    redness: int = Field(0, ge=0, le=4, title="Redness, 0 to 4")
    swelling: int = Field(0, ge=0, le=4, title="Swelling, 0 to 4")
    settled_late: bool = Field(False, title="Settled late")
    stepped_up: bool = False
    on: date | None = None
    pain: int = Field(0, ge=0, le=10)
    mark: str = ""
    marked_on: date | None = None
    improvement: int | None = Field(None, ge=-2, le=2)
    graded: bool = False
    incident: str = ""
