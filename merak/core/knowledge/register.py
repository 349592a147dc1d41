"""What code reads of the rule book: every module names its rules, with the unit that it reckons in, and the other
entries that it speaks of by id.

The rule book is held against this register before anything is served (`closed`): what is named has to be there, in that
unit, and a rule that nobody names is dead. `number()` gives out nothing that nobody registered.
"""

from typing import NamedTuple

#: For rules that are read as words, and carry no number.
WORDS = "words"


class Need(NamedTuple):
    """An entry that a module names: its kind and id, and the unit of a rule's number, `WORDS` where it has none."""

    module: str
    kind: str
    entry: str
    unit: str = ""


_NEEDS: list[Need] = []
_RULES: set[str] = set()


def needs(module: str, rules: str = "", **others: tuple[str, ...]) -> None:
    """Registers what a module reads. `rules` has a line for each unit, "°C: rf_bulk.stop rf_bulk.target", `others` the
    ids of other entries by their kind.
    """
    for line in rules.strip().splitlines():
        unit, _, ids = line.partition(":")
        _NEEDS.extend(Need(module, "rule", one, unit.strip()) for one in ids.split())
        _RULES.update(ids.split())
    _NEEDS.extend(Need(module, kind, one) for kind, ids in others.items() for one in ids)


def registered() -> tuple[Need, ...]:
    """Everything that the modules which were loaded so far read."""
    return tuple(_NEEDS)


def is_read(rule_id: str) -> bool:
    """Whether a module registered this rule."""
    return rule_id in _RULES
