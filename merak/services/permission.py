"""Who may do what: one function, asked everywhere."""

from typing import Literal, Protocol, get_args

from merak.core.errors import MerakError

Role = Literal["owner", "senior", "therapist", "assistant", "front desk"]
ROLES: tuple[Role, ...] = get_args(Role)
Action = Literal[
    "see the day",
    "book",
    "read notes",
    "ask",
    "look",
    "plan",
    "treat",
    "close",
    "amend",
    "narrow a margin",
    "override",
    "keep letters",
    "keep routines",
    "use the bench",
    "run the practice",
]

_DESK: frozenset[Action] = frozenset({"see the day", "book"})
_HANDS: frozenset[Action] = _DESK | {
    "read notes",
    "ask",
    "look",
    "treat",
    "close",
    "amend",
    "keep letters",
    "use the bench",
}
_MAY: dict[str, frozenset[Action]] = {
    "front desk": _DESK,
    "assistant": _HANDS,
    "therapist": _HANDS | {"plan", "keep routines"},
    "senior": _HANDS | {"plan", "keep routines", "narrow a margin", "override"},
    "owner": _HANDS | {"plan", "keep routines", "narrow a margin", "override", "run the practice"},
}
#: What changes a visit; a closed visit is sealed against all of it.
_WRITES: frozenset[Action] = frozenset({"ask", "look", "plan", "treat", "close", "narrow a margin", "override"})


class Denied(MerakError):
    """This person may not do this."""


class Sealed(MerakError):
    """The visit is closed: its record stands as it is."""


class Someone(Protocol):
    """Anyone with a role."""

    @property
    def role(self) -> str:
        """One of ROLES."""


class Sealable(Protocol):
    """Anything with a status."""

    @property
    def status(self) -> str:
        """ "closed" seals it."""


def may(person: Someone, action: Action, thing: Sealable | None = None) -> bool:
    """Whether a person may do this, with this thing."""
    sealed = action in _WRITES and thing is not None and thing.status == "closed"
    return action in _MAY.get(person.role, frozenset()) and not sealed


def rights(person: Someone, thing: Sealable | None = None) -> dict[str, bool]:
    """What a person may do, with this thing, by action; spaces of its name are strokes below."""
    return {action.replace(" ", "_"): may(person, action, thing) for action in get_args(Action)}


def demand(person: Someone, action: Action, thing: Sealable | None = None) -> None:
    """Raises Denied or Sealed unless they may."""
    if may(person, action, thing):
        return
    if thing is not None and may(person, action):
        raise Sealed("This visit is closed. Its record stands as it is.")
    raise Denied(f"Your role, {person.role}, does not include this: {action}.")
