"""All calculations by id."""

from merak.core.bench import electrical, heat, light, skin
from merak.core.bench.answer import Calculation

CALCULATIONS: dict[str, Calculation] = {
    one.id: one for part in (light, electrical, heat, skin) for one in part.CALCULATIONS
}
