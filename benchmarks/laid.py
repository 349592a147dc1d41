"""A treatment as it begins: footprints and lines laid anew, beside the bare set operations on the same shapes. And four
plates of twenty stages, drawn at a tap.
"""

import statistics
import time
from collections.abc import Sequence
from urllib.parse import urlencode

import httpx
import numpy as np
from shapely import Polygon, area, difference, intersection, linestrings, union_all

from benchmarks.wire import Wire
from builders.chair import as_step, somebody, worked
from builders.visits import planned
from merak.core.acts import Act
from merak.core.body.treatable import Treatable, margins_of, no_go_of
from merak.core.client import Findings
from merak.core.knowledge import about
from merak.core.plan import footprints, stage
from merak.core.plan.order import own_acts
from merak.core.plan.visit_plan import Plan, in_force

ROUNDS = 20
HX = {"hx-request": "true"}
#: What is laid: modality → settings of its stages. 600 footprints and 300 lines of one client.
GRIDS = (("rf_fractional", {}), ("pulsed_light", {}), ("focused_lifting", {"depth_mm": 3.0}))
LIFTS = 13
WHO = somebody(findings=Findings(phototype=3, ear_to_ear_mm=283, hairline_chin_mm=191))
#: Worked on four plates each, in four stages.
FOUR_PLATES = ("chin", "mid cheek", "front of neck", "décolleté", "back of the hand", "elbow crease")
FIVE_STEPS = ("cleanse", "tone", "touch", "mask", "finish")


def begin_ratio() -> tuple[float, float, float, int, int]:
    """(ms to lay all, ms of the bare set operations, the ratio, footprints, lines)."""
    of = in_force(WHO, Plan())
    chosen = [worked(name, WHO, **kept) for name, kept in (*GRIDS, *GRIDS[2:])]
    chosen += [worked("microcurrent", WHO, level=1 + n * 0.1) for n in range(LIFTS)]
    steps = [as_step(WHO, one) for one in chosen]

    def laid() -> list[Act]:
        for kept in (footprints.beds, stage.grounds_on):
            kept.cache_clear()  # type: ignore[attr-defined]
        return [act for step in steps for act in own_acts(WHO, step, "right", of, True)]

    acts = laid()
    bare = [
        Bare(WHO.area(about()[one.modality].work), one, own_acts(WHO, step, "right", of, True))
        for one, step in zip(chosen, steps, strict=True)
    ]
    times: dict[str, list[float]] = {"laid": [], "bare": []}
    for _ in range(ROUNDS):
        for name, act in (("laid", laid), ("bare", lambda: [one() for one in bare])):
            begun = time.perf_counter()
            act()
            times[name].append(time.perf_counter() - begun)
    ours, theirs = (statistics.median(times[name]) * 1000 for name in ("laid", "bare"))
    cells, lines = (sum(len(getattr(act, kind)) for act in acts) for kind in ("cells", "lines"))
    return ours, theirs, ours / theirs, cells, lines


class Bare:
    """A stage by nothing but Shapely's set operations, on shapes that lie ready."""

    def __init__(self, able: Treatable, one: stage.Worked, acts: Sequence[Act]) -> None:
        work, plate = about()[one.modality].work, able.plate
        self.no_go = [shape for entry in no_go_of(work) for place in entry.places for shape in plate.place(place)]
        self.edges = [
            (shape, able.margin_mm[entry.id]) for entry in margins_of(work) for shape in plate.place(entry.keep_from)
        ]
        self.zones = np.array(list(plate.zones.values()), dtype=object)
        self.skin = able.skin
        self.cells = np.array([Polygon(cell.ring) for act in acts for cell in act.cells], dtype=object)
        lines = [line.points for act in acts for line in act.lines]
        self.lines = np.array([linestrings(line) for line in lines], dtype=object)

    def __call__(self) -> float:
        """Margins buffered, zones cut, footprints and lines clipped, what is left bare, its area."""
        out = union_all([*self.no_go, *(shape.buffer(mm) for shape, mm in self.edges)])
        left = float(area(difference(self.zones, out)).sum())
        if len(self.cells):
            intersection(self.cells, self.skin)
            left += difference(self.skin, union_all(self.cells)).area
        if len(self.lines):
            intersection(self.lines, self.skin)
        return left


def four_plates_ms(client: httpx.Client, wire: Wire) -> float:
    """A tap on the drawing takes or adds a zone, and all four plates are drawn anew: the whole answer, ms."""
    visit = planned(client, "Four Plates", *FIVE_STEPS)
    page = client.get(f"/visits/{visit}/plan").text
    steps = [one.split('"')[0] for one in page.split('data-step="')[1:]]
    assert len(steps) == len(FIVE_STEPS), steps
    for step in steps:
        zones = {f"zone.{zone}": "on" for zone in FOUR_PLATES}
        assert client.post(f"/visits/{visit}/plan/zones", data={"step": step} | zones, headers=HX).status_code == 200
        for _ in range(3):
            assert client.post(f"/visits/{visit}/plan/again", data={"stage": step}, headers=HX).status_code == 200
    shown = client.get(f"/visits/{visit}/plan?step={steps[2]}").text
    assert shown.count('id="s-') == 4 and all(f'data-zone="{zone}"' in shown for zone in FOUR_PLATES)
    times = []
    form = {"content_type": "application/x-www-form-urlencoded", "hx_request": "true"}
    for n in range(ROUNDS + 4):
        body = urlencode({"stage": steps[2], "zone": ("forehead", "temple", "chin", "jawline")[n % 4]})
        begun = time.perf_counter()
        answer = wire.ask("POST", f"/visits/{visit}/plan/zone", body, **form)
        times.append(time.perf_counter() - begun)
        assert answer.count(b"<svg") >= 4
    return statistics.median(times[4:]) * 1000
