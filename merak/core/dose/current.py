"""Direct and alternating current through a skin contact."""

from math import log10

#: C/mol, CODATA 2018 (exact product of e and the Avogadro constant).
FARADAY_C_MOL = 96485.33212


def density_ma_cm2(current_ua: float, contact_cm2: float) -> float:
    """Current density in mA/cm² of `current_ua` (µA) through `contact_cm2` (cm²). Definition J = I/A.

    Raises ValueError for a contact area of zero or less.
    """
    if contact_cm2 <= 0:
        raise ValueError("the contact area must be positive")
    return current_ua / 1000 / contact_cm2


def charge_mc(current_ua: float, seconds: float) -> float:
    """Charge in mC of `current_ua` (µA) flowing for `seconds` (s). Definition Q = I·t."""
    return current_ua * seconds / 1000


def amount_umol(charge_in_mc: float) -> float:
    """Singly charged ions moved, in µmol, by a charge in mC: n = Q/F (Faraday's law)."""
    return charge_in_mc * 1000 / FARADAY_C_MOL


def rms_ma(peak_ma: float, width_us: float, rate_hz: float) -> float:
    """Root mean square in mA of biphasic square pulses: I·√(2·width·f), `width_us` (µs) a phase, `rate_hz` pulses a
    second.

    Raises ValueError when the two phases do not fit into a period.
    """
    on = 2 * width_us * 1e-6 * rate_hz
    if not 0 <= on <= 1:
        raise ValueError("two phases are longer than the period")
    return float(peak_ma * on**0.5)


def pulse_energy_mj(peak_ma: float, width_us: float, load_ohm: float = 500) -> float:
    """Energy in mJ of one phase of a square pulse into a resistive load (ohm): I²·R·t."""
    return (peak_ma / 1000) ** 2 * load_ohm * width_us * 1e-6 * 1000


def output_limit_ma(rate_hz: float) -> float:
    """The largest output in mA r.m.s. into 500 Ω at a repetition rate (Hz; 0 is direct current): 80, 50, 80, 100 mA.

    IEC 60601-2-10; from memory.
    """
    if rate_hz == 0:
        return 80.0
    return 50.0 if rate_hz <= 400 else 80.0 if rate_hz <= 1500 else 100.0


def dose_ma_min(current_ma: float, minutes: float) -> float:
    """Iontophoretic dose in mA·min. Definition; 1 mA·min is 0.06 C."""
    return current_ma * minutes


def hydroxide_umol(current_ma: float, minutes: float) -> float:
    """Hydroxide made at the cathode in µmol, one ion a charge: I·t/F (Faraday's law)."""
    return amount_umol(current_ma * minutes * 60)


def unbuffered_ph(hydroxide_in_umol: float, millilitres: float) -> float:
    """pH of hydroxide (µmol) in unbuffered water (mL) at 25 °C: 14 + log10(c), not below 7.

    Skin and most products buffer, so this is the upper bound. Raises ValueError for no water.
    """
    if millilitres <= 0:
        raise ValueError("there must be some water")
    molar = hydroxide_in_umol / millilitres / 1000
    return max(7.0, 14 + log10(molar)) if molar > 0 else 7.0
