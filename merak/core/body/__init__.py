"""The unrolled skin in millimetres: plates, zones, margins, strokes, grids, marks."""
