"""A modality that nobody has, from two files in a folder: taken through a visit by a program of its own, since
modalities are found when a program starts. `python -m builders.made_up FOLDER [LEFT OUT]` prints what was seen.
"""

import json
import sys
from datetime import UTC, timedelta
from pathlib import Path
from typing import Any

NAME = "bubble_comb"

CODE = '''"""A comb of bubbles."""

from collections.abc import Iterable, Mapping
from typing import Any, ClassVar

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(__name__, "%: bubble_comb.start\\nmin: bubble_comb.longest bubble_comb.minutes\\nkPa: bubble_comb.most")

NAME = "bubble_comb"
CARD = scaled(NAME, "kPa")
INCREMENT = Increment("at")
AMOUNT = Amount("pressure")
WAYS = Ways(tags=frozenset({"bubbles.long"}))


class Settings(Base):
    """What is set."""

    at: float = Field(ge=0, le=100, title="Set to")
    minutes: float = Field(4, ge=0.5, le=30, title="Minutes", json_schema_extra={"unit": "min"})

    GONE: ClassVar[frozenset[str]] = frozenset({"force"})

    @classmethod
    def upgraded(cls, before: Mapping[str, Any]) -> list[dict[str, Any]]:
        """What it is set to was its force, a tenth of it."""
        force = {"at": before["force"] / 10} if "force" in before else {}
        return [{key: value for key, value in before.items() if key != "force"} | force]

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Long bubbling."""
        return ("bubbles_long",) * (self.minutes > 6)

    def tags(self) -> tuple[str, ...]:
        """Long bubbling."""
        return ("bubbles.long",) * (self.minutes > 6)


def start(card: MachineCard, subject: Subject) -> Start:
    """Low on the scale."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least, minutes=number(f"{NAME}.minutes")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Pressure and minutes."""
    judge = Judge()
    judge.most(f"{NAME}.most", physical(judge, "pressure", card, settings.at), "at")
    time = as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes")
    judge.tell("minutes", time)
    judge.gives("bubbles", time, f"{NAME}.longest", "minutes")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section."""
    return by_the_clock(make, "Comb off.")
'''

