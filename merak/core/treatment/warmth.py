"""How warm a zone got: from readings, by hand or by instrument; time in the band, thermal dose, how long the tip may
still stay.
"""

from dataclasses import dataclass
from datetime import datetime

from merak.core.acts import HeatRule
from merak.core.dose.thermal import cem43_of, dwell_left_s


@dataclass(slots=True)
class Warmth:
    """One zone: last and highest reading at the surface (°C), seconds in the band, thermal dose of surface and hottest
    depth (CEM43 min).

    The hottest depth is taken to be as much warmer than the surface as the model says for the target; between readings
    the skin is taken to go straight from one to the next.
    """

    last_c: float
    at: datetime
    peak_c: float
    band_s: float = 0.0
    cem43_min: float = 0.0
    deep43_min: float = 0.0
    readings: int = 1

    def read(self, celsius: float, at: datetime, heat: HeatRule) -> None:
        """One more reading. One that is earlier than the last counts for the peak only."""
        seconds = (at - self.at).total_seconds()
        self.peak_c = max(self.peak_c, celsius)
        self.readings += 1
        if seconds < 0:
            return
        if seconds > 0:
            self.band_s += seconds * _share_between(self.last_c, celsius, heat.low_c, heat.high_c)
            self.cem43_min += cem43_of([(0, self.last_c), (seconds, celsius)])
            deep = [(0.0, self.last_c + heat.deeper_c), (seconds, celsius + heat.deeper_c)]
            self.deep43_min += cem43_of(deep)
        self.last_c, self.at = celsius, at

    def dwell_s(self, heat: HeatRule) -> float:
        """Seconds that the tip may stay on one spot: less as the skin nears its limit."""
        return dwell_left_s(self.last_c, heat.rate_c_s, heat.dwell_s, heat.stop_c)

    def over(self, heat: HeatRule) -> bool:
        """Whether the zone is done for today: at its highest temperature, or at its thermal dose."""
        return self.peak_c >= heat.stop_c or self.deep43_min >= heat.stop_min


def _share_between(a: float, b: float, low: float, high: float) -> float:
    """The share of the way from a to b that lies within low to high."""
    if a == b:
        return 1.0 if low <= a <= high else 0.0
    first, last = sorted((a, b))
    return max(0.0, min(last, high) - max(first, low)) / (last - first)
