"""A plan in time as two lanes: what hands do, and what runs beside it, with the gaps between."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from merak.core.acts import Span
from merak.core.after.differences import clock

#: A figure on the scale every so many seconds.
FIGURE_S = 600


@dataclass(frozen=True)
class Stretch:
    """A stretch of a lane, s; of a gap only its length, of a step its id, title, looks, its number in time, and the
    seconds of each of its stages.
    """

    seconds: int
    step: str = ""
    title: str = ""
    looks: str = ""
    beside: bool = False
    number: int = 0
    stages_s: tuple[int, ...] = ()

    @property
    def told(self) -> str:
        """In words."""
        several = f", {len(self.stages_s)} stages" if len(self.stages_s) > 1 else ""
        return f"{self.title}, {clock(self.seconds)}{several}"


@dataclass(frozen=True)
class Lanes:
    """Both lanes, the second only where something runs beside; the scale: its figures, min, each with the seconds up to
    the next or the end.
    """

    seconds: int
    tracks: tuple[tuple[Stretch, ...], ...]
    scale: tuple[tuple[int, int], ...]


def lanes(spans: Sequence[Span], seconds: int, trouble: Iterable[str] = (), chosen: str = "") -> Lanes:
    """The lanes of a plan that takes so long; `trouble` are the steps with something wrong,
    `chosen` is the open one.
    """
    wrong = frozenset(trouble)
    in_time = sorted(spans, key=lambda span: (span.start_s, span.track))
    numbers = {span.step: n for n, span in enumerate(in_time, 1)}
    tracks = tuple(_track([span for span in spans if span.track == n], seconds, wrong, chosen, numbers) for n in (0, 1))
    beside = tracks if any(span.track for span in spans) else tracks[:1]
    marks = range(0, seconds + 1, FIGURE_S)
    return Lanes(seconds, beside, tuple((at // 60, min(FIGURE_S, seconds - at)) for at in marks))


def _track(
    spans: Sequence[Span], seconds: int, wrong: frozenset[str], chosen: str, numbers: dict[str, int]
) -> tuple[Stretch, ...]:
    found, at = [], 0
    for span in spans:
        if span.start_s > at:
            found.append(Stretch(span.start_s - at))
        looks = {"waits": span.waits, "stopped": span.step in wrong, "here": span.step == chosen}
        words = " ".join(look for look, so in looks.items() if so)
        found.append(
            Stretch(span.seconds, span.step, span.title, words, bool(span.track), numbers[span.step], span.stages_s)
        )
        at = span.start_s + span.seconds
    return (*found, Stretch(seconds - at)) if seconds > at else tuple(found)
