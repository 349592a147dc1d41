"""What skin was given, as the record keeps it: by a visit here, or elsewhere."""

from datetime import date

from pydantic import Field

from merak.core.working import Frozen


class Exposed(Frozen):
    """An agent that was given `on` a day (None: nobody knows) to zones, side by side or both (none: everywhere): how
    strong by its degree (None: unknown), how much in `unit` (None: unknown), whether that was `measured` or is as it
    was planned; by which modality, or `elsewhere` by whom.
    """

    agent: str = Field(max_length=60)
    modality: str = Field("", max_length=60)
    degree: int | None = None
    amount: float | None = None
    unit: str = Field("", max_length=20)
    zones: tuple[str, ...] = ()
    on: date | None = None
    measured: bool = False
    elsewhere: str = Field("", max_length=120)
