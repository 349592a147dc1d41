"""Temperature by depth and time: Pennes' equation in one dimension, layer on layer, under a surface that may be air,
gel or a cold head.

Finite volumes, fine at the surface; the equation is linear, so in time it is solved exactly: in the eigenmodes of the
layers each sample of power leaves a decaying trace. Nothing is lost to the size of a time step; what error there is
comes from the cells (docs/heat.md says how much).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from merak.core.dose.thermal import BREAK_C, CHARRED_C, R_ABOVE, R_BELOW

Numbers = NDArray[np.float64]
#: Blood: kg/m³, J/(kg·K); and the temperature that it and the core bring, °C (house defaults after the handbook).
BLOOD_RHO, BLOOD_C, CORE_C = 1060.0, 3770.0, 37.0
#: Cells begin at this at the skin's surface and grow by this factor with depth, up to the widest; m.
FINEST_M, GROWTH, WIDEST_M = 20e-6, 1.12, 0.8e-3
#: Added to every power, W/m²: so small that it is none, and large enough that no fading mode ends among the slow,
#: tiniest numbers.
NOTHING = 1e-120
#: Temperatures are followed down to this depth, m: below it nothing is hottest.
FOLLOWED_M = 6e-3


@dataclass(frozen=True)
class Layer:
    """A layer: thickness mm, conductivity W/(m·K), density kg/m³, heat capacity J/(kg·K), perfusion 1/s."""

    name: str
    mm: float
    k: float
    rho: float
    c: float
    perfusion: float = 0.0


@dataclass(frozen=True)
class Surface:
    """What lies on top: temperature °C and how well it takes heat, W/(m²·K): air about 10, a cold head on gel some
    hundreds.
    """

    celsius: float = 22.0
    h: float = 10.0


def thermal_dose_min(celsius: Numbers, dt: float) -> Numbers:
    """CEM43 in minutes of temperatures sampled every `dt` s, along the last axis (Sapareto & Dewey
    1984; from memory).
    """
    above, below = -np.log(R_ABOVE), -np.log(R_BELOW)

    def rates(away: Numbers) -> float:  # below the break the steeper of the two is the lower
        away = np.minimum(away, CHARRED_C - BREAK_C)
        return float(np.exp(np.minimum(above * away, below * away)).sum())

    # Row by row, which stays in the processor's own memory.
    dose = np.array([rates(row - BREAK_C) for row in celsius.reshape(-1, celsius.shape[-1])]) * (dt / 60)
    found: Numbers = dose.reshape(celsius.shape[:-1])
    return found


@dataclass(frozen=True)
class HeatRun:
    """What came of it: `seconds` of each sample, the surface's °C, °C by depth (`depth_mm` × sample) down to 6 mm, the
    last profile.
    """

    seconds: Numbers
    surface_c: Numbers
    depth_mm: Numbers
    inside_c: Numbers
    profile_c: Numbers

    @cached_property
    def peak_c(self) -> Numbers:
        """The hottest point inside at each moment, °C."""
        found: Numbers = self.inside_c.max(axis=0)
        return found

    @cached_property
    def peak_mm(self) -> Numbers:
        """How deep it lies, mm."""
        found: Numbers = self.depth_mm[self.inside_c.argmax(axis=0)]
        return found

    @cached_property
    def cem43_min(self) -> Numbers:
        """Thermal dose at each depth from the beginning to the end, minutes (Sapareto & Dewey 1984; from memory)."""
        return thermal_dose_min(self.inside_c[:, 1:], float(self.seconds[1] - self.seconds[0]))

    def reaches(self, celsius: float, inside: bool = False) -> float | None:
        """The first second at which the surface (or the hottest point inside) is at a temperature; None when it never
        is.
        """
        hit = np.flatnonzero((self.peak_c if inside else self.surface_c) >= celsius)
        return float(self.seconds[hit[0]]) if len(hit) else None


@dataclass(frozen=True)
class HeatResponse:
    """How a body warms under steady power. The equation is linear, so one run tells every power: `run` is that of
    `w_m2` W/m², `unheated` what the same is without.
    """

    run: HeatRun
    unheated: HeatRun
    w_m2: float

    def reaches(self, celsius: float, power_w_m2: float) -> float | None:
        """The first second at which the surface is at a temperature under a power (W/m²); None when it never is."""
        cold, warm = self.unheated.surface_c[0], self.run.surface_c
        hit = np.flatnonzero(cold + power_w_m2 / self.w_m2 * (warm - cold) >= celsius)
        return float(self.run.seconds[hit[0]]) if len(hit) else None

    def under(self, power_w_m2: float, samples: int | None = None) -> HeatRun:
        """The run under another power, W/m²; only its first samples where they are enough."""
        share = power_w_m2 / self.w_m2

        def scaled(cold: Numbers, warm: Numbers) -> Numbers:
            found: Numbers = cold + share * (warm - cold)
            return found

        cold, warm = self.unheated, self.run
        return HeatRun(
            warm.seconds[:samples],
            scaled(cold.surface_c[:1], warm.surface_c[:samples]),
            warm.depth_mm,
            scaled(cold.inside_c[:, :1], warm.inside_c[:, :samples]),
            scaled(cold.profile_c, warm.profile_c),
        )

    def power_for(self, celsius: float, seconds: float) -> float:
        """The power (W/m²) that brings the surface to a temperature in so many seconds."""
        cold = float(self.unheated.surface_c[0])
        return self.w_m2 * (celsius - cold) / (float(np.interp(seconds, self.run.seconds, self.run.surface_c)) - cold)


class Body:
    """Layers from the surface down to where the core's temperature holds, under a surface; `gel_mm` of gel on top."""

    def __init__(
        self, layers: Sequence[Layer], surface: Surface, gel: Layer | None = None, finest_m: float = FINEST_M
    ) -> None:
        self.surface = surface
        laid = ([(gel, _cells(gel.mm / 1000, finest_m)[::-1])] if gel else []) + _meshed(layers, finest_m)
        self.dz = np.concatenate([cells for _, cells in laid])
        self.first = len(laid[0][1]) if gel else 0

        def spread(value: str) -> Numbers:
            return np.concatenate([np.full(len(cells), getattr(layer, value)) for layer, cells in laid])

        half = self.dz / 2 / spread("k")  # the resistance from a cell's middle to its edge, m²K/W
        inner = 1 / (half[1:] + half[:-1])
        top, bottom = 1 / (1 / surface.h + half[0]), 1 / half[-1]
        blood = spread("perfusion") * BLOOD_RHO * BLOOD_C * self.dz
        loss = blood.copy()
        loss[:-1] += inner
        loss[1:] += inner
        loss[0] += top
        loss[-1] += bottom
        coupling = np.diag(-loss) + np.diag(inner, 1) + np.diag(inner, -1)
        given = blood * CORE_C
        given[0] += top * surface.celsius
        given[-1] += bottom * CORE_C
        #: What the profile is without power, °C.
        self.steady = np.linalg.solve(coupling, -given)
        self.root = np.sqrt(spread("rho") * spread("c") * self.dz)  # of the heat capacity, J/(m²K)
        self.rate, self.mode = np.linalg.eigh(coupling / np.outer(self.root, self.root))
        #: Edges of the skin's cells, m from its surface.
        self.edges = np.concatenate([[0.0], np.cumsum(self.dz[self.first :])])
        # The surface of the skin lies between two resistances; its temperature is their weighted mean.
        out, into = (half[self.first - 1] if gel else 1 / surface.h), half[self.first]
        self.share = into / (out + into)

    @property
    def depth_m(self) -> Numbers:
        """The middles of the skin's cells, m."""
        found: Numbers = (self.edges[1:] + self.edges[:-1]) / 2
        return found

    def absorbed(self, delta_m: float) -> Numbers:
        """How 1 W/m² that falls off as e^(−z/δ) is shared among the cells, W/m²: exact in each."""
        return np.concatenate([np.zeros(self.first), -np.diff(np.exp(-self.edges / delta_m))])

    def at_surface(self, profile: Numbers) -> Numbers:
        """The skin surface's temperature of profiles (cells × …), °C."""
        above = profile[self.first - 1] if self.first else self.surface.celsius
        found: Numbers = self.share * above + (1 - self.share) * profile[self.first]
        return found

    def run(self, power_w_m2: Numbers, dt: float, delta_m: float, start: Numbers | None = None) -> HeatRun:
        """The skin under power that enters it, one value (W/m²) for each sample of `dt` s, absorbed over δ (m); `start`
        is a profile, °C.

        Raises ValueError for a step, a depth or a start that cannot be.
        """
        if dt <= 0 or delta_m <= 0:
            raise ValueError("the step and the depth must be positive")
        begin = self.steady if start is None else start
        if begin.shape != self.steady.shape:
            raise ValueError("the profile belongs to other layers")
        skin = slice(self.first, None)
        followed = self.depth_m <= FOLLOWED_M
        seen = self.mode / self.root[:, None]
        wanted = np.concatenate(
            [[self.first - 1] if self.first else [], np.arange(len(self.dz))[skin][followed]]
        ).astype(int)
        begun = self.mode.T @ (self.root * (begin - self.steady))
        pushed = self.mode.T @ (self.absorbed(delta_m) / self.root)
        found, last = _traced(seen[wanted], self.rate, pushed, begun, np.asarray(power_w_m2, dtype=float), dt)
        found += self.steady[wanted, None]
        inside = found[1:] if self.first else found
        above = found[0] if self.first else self.surface.celsius
        surface = self.share * above + (1 - self.share) * inside[0]
        seconds = np.arange(found.shape[1], dtype=float) * dt
        return HeatRun(
            np.asarray(seconds, dtype=np.float64),
            surface,
            self.depth_m[followed] * 1000,
            inside,
            seen @ last + self.steady,
        )


