"""The taps that a treatment is made of: an append-only list, each with its own id and moment."""

from typing import Literal, get_args
from uuid import UUID

from pydantic import AwareDatetime

from merak.core.working import Frozen

TapKind = Literal[
    "start",
    "count",
    "uncount",
    "pass",
    "next",
    "back",
    "go",
    "pause",
    "resume",
    "level",
    "comfort",
    "heat",
    "pain",
    "reading",
    "clean",
    "spot",
    "spot_read",
    "unlock",
    "take_over",
    "incident",
    "strike",
    "photo",
    "machine",
    "halt",
    "why",
    "leave",
    "stop",
    "finish",
    "reopen",
    "stroke",
    "unstroke",
]
KINDS: frozenset[str] = frozenset(get_args(TapKind))
#: Taps of earlier versions, as they stand in records.
OLD_NAMES = {"stroke": "count", "unstroke": "uncount"}


class TapData(Frozen):
    """What else belongs to a tap: of a reading, a spot, an incident or a photograph its zone; of a look at a spot its
    grades; of an incident the card, what was done, who was told; of a strike the incident's id; of what an instrument
    says its name (`source`); of a count of what is marked when it is seen its plate and where on it (`xy`, mm).

    The server's own: of who takes it in hand the name, of any tap the licences that its giver held (None: records of
    before do not say, there the holder's count), of a photograph its file and when it was taken.
    """

    zone: str = ""
    source: str = ""
    redness: int | None = None
    swelling: int | None = None
    pain: int | None = None
    mark: bool | None = None
    card: str = ""
    done: str = ""
    told: str = ""
    incident: str = ""
    plate: str = ""
    xy: tuple[float, float] | None = None
    name: str = ""
    licences: tuple[str, ...] | None = None
    file: str = ""
    when: str = ""


class Tap(Frozen):
    """One tap, from whoever gives it to the table and into the fold. `id` is the giver's, so that sending it again is
    harmless; `at` its moment; `act` the act that it was made in, None for the current one; `value` a place, a level, a
    heat word, a pain, °C or a setting, by kind; `words` what was said. `load` is the page load that it was made in and
    `mono_s` the reading of that load's steady clock (s).

    The server's own: `by` who gave it, `seq` its number in the server's order; where its moment had to be found, why
    (`marked`) and what was told (`told`); `own` for a tap that the server makes itself.
    """

    id: UUID
    kind: TapKind
    at: AwareDatetime
    value: float | None = None
    words: str = ""
    act: int | None = None
    data: TapData = TapData()
    load: UUID | None = None
    mono_s: float | None = None
    by: str = ""
    seq: int = 0
    marked: str = ""
    told: AwareDatetime | None = None
    own: bool = False


#: What only the server says of a tap.
SERVERS = frozenset({"by", "seq", "marked", "told", "own"})
SERVERS_DATA = frozenset({"name", "licences", "file", "when"})
