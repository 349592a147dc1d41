"""Direct and alternating current through a skin contact."""

#: C/mol, CODATA 2018 (exact product of e and the Avogadro constant).
FARADAY_C_MOL = 96485.33212


def density_ma_cm2(current_ua: float, contact_cm2: float) -> float:
    """Current density in mA/cm² of `current_ua` (µA) through `contact_cm2` (cm²). Definition J = I/A.

    Raises ValueError for a contact area of nought or less.
    """
    if contact_cm2 <= 0:
        raise ValueError("the contact area must be more than nought")
    return current_ua / 1000 / contact_cm2


def charge_mc(current_ua: float, seconds: float) -> float:
    """Charge in mC of `current_ua` (µA) flowing for `seconds` (s). Definition Q = I·t."""
    return current_ua * seconds / 1000


def amount_umol(charge_in_mc: float) -> float:
    """Singly charged ions moved, in µmol, by a charge in mC: n = Q/F (Faraday's law)."""
    return charge_in_mc * 1000 / FARADAY_C_MOL
