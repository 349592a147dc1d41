"""All modalities by id: every file of this folder that has the face of one, and the supporting steps."""

from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING, Literal

import merak.core.modality as folder
from merak.core.modality import support
from merak.core.modality.device import MACHINES
from merak.core.modality.shared import Modality

_FILES = tuple(
    import_module(f"{folder.__name__}.{one.name}") for one in iter_modules(folder.__path__) if one.name != "catalogue"
)
_ALL: tuple[Modality, ...] = (*(one for one in _FILES if hasattr(one, "NAME")), *support.STEPS.values())
MODALITIES: dict[str, Modality] = {one.NAME: one for one in _ALL}
if TYPE_CHECKING:
    MachineKind = str
else:
    #: The modalities whose machines are told by a scale.
    MachineKind = Literal[tuple(MACHINES)]