def response(of: Body, seconds: float, dt: float, delta_m: float, w_m2: float = 1e4) -> HeatResponse:
    """A body's response to steady power that falls off over δ (m), for so many seconds."""
    run = of.run(np.full(round(seconds / dt), w_m2), dt, delta_m)
    return HeatResponse(run, of.run(np.zeros(1), dt, delta_m), w_m2)


def _traced(
    seen: Numbers, rate: Numbers, pushed: Numbers, begun: Numbers, power: Numbers, dt: float
) -> tuple[Numbers, Numbers]:
    """What is seen of the modes at every sample, the beginning included, and the modes at the last one.

    Each mode follows y' = λy + f·u with u steady through each step. Samples are taken in blocks: first a step of all
    blocks at once, as if each had begun at zero; then what is carried from block to block.
    """
    fade, gain = np.exp(rate * dt), np.expm1(rate * dt) / rate * pushed
    many = len(power)
    size = max(1, round(many**0.5))
    blocks = -(-many // size)
    steps = np.concatenate([power, np.zeros(blocks * size - many)]).reshape(blocks, size).T + NOTHING
    traces = np.empty((size, len(rate), blocks))
    now = np.zeros((len(rate), blocks))
    for trace, step in zip(traces, steps, strict=True):
        now *= fade[:, None]
        now += gain[:, None] * step
        trace[:] = now
    fades = np.exp(np.maximum(rate * dt * np.arange(1, size + 1)[:, None], np.log(NOTHING)))
    carried = np.empty((len(rate), blocks))
    carry = begun
    for block in range(blocks):
        carried[:, block] = carry
        carry = fades[-1] * carry + traces[-1, :, block]
    found = np.empty((len(seen), blocks * size + 1))
    found[:, 0] = seen @ begun
    for step, trace in enumerate(traces):
        trace += fades[step, :, None] * carried
        found[:, 1 + step :: size] = seen @ trace
    last: Numbers = traces[(many - 1) % size, :, (many - 1) // size]
    return found[:, : many + 1], last


def _meshed(layers: Sequence[Layer], finest_m: float) -> list[tuple[Layer, Numbers]]:
    """Cells for each layer, growing with depth."""
    size, found = finest_m, []
    for layer in layers:
        cells = _cells(layer.mm / 1000, size)
        size = float(cells[-1]) * GROWTH
        found.append((layer, cells))
    return found


def _cells(thickness_m: float, first_m: float) -> Numbers:
    """Cells that fill a thickness, the first about `first_m`, each wider than the one before."""
    if thickness_m <= 0:
        raise ValueError("a layer has a thickness")
    sizes = [first_m]
    while sum(sizes) < thickness_m:
        sizes.append(max(first_m, min(sizes[-1] * GROWTH, WIDEST_M)))
    found = np.array(sizes)
    found *= thickness_m / found.sum()
    return found


@lru_cache(maxsize=64)
def body(layers: tuple[Layer, ...], surface: Surface, gel: Layer | None = None) -> Body:
    """The same body, solved once."""
    return Body(layers, surface, gel)


def under_tip(power_w_m2: float, covered_s: float, period_s: float, samples: int, dt: float) -> Numbers:
    """Power at a point (W/m²) that a moving tip covers for `covered_s` in each period: in each sample, its share of the
    time.

    Raises ValueError for a period shorter than the tip's stay.
    """
    if not 0 < covered_s <= period_s:
        raise ValueError("the tip covers a point for a part of each round")

    def so_far(t: NDArray[np.floating[Any]]) -> Numbers:
        rounds = np.floor(t / period_s)
        stayed: Numbers = rounds * covered_s + np.minimum(t - rounds * period_s, covered_s)
        return stayed

    at = np.arange(samples + 1, dtype=float) * dt
    found: Numbers = np.diff(so_far(at)) / dt * power_w_m2
    return found


def absorbed_share(readings: Sequence[tuple[float, float]], unheated: HeatRun, full: HeatRun) -> float:
    """The share η of the power that this skin absorbs, fitted to surface readings (second, °C), least squares.

    The equation is linear: surface = unheated + η·(full − unheated), `full` being the run with η = 1. Raises ValueError
    without a reading at which power could be felt.
    """
    rise = np.array([np.interp(t, full.seconds, full.surface_c - unheated.surface_c) for t, _ in readings])
    seen = np.array([c - np.interp(t, unheated.seconds, unheated.surface_c) for t, c in readings])
    weight = float(rise @ rise)
    if weight < 1e-6:
        raise ValueError("no reading was taken under power")
    return float(np.clip(rise @ seen / weight, 0.0, 1.0))


def hottest(runs: Sequence[HeatRun]) -> Numbers:
    """The hottest point inside of several runs in a row, °C."""
    return np.concatenate([runs[0].peak_c, *(later.peak_c[1:] for _, later in pairwise(runs))])
