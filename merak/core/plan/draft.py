"""A version of a plan as it is being made: what stands, what was typed and cannot be kept, who touched what last, the
way back.
"""

from pydantic import Field

from merak.core.plan.visit_plan import Plan
from merak.core.working import Frozen


class Touched(Frozen):
    """Who changed a step last, in which version, from which page, and what."""

    version: int
    by: str
    who: str
    what: str
    page: str = ""


class Draft(Frozen):
    """A version of a plan: the plan, what was typed and cannot be kept (by "step.field"), who touched what last;
    `changes` may be taken back and `undone` done again: by person, the versions that their changes made, each out of
    the version before it.
    """

    plan: Plan = Plan()
    typed: dict[str, str] = Field(default_factory=dict)
    wrong: dict[str, str] = Field(default_factory=dict)
    touched: dict[str, Touched] = Field(default_factory=dict)
    what: str = ""
    who: str = ""
    changes: dict[str, tuple[int, ...]] = Field(default_factory=dict)
    undone: dict[str, tuple[int, ...]] = Field(default_factory=dict)