#: Its lines of the rule book, each by what it is.
LINES = {
    "modality": """
[[modality]]
id = "bubble_comb"
title = "Bubble comb"
group = "cold and touch"
groups = ["ENERGY", "SCREENED"]
work = "bubble_comb"
words = "A comb of bubbles."
reason = "Bubbles knead."
technique = ["Comb upward.", "Never still."]
endpoint = "Softer skin."
stop = ["Pain."]
consumables = ["bubble water"]
source = "House default"
mark = "H"
tags = ["bubbles"]
plates = ["face"]
""",
    "trait": """
[[trait]]
id = "trait.bubble_comb"
modality = "bubble_comb"
rank = 70
load = 1
hands_min = 1
settle_h = 2
feel = "a tickle"
price = 20
words = "Place in the order, load on the skin, time to settle."
reason = "The house's."
source = "House default"
mark = "H"
""",
    "on_skin": """
[[on_skin]]
id = "on_skin.bubble_comb"
modality = "bubble_comb"
leaves = { thinned = 1 }
bears = { thinned = 2, heated = 1, calmed = 1 }
words = "It buffs a little, on skin that is whole."
reason = "The house's."
source = "House default"
mark = "H"
""",
    "help": """
[[help]]
id = "help.bubble_comb.puffiness"
modality = "bubble_comb"
condition = "puffiness"
rank = 9
evidence = "strong"
""",
    "programme": """
[[programme]]
id = "bubble_comb.up_and_down"
modality = "bubble_comb"
words = "Up, then down"
reason = "Bubbles rise."
source = "House default"
mark = "H"
stages = [
  { set = { minutes = 3 }, zones = ["mid cheek"], laying = "lines", often = "up" },
  { set = { minutes = 2 }, zones = ["mid cheek"], laying = "lines", often = "down", off = "water", warmth = "cool" },
]
""",
    "work": """
[[work]]
id = "bubble_comb"
words = "a comb of bubbles"
manner = "area"
reason = "Over an area at once."
source = "House default"
mark = "H"
""",
    "margin": """
[[margin]]
id = "bubble_comb.margin.hairline"
words = "Keep half a finger from the hairline."
works = ["bubble_comb"]
keep_from = "hairline"
value = 0.5
reason = "Bubbles tangle."
source = "House default"
mark = "H"
""",
    "aspect": """
[[aspect]]
id = "bubbles_long"
of = "bubble_comb"
words = "Long bubbling."
reason = "It dries."
source = "House default"
mark = "H"
""",
    "halting": """
[[halting]]
id = "halting.bubble_comb"
modalities = ["bubble_comb"]
words = "Comb off, water off."
reason = "First the energy, then the talk."
source = "House default"
mark = "H"
""",
    "advice": """
[[topic]]
id = "bubbles"
weight = "avoid"
sign = "water"
ladder = ["No bubble bath.", "No bath at all."]

[[advice]]
id = "after.bubbles"
tags = ["bubbles"]
topic = "bubbles"
until_h = 24
reason = "Enough bubbles for a day."
source = "House default"
mark = "H"

[[advice]]
id = "after.bubbles.long"
tags = ["bubbles.long"]
topic = "bubbles"
step = 1
until_h = 48
reason = "Enough for two."
source = "House default"
mark = "H"
""",
    **{
        f"rule {key}": f"""
[[rule]]
id = "bubble_comb.{key}"
words = "Bubbles: {{value}} {unit}."
value = {value}
unit = "{unit}"
reason = "Enough."
source = "House default"
mark = "H"
"""
        for key, value, unit in (("start", 20, "%"), ("minutes", 4, "min"), ("longest", 10, "min"), ("most", 3, "kPa"))
    },
}


def written(folder: Path, left_out: str = "") -> None:
    """The two files; without one of their lines."""
    (folder / f"{NAME}.py").write_text(CODE)
    (folder / f"{NAME}.toml").write_text("\n".join(text for name, text in LINES.items() if name != left_out))


def added(folder: Path) -> None:
    """The folder as one more of modalities, before anything else is loaded. Raises KnowledgeError where the book is not
    closed with it.
    """
    import merak.core.modality
    from merak.core import knowledge

    merak.core.modality.__path__.append(str(folder))
    knowledge.MODALITY_FOLDERS.append(folder)
    import merak.server
    from merak.core.closed import demand_closed

    demand_closed()


