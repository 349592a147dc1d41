"""What fits with what in one visit, and in which order: the pairings of the rule book, held against a list of steps."""

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import Literal, NamedTuple

from pydantic import Field

from merak.core.knowledge import Pairing, about, all_of, book, methods, traits
from merak.core.knowledge.current import by_book
from merak.core.modality.catalogue import MODALITIES
from merak.core.working import Frozen

FitKind = Literal["apart", "before", "one", "alone", "needs", "earlier", "state", "need", "product", "guard"]


class Placed(NamedTuple):
    """One work of a step as the pairings see it: the step's id in the plan, the modality, the zones that it is worked
    on (none: all).
    """

    id: str
    modality: str
    zones: frozenset[str] = frozenset()

    def meets(self, other: "Placed") -> bool:
        """Whether the two share skin."""
        return not self.zones or not other.zones or bool(self.zones & other.zones)


class Clash(Frozen):
    """Steps that do not go together as they stand: which rule, which steps, in words, and what to do; of which stage it
    is said where it is of one, and what mends that: which work put before it, what it lays instead, or which zones
    remain to each stage that is kept `off` that skin.
    """

    kind: FitKind
    rule: str
    steps: tuple[str, ...]
    words: str
    action: str
    absolute: bool = False
    stage: str = ""
    mend: str = ""
    lay: str = ""
    off: dict[str, tuple[str, ...]] = Field(default_factory=dict)


def limit(rule_id: str, steps: Iterable[str], words: str, action: str, absolute: bool = False) -> Clash:
    """What a rule of the whole visit says against these steps."""
    return Clash(kind="apart", rule=rule_id, steps=tuple(steps), words=words, action=action, absolute=absolute)


Methods = Mapping[str, str]
#: The house's schools, all of them.
NO_METHODS: Methods = MappingProxyType({})


def chosen(of: Methods, method: str) -> str:
    """The school in force of a method: the plan's or studio's choice where there is such a one, else the house's."""
    schools = [school.id for school in methods()[method].schools]
    return of[method] if of.get(method) in schools else schools[0]


def holds(pairing: Pairing, newcomer: bool, of: Methods) -> bool:
    """Whether a pairing holds for this client, by the schools in force."""
    if pairing.newcomer and not newcomer:
        return False
    if pairing.unless and in_force(pairing.unless, of):
        return False
    return not pairing.only or in_force(pairing.only, of)


def in_force(condition: str, of: Methods) -> bool:
    """Whether a "method=school" is the one in force."""
    method, _, school = condition.partition("=")
    return chosen(of, method) == school


@by_book()
def _sets(pairing_id: str) -> tuple[frozenset[str], frozenset[str]]:
    found = next(one for one in book().pairing if one.id == pairing_id)
    return all_of(found.a), all_of(found.b)


def may_run_beside(host: str, guest: str, of: Methods) -> bool:
    """Whether a modality may run in the waiting time of another."""
    for pairing in book().pairing:
        if pairing.kind == "beside" and holds(pairing, False, of):
            a, b = _sets(pairing.id)
            if host in a and guest in b:
                return True
    return False


def clashes(steps: Sequence[Placed], newcomer: bool, of: Methods) -> tuple[Clash, ...]:
    """Everything that does not fit, in the order of the rule book."""
    found: list[Clash] = []
    named = frozenset(one.modality for one in steps)
    for pairing, a, b in _holding(newcomer, tuple(sorted(of.items()))):
        if not named.isdisjoint(a):  # whatever it says, it says of one of these
            found += _CHECKS[pairing.kind](pairing, a, b, steps)
    return tuple(found)


@by_book(64)
def _holding(
    newcomer: bool, of: tuple[tuple[str, str], ...]
) -> tuple[tuple[Pairing, frozenset[str], frozenset[str]], ...]:
    """The pairings between steps that hold for this client, by the schools in force, with what they speak of."""
    between = (one for one in book().pairing if one.kind != "beside" and holds(one, newcomer, dict(of)))
    return tuple((pairing, *_sets(pairing.id)) for pairing in between)


def title(modality: str) -> str:
    """A modality as it is called on screen."""
    return about()[modality].title


def set_to(modality: str, at: float | None) -> str:
    """A modality that was done, with where it was set, and in what where the setting says so."""
    if at is None or modality not in MODALITIES:
        return title(modality)
    module = MODALITIES[modality]
    extra = module.Settings.model_fields[module.INCREMENT.field].json_schema_extra
    unit = f" {extra['unit']}" if isinstance(extra, dict) and "unit" in extra else ""
    return f"{title(modality)} {at:g}{unit}"


def _clash(pairing: Pairing, steps: Iterable[Placed], action: str) -> Clash:
    named = tuple(steps)
    return Clash(
        kind=pairing.kind if pairing.kind != "beside" else "apart",
        rule=pairing.id,
        steps=tuple(dict.fromkeys(one.id for one in named)),
        words=pairing.words,
        action=action,
        absolute=pairing.absolute,
    )


def _apart(pairing: Pairing, a: frozenset[str], b: frozenset[str], steps: Sequence[Placed]) -> list[Clash]:
    return [
        _clash(pairing, (one, other), f"{title(one.modality)} or {title(other.modality)}: keep one.")
        for one in steps
        if one.modality in a
        for other in steps
        if other.modality in b and other is not one
    ]


def _one(pairing: Pairing, a: frozenset[str], b: frozenset[str], steps: Sequence[Placed]) -> list[Clash]:
    meant = [one for one in steps if one.modality in a]
    return (
        [_clash(pairing, meant, f"Keep one of {', '.join(title(one.modality) for one in meant)}.")]
        if len(meant) > 1
        else []
    )


def _before(pairing: Pairing, a: frozenset[str], b: frozenset[str], steps: Sequence[Placed]) -> list[Clash]:
    return [
        _clash(pairing, (later, early), f"Move {title(later.modality)} before {title(early.modality)}.")
        for n, early in enumerate(steps)
        if early.modality in b
        for later in steps[n + 1 :]
        if later.modality in a
    ]


def _alone(pairing: Pairing, a: frozenset[str], b: frozenset[str], steps: Sequence[Placed]) -> list[Clash]:
    return [
        _clash(pairing, (one, other), f"{title(one.modality)} or {title(other.modality)}: keep one.")
        for one in steps
        if one.modality in a
        for other in steps
        if other.modality not in b and other.modality not in a
    ]


def _needs(pairing: Pairing, a: frozenset[str], b: frozenset[str], steps: Sequence[Placed]) -> list[Clash]:
    if any(step.modality in b for step in steps):
        return []
    wanted = " or ".join(sorted(title(name) for name in b))
    return [_clash(pairing, (one,), f"Add {wanted}.") for one in steps if one.modality in a]


_CHECKS = {
    "apart": _apart,
    "one": _one,
    "before": _before,
    "alone": _alone,
    "needs": _needs,
}


def rank(modality: str, of: Methods) -> int:
    """Where a modality stands in the order, with the schools that are in force."""
    for method in methods().values():
        for school in method.schools:
            if modality in school.rank and chosen(of, method.id) == school.id:
                return school.rank[modality]
    return traits()[modality].rank
