"""What was done, as a treatment's aftercare takes it."""

from merak.core.after.aftercare import tags_of
from merak.core.modality.catalogue import MODALITIES


def tags_when(modality: str, settings: dict[str, object], spot_only: bool = False) -> tuple[str, ...]:
    """The tags of a modality set like this, whatever its bounds say of it."""
    module = MODALITIES.get(modality)
    return tags_of(modality, module.Settings.model_construct(**settings) if module else None, spot_only)
