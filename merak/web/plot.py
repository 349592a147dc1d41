"""A curve as ink: axes with round ticks, lines told apart by their dashes, limits with their words."""

from dataclasses import dataclass
from math import ceil, floor, log10

from merak.core.bench.answer import Curve

WIDTH, HEIGHT = 720.0, 330.0
LEFT, RIGHT, TOP, FOOT = 62.0, 150.0, 18.0, 46.0
#: Solid first, then ever more broken; the last two for a band's other edge.
DASHES = ("", "9 4", "2 4", "9 4 2 4", "1 3", "14 4")
TICKS = 6
#: Words at the right edge keep this apart.
LINE_PX = 17.0


@dataclass(frozen=True)
class PlotLine:
    """A line ready to be drawn, with where its name stands and the end that a leader runs to."""

    name: str
    d: str
    dash: str
    end_x: float
    end_y: float
    words_y: float
    dots: tuple[tuple[float, float], ...] = ()

    @property
    def leader(self) -> str:
        """From its end to its name."""
        return f"M{self.end_x + 3:.1f} {self.end_y}L{WIDTH - RIGHT + 8} {self.words_y}"


@dataclass(frozen=True)
class LimitLine:
    """A limit: its words, its path, where the words stand."""

    words: str
    d: str
    x: float
    y: float
    across: bool
    hard: bool

    @property
    def weight(self) -> str:
        """How it is drawn."""
        return "hard" if self.hard else ""

    @property
    def anchor(self) -> str:
        """How its words lie."""
        return "" if self.across else "mid"


@dataclass(frozen=True)
class Plot:
    """Everything of a curve in px of its own sheet."""

    curve: Curve
    lines: tuple[PlotLine, ...]
    limits: tuple[LimitLine, ...]
    across: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]
    frame: str
    width: float = WIDTH
    height: float = HEIGHT
    right: float = WIDTH - RIGHT
    foot: float = HEIGHT - FOOT
    middle: float = (WIDTH - RIGHT + LEFT) / 2

    @property
    def box(self) -> str:
        """The whole sheet."""
        return f"0 0 {self.width:.0f} {self.height:.0f}"

    @property
    def told(self) -> str:
        """The curve in words."""
        ends = (
            f"{line.name} from {line.points[0][1]:.3g} to {line.points[-1][1]:.3g} {self.curve.y}"
            for line in self.curve.threads
        )
        return f"{self.curve.title}: {', '.join(ends)}"


def plot(curve: Curve) -> Plot:
    """A curve ready to be inked."""
    xs = [x for line in curve.threads for x, _ in line.points] + [
        limit.at for limit in curve.limits if not limit.across
    ]
    ys = [y for line in curve.threads for _, y in line.points] + [limit.at for limit in curve.limits if limit.across]
    ys += curve.span or ()
    x_ticks, y_ticks = ticks(min(xs), max(xs)), ticks(min(ys), max(ys))
    x0, x1, y0, y1 = min(min(xs), x_ticks[0]), max(xs), min(min(ys), y_ticks[0]), max(max(ys), y_ticks[-1])

    def px(x: float) -> float:
        return round(LEFT + (x - x0) / ((x1 - x0) or 1) * (WIDTH - LEFT - RIGHT), 1)

    def py(y: float) -> float:
        return round(HEIGHT - FOOT - (y - y0) / ((y1 - y0) or 1) * (HEIGHT - TOP - FOOT), 1)

    ends = [(px(line.points[-1][0]), py(line.points[-1][1])) for line in curve.threads]
    beside = apart([y for _, y in ends])
    lines = tuple(
        PlotLine(line.name, "", "", *end, words, tuple((px(x), py(y)) for x, y in line.points))
        if line.dots
        else PlotLine(
            line.name, "M" + "L".join(f"{px(x)} {py(y)}" for x, y in line.points), DASHES[n % len(DASHES)], *end, words
        )
        for n, (line, end, words) in enumerate(zip(curve.threads, ends, beside, strict=True))
    )
    right, foot = WIDTH - RIGHT, HEIGHT - FOOT
    limits = tuple(
        LimitLine(limit.words, f"M{LEFT} {py(limit.at)}H{right}", LEFT + 6, py(limit.at) - 4, True, bool(limit.rule))
        if limit.across
        else LimitLine(limit.words, f"M{px(limit.at)} {TOP}V{foot}", px(limit.at), TOP - 5, False, bool(limit.rule))
        for limit in curve.limits
    )
    return Plot(
        curve,
        lines,
        limits,
        tuple((px(x), label(x, x_ticks)) for x in x_ticks if x0 <= x <= x1),
        tuple((py(y), label(y, y_ticks)) for y in y_ticks if y0 <= y <= y1),
        f"M{LEFT} {TOP}V{foot}H{right}",
    )


def ticks(low: float, high: float) -> list[float]:
    """Round numbers about a range: steps of 1, 2 or 5 times a power of ten; the last at or above `high`."""
    if high <= low:
        low, high = low - 1, high + 1
    rough = (high - low) / TICKS
    size = 10 ** floor(log10(rough))
    step = next(size * n for n in (1, 2, 5, 10) if size * n >= rough * 0.999)
    first = floor(low / step + 1e-9)
    return [n * step for n in range(first, ceil(high / step - 1e-9) + 1)]


def label(value: float, among: list[float]) -> str:
    """A tick's number with as many decimals as its step needs."""
    step = among[1] - among[0] if len(among) > 1 else 1.0
    return f"{value:.{max(0, ceil(-log10(step) - 1e-9))}f}".replace("-", "−")


def apart(wanted: list[float]) -> list[float]:
    """Heights moved down as little as keeps words apart."""
    found = list(wanted)
    last = TOP - LINE_PX
    for n in sorted(range(len(wanted)), key=lambda i: wanted[i]):
        last = found[n] = max(wanted[n], last + LINE_PX)
    over = max(0.0, last - (HEIGHT - FOOT))
    return [round(y - over, 1) for y in found] if over else [round(y, 1) for y in found]