def visited() -> dict[str, Any]:
    """What a visit with it shows, from screening to the next start."""
    from builders.work import AGREED, GRADED, MONDAY, as_, ask_nothing, later, looked_twice, new_visit, tap_of
    from merak.core.knowledge import halting
    from merak.core.plan.draft import Draft
    from merak.records import db, people, visits
    from merak.records.bodies import read
    from merak.records.bodies.visit import SheetBody
    from merak.services.after import closing
    from merak.services.context import Context
    from merak.services.studio import machines
    from merak.services.treatment import treating
    from merak.services.visit import asking, consenting, day, looking, planning
    from merak.services.visit.file import find_visit

    found: dict[str, Any] = {}
    with db.work_session() as session:
        owner = people.by_login(session, "adaeze")
        assert owner
        ctx = Context(session, people.Worker(owner.id, owner.name, owner.role), MONDAY.astimezone(UTC))
        comb = {"modality": NAME, "name": "Comb", "scale": "step", "least": "1", "most": "10", "step": "1"}
        machines.add_device(as_(ctx, "marit"), comb | {"points": "1 0.5\n10 4"})
        visit = new_visit(ctx, minutes="90", name="Combed Invented")
        asked = ask_nothing(ctx, visit, pregnancy="pregnant")
        found["stopped"] = asked.file.brief.board[NAME].verdict
        asked = ask_nothing(ctx, visit)
        found["asked"] = asked.file.brief.board[NAME].verdict
        looking.save_findings(ctx, visit, {"phototype": "2"})
        looking.tap_zone(ctx, visit, "puffiness", "right mid cheek")
        proposed = planning.planned(ctx, visit, propose=True).proposed
        found["proposed"] = any(support.modality == NAME for one in proposed for support in one.supports)
        for modality in ("cleanse", NAME, "finish"):
            page = planning.edit(ctx, visit, "add", {"modality": modality})
        step = next(one for one in page.plan.steps if one.modality == NAME)
        page = planning.edit(ctx, visit, "set", {"step": step.id, f"{step.id}.at": "10", "changed": f"{step.id}.at"})
        found["refused"] = [one.rule for one in page.computed.refused.values()]
        for key, value in (("at", "2"), ("minutes", "8")):
            sent = {"step": step.id, f"{step.id}.{key}": value, "changed": f"{step.id}.{key}"}
            page = planning.edit(ctx, visit, "set", sent)
        again = planning.edit(ctx, visit, "again", {"stage": step.id})
        found["summed"] = [(one.rule, one.words.partition(".")[0]) for one in again.computed.clashes]
        planning.edit(ctx, visit, "undo", {})
        up = planning.edit(ctx, visit, "programme", {"step": step.id, "programme": f"{NAME}.up_and_down"})
        found["programme"] = [
            (stage.settings.minutes, stage.zones, stage.how.often) for stage in up.plan.of(step.id).stages
        ]
        found["given"] = up.computed.numbers[f"sums-{step.id}.bubbles"].text
        page = planning.edit(ctx, visit, "undo", {})
        found["startable"] = page.computed.startable
        consenting.consent(ctx, visit, AGREED)
        treating.begin(ctx, visit)
        run = treating.run_of(ctx, visit)
        found["acts"] = [(act.title, act.kind, act.over) for act in run.acts if act.step == step.id]
        found["halt"] = halting(NAME)
        taps = [tap_of("start", ctx.now)]
        for n, act in enumerate(run.acts):
            taps += [tap_of("count", ctx.now) for _ in range(act.strokes)]
            taps.append(tap_of("next" if n + 1 < len(run.acts) else "finish", ctx.now + timedelta(minutes=8 * n)))
        treating.record(later(ctx, minutes=40), visit, taps)
        after = later(ctx, hours=1)
        looked_twice(after, visit)
        closing.close(after, visit, GRADED | {f"endpoint.{NAME}": "seen"})
        kept = visits.standing(session, visit, SheetBody)
        found["sheet"] = [line.words for line in kept.lines if line.topic == "bubbles"] if kept else []
        weeks = later(ctx, days=21)
        again = new_visit(weeks, day.listed(find_visit(ctx, visit).client), MONDAY + timedelta(days=21), minutes="90")
        before = asking.asked(weeks, again).file.history[NAME]
        found["history"] = [before.at, before.endpoint_seen]
        stage = {"id": "s1", "modality": NAME, "settings": {"force": 30, "minutes": 5}}
        old = {"v": 2, "plan": {"steps": [{"id": "s1", "modality": NAME, "stages": [stage]}]}}
        found["upgraded"] = read(Draft, json.dumps(old)).plan.stages[0].values
    return found


def lacking(folder: Path) -> dict[str, list[str]]:
    """Line that is left out → what is wrong with the rule book then."""
    from merak.core import knowledge
    from merak.core.closed import faults

    found = {}
    for name in LINES:
        written(folder, left_out=name)
        knowledge.written.cache_clear()
        found[name] = [str(one) for one in faults(knowledge.told(knowledge.written()))]
    return found


if __name__ == "__main__":
    added(Path(sys.argv[1]))
    print(json.dumps(visited() if len(sys.argv) < 3 else lacking(Path(sys.argv[1]))))
