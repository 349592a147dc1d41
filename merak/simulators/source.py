"""A simulated source of energy: any machine of the studio, by its card."""

from typing import Any

from pydantic import Field

from merak.core.modality.device import LedCard, MachineCard, MicrocurrentCard
from merak.core.ports import Reply
from merak.core.working import Frozen

FAULTS = ("tip not seated", "overheated", "no contact")


class SimulatedSource(Frozen):
    """A source as it stands: plugged or not, its scale and what it is set to, pulses given, pulses since its tip was
    wiped, its fault.

    `clean_every` is 0 for one that never asks to be wiped. `visit` is the treatment that it is at work in.
    """

    name: str
    modality: str
    scale: str
    least: float
    most: float
    clean_every: int = Field(0, ge=0)
    plugged: bool = True
    at: float | None = None
    pulses: int = 0
    since_clean: int = 0
    fault: str = ""
    visit: str = ""

    @property
    def wants_wiping(self) -> bool:
        """Whether it gives nothing more before its tip is wiped."""
        return bool(self.clean_every) and self.since_clean >= self.clean_every

    def but(self, **changes: Any) -> "SimulatedSource":
        """The same, otherwise."""
        return self.model_copy(update=changes)

    def set_to(self, at: float) -> tuple["SimulatedSource", Reply]:
        """Accepts what lies on its scale; refuses the rest and stays as it was."""
        if not self.plugged:
            return self, Reply(ok=False, words=f"The {self.name} is unplugged.")
        if not self.least <= at <= self.most:
            return self, Reply(
                ok=False, words=f"The {self.name} is set from {self.least:g} to {self.most:g} {self.scale}: not {at:g}."
            )
        return self.but(at=at), Reply(ok=True, words=f"Set to {at:g} {self.scale}.", value=at)

    def fire(self, pulses: int = 1) -> tuple["SimulatedSource", Reply]:
        """Gives pulses, as many as it can before its tip wants wiping."""
        if not self.plugged or self.fault or self.at is None:
            why = "is unplugged" if not self.plugged else f"reports: {self.fault}" if self.fault else "is not set"
            return self, Reply(ok=False, words=f"The {self.name} {why}.")
        if self.wants_wiping:
            return self, Reply(ok=False, words="Wipe and dry the tip first.")
        given = min(max(0, pulses), self.clean_every - self.since_clean) if self.clean_every else max(0, pulses)
        after = self.but(pulses=self.pulses + given, since_clean=self.since_clean + given)
        return after, Reply(ok=True, words="Wipe and dry the tip." if after.wants_wiping else "", pulses=given)

    def wipe(self) -> tuple["SimulatedSource", Reply]:
        """Wiped and dried."""
        return self.but(since_clean=0), Reply(ok=True, words="Wiped.")

    def plug(self, plugged: bool) -> "SimulatedSource":
        """Plugged in, unset, or pulled out."""
        return self.but(plugged=plugged, at=self.at if plugged == self.plugged else None)


def source_for(card: MicrocurrentCard | LedCard | MachineCard, clean_every: int = 0) -> SimulatedSource:
    """A simulated machine, by its card."""
    if isinstance(card, MachineCard):
        return SimulatedSource(
            name=card.name,
            modality=card.modality,
            scale=card.scale,
            least=card.least,
            most=card.most,
            clean_every=clean_every,
        )
    most = float(card.levels) if isinstance(card, MicrocurrentCard) else 100.0
    scale = "level" if isinstance(card, MicrocurrentCard) else "%"
    return SimulatedSource(name=card.name, modality=card.modality, scale=scale, least=1, most=most)
