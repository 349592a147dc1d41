"""Sun on skin: how much each wavelength reddens, and how long one standard dose takes."""

#: J/m² of erythemally weighted light in one standard erythema dose; W/m² in one step of the UV index (ISO 17166; from
#: memory).
SED_J_M2, INDEX_W_M2 = 100.0, 0.025


def erythema_weight(wavelength_nm: float) -> float:
    """How strongly a wavelength (nm) reddens beside 298 nm; 0 above 400 (ISO 17166; from memory): 0.00855 at 320 nm."""
    if wavelength_nm <= 298:
        return 1.0
    if wavelength_nm <= 328:
        return float(10 ** (0.094 * (298 - wavelength_nm)))
    return float(10 ** (0.015 * (140 - wavelength_nm))) if wavelength_nm <= 400 else 0.0


def seconds_to_sed(uv_index: float, doses: float = 1.0, protection: float = 1.0) -> float:
    """Seconds until so many standard erythema doses under a UV index, behind a protection factor. Raises ValueError
    without sun.
    """
    if uv_index <= 0 or protection <= 0:
        raise ValueError("the UV index and the protection must be positive")
    return SED_J_M2 * doses * protection / (INDEX_W_M2 * uv_index)
