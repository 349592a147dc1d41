"""The unrolled face in millimetres: plate, zones, margins, strokes."""

from merak.core.body.plate import Plate, plate
from merak.core.body.strokes import Line, lines
from merak.core.body.treatable import treatable

__all__ = ["Line", "Plate", "lines", "plate", "treatable"]
