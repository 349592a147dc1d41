"""The heat solver's speed: twenty minutes at ten samples a second, beside SciPy's stiff integrator on the same cells at
equal error.
"""

import statistics
import time

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import solve_ivp

from merak.core.dose.bioheat import Body, HeatRun, Surface, under_tip
from merak.core.modality.rf_bulk import layers

SAMPLES, DT, DELTA, ROUNDS = 12_000, 0.1, 4e-3, 15
#: What the cells cost beside the analytic cases (0.0026 °C at most in tests/outside/test_heat.py); SciPy is asked for
#: no more.
ERROR_C = 0.003
#: A tip of 20 mm at 20 mm/s over 100 cm²: at a point for 0.8 s of every 25 s.
STAY, ROUND, POWER = 0.8, 25.0, 23_000.0


def ours() -> HeatRun:
    """The whole of it: cells, modes, twenty minutes, hottest depth, thermal dose at every depth."""
    body = Body(layers(), Surface(23, 10))
    run = body.run(under_tip(POWER, STAY, ROUND, SAMPLES, DT), DT, DELTA)
    assert run.peak_c.size and run.cem43_min.size
    return run


def scipys(body: Body, rtol: float) -> NDArray[np.float64]:
    """The same equations by LSODA with their banded Jacobian, stretch by stretch of steady power; the surface cell at
    each sample.
    """
    capacity, source = body.root**2, body.absorbed(DELTA)
    coupling = (body.mode * body.rate) @ body.mode.T * body.root[:, None] * body.root[None, :]
    main, side = np.diag(coupling) / capacity, np.diag(coupling, 1)
    up, down = side / capacity[:-1], side / capacity[1:]
    bands = np.vstack([np.concatenate([[0], up]), main, np.concatenate([down, [0]])])
    now, found = np.zeros(len(capacity)), []
    for n in range(round(SAMPLES * DT / ROUND)):
        for begin, end, power in ((n * ROUND, n * ROUND + STAY, POWER), (n * ROUND + STAY, (n + 1) * ROUND, 0.0)):
            pushed = source * power / capacity

            def slope(_: float, c: NDArray[np.float64], pushed: NDArray[np.float64] = pushed) -> NDArray[np.float64]:
                flow: NDArray[np.float64] = main * c + pushed
                flow[:-1] += up * c[1:]
                flow[1:] += down * c[:-1]
                return flow

            at = np.round(np.arange(round(begin / DT) + 1, round(end / DT) + 1) * DT, 6)
            part = solve_ivp(
                slope,
                (begin, end),
                now,
                "LSODA",
                t_eval=at,
                rtol=rtol,
                atol=rtol,
                lband=1,
                uband=1,
                jac=lambda _, c: bands,
            )
            now = part.y[:, -1]
            found.append(part.y[0])
    return np.concatenate(found) + body.steady[0]


def heat_ratios() -> tuple[dict[str, float], dict[str, tuple[float, float]]]:
    """Medians in ms by name, and ratios (or ms) with their limits."""
    body, exact = Body(layers(), Surface(23, 10)), ours().inside_c[0, 1:]
    loosest = next(
        rtol
        for rtol in (1e-1, 3e-2, 1e-2, 3e-3, 1e-3, 1e-4, 1e-5)
        if np.abs(scipys(body, rtol) - exact).max() <= ERROR_C
    )
    times: dict[str, list[float]] = {"heat, 20 min at 10 Hz": [], "the same by SciPy's LSODA": []}
    for _ in range(ROUNDS):
        for name, act in zip(times, (ours, lambda: scipys(body, loosest)), strict=True):
            begun = time.perf_counter()
            act()
            times[name].append(time.perf_counter() - begun)
    mine, others = (statistics.median(all_) * 1000 for all_ in times.values())
    return dict(zip(times, (mine, others), strict=True)), {
        "heat, 20 min at 10 Hz, ms": (mine, 50.0),
        "heat ÷ SciPy's LSODA at equal error": (mine / others, 0.1),
    }
