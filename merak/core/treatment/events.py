"""The taps that a treatment is made of: an append-only list, each with its own id and moment."""

from collections.abc import Mapping
from datetime import datetime
from types import MappingProxyType
from typing import Any, Literal, NamedTuple, get_args

TapKind = Literal[
    "start", "count", "uncount", "pass", "next", "back", "go", "pause", "resume", "level", "comfort", "heat", "pain", "reading", "clean",
    "spot", "spot_read", "unlock", "take_over", "incident", "strike", "photo", "machine", "halt", "why", "leave", "stop", "finish",
    "reopen", "stroke", "unstroke",
]  # fmt: skip
KINDS: frozenset[str] = frozenset(get_args(TapKind))
#: Taps of earlier versions, as they stand in records.
OLD_NAMES = {"stroke": "count", "unstroke": "uncount"}
NOTHING: Mapping[str, Any] = MappingProxyType({})


class Event(NamedTuple):
    """One tap. `at` is its moment (aware), `id` the browser's. `act` is the act that it was made in, None for the current one; `value`
    a level, a place, a heat word, a pain, °C or a setting, by kind; `words` what was said; `data` what else belongs to it, among it the
    licences that its giver held (records of before do not say: there the holder's count); `by` who.
    """

    id: str
    kind: str
    at: datetime
    value: float | None = None
    words: str = ""
    act: int | None = None
    data: Mapping[str, Any] = NOTHING
    by: str = ""
