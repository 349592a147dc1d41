"""Records of before: a studio that version 0 of every body wrote opens, shows, folds and closes as it did then,
whatever the rule book says today. The fixture was written by that version: its rows, and what it made of them.
"""

import gzip
import json
from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from pydantic import ValidationError
from sqlalchemy import create_engine, text
from sqlalchemy.orm import Session

from builders.database import of_before
from builders.orders import LICENSED, LIFT, PINS, PULSES, TO_PULSES, WARM, at, run
from merak.core import knowledge
from merak.core.after.differences import differences
from merak.core.knowledge import Rule
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.footing import most_counted
from merak.core.treatment import act_facts, fold, following, locked, pace
from merak.core.treatment.facts import delivered
from merak.records import db, exposures, people
from merak.records.bodies import PHASES, read, written
from merak.records.bodies.task import TASKS, SaidAfter
from merak.records.bodies.upgrades import UPGRADES, VERSIONS, upgraded, versioned, with_actions
from merak.records.people import Worker
from merak.services.after import closing, tasks
from merak.services.clients import progress
from merak.services.clients.exposures import given_in
from merak.services.context import Context
from merak.services.treatment import treating
from merak.services.treatment.standing import state_of
from merak.services.visit import asking, consenting, looking, planning

FIXTURES = Path(__file__).parent.parent / "fixtures"
#: Version 0's names of what a state holds.
THEN = {"status": "phase", "act": "step"}


@pytest.fixture(scope="module")
def told() -> dict[str, Any]:
    """What version 0 made of its rows."""
    found: dict[str, Any] = json.loads(gzip.decompress((FIXTURES / "version-0.json.gz").read_bytes()))
    return found


@pytest.fixture(scope="module")
def before(worker_id: str, told: dict[str, Any]) -> Iterator[Context]:
    """Adaeze in the studio of version 0, at the moment at which it was written."""
    address = of_before(f"merak_before_{worker_id}", "0007", FIXTURES / "version-0.sql.gz")
    engine = create_engine(
        address.replace("postgresql://", "postgresql+psycopg://"),
        isolation_level="AUTOCOMMIT",
        connect_args=db.PLANNING,
    )
    with Session(engine) as session:
        found = people.by_login(session, "adaeze")
        assert found
        yield Context(session, Worker(found.id, found.name, found.role), datetime.fromisoformat(told["now"]))
    engine.dispose()


def plain(value: Any) -> Any:
    """A value as the fixture tells it."""
    if is_dataclass(value) and not isinstance(value, type):
        return {
            THEN.get(one.name, one.name): plain(getattr(value, one.name)) for one in fields(value) if one.name != "seen"
        }
    if hasattr(value, "_asdict"):
        return plain(value._asdict())
    if hasattr(value, "model_dump"):
        told = value.model_dump(mode="json")
        later = ("at_most", "seen", "by_part")
        assert not any(told.pop(key, None) for key in later), "nothing was planned by its most then, and marked"
        return plain({THEN.get(key, key): one for key, one in told.items()})
    if isinstance(value, dict):
        return {str(key): plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    if isinstance(value, set | frozenset):
        return sorted(map(str, value))
    return value.astimezone(UTC).isoformat() if isinstance(value, datetime) else value


@pytest.fixture(params=["today's rule book", "another rule book"])
def any_book(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    if request.param != "today's rule book":
        shift_every_rule(monkeypatch)


def shift_every_rule(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every number of the rule book is another one, and every rule says something else."""

    def other(one: Rule) -> Rule:
        return one.model_copy(
            update={"value": None if one.value is None else one.value * 1.37 + 0.9, "words": f"otherwise: {one.words}"}
        )

    shifted = {key: other(one) for key, one in knowledge._rules().items()}
    monkeypatch.setattr(knowledge, "_rules", lambda: shifted)


@pytest.mark.usefixtures("any_book")
def test_what_ran_stays_what_it_was(before: Context, told: dict[str, Any]) -> None:
    assert len(told["visits"]) > 30
    treating.forget()
    for visit, was in told["visits"].items():
        run_ = treating.run_of(before, UUID(visit))
        assert plain(run_.state) == was["state"], visit
        assert run_.order.booked_s == was["booked"]
        assert [[one.kind, one.title, one.instruction, one.seconds, one.step] for one in run_.acts] == was["acts"]
        facts = act_facts(run_.order, run_.state, before.now)
        assert plain(facts) == was["facts"]
        stopped = run_.state.reason if run_.state.status == "stopped" else ""
        assert plain(differences(run_.order, facts, stopped)) == was["differences"]


def test_every_visit_of_before_opens_and_closes_the_same(before: Context, told: dict[str, Any]) -> None:
    treating.forget()
    for visit, was in told["visits"].items():
        page = closing.closing(before, UUID(visit))
        tags = [tag for tag in page.tags if tag not in ("reddening", "open_skin")]  # these say themselves what follows
        assert (str(page.file.visit.status), list(page.begun), tags) == (
            was["status"],
            was["begun"],
            was["tags"],
        )
        assert page.sheet and state_of(page.run) if page.run else True
        assert asking.asked(before, UUID(visit)).file.records and looking.looked(before, UUID(visit)).file
        assert planning.planned(before, UUID(visit)).plan.steps, "an old plan has its steps"
        assert consenting.consent_sheet(before, UUID(visit)).file
        assert progress.progress(before, page.file.visit.client_id).curves is not None
    assert tasks.due(before), "old tasks are told"


def test_what_was_given_before_it_was_kept_is_unknown_and_counts(before: Context, told: dict[str, Any]) -> None:
    """Each work that counts for how soon it may come again has its lines, on the skin that was ordered."""
    closed = exposures.closed_visits(before.db)
    assert len(closed) == sum(was["status"] == "closed" for was in told["visits"].values())
    lines = [one for _, client, _ in closed for one in exposures.of_client(before.db, client)]
    assert lines and all(one.given.amount is None and not one.given.measured for one in lines)
    assert all(one.given.agent in (most_counted(one.given.modality) or [one.given.modality]) for one in lines)
    assert all(one.given.on and one.given.zones for one in lines)
    at = {visit: (client, start) for visit, client, start in closed}
    for one in lines:
        assert one.visit_id in at and one.given == next(
            each
            for each in given_in(before.db, one.visit_id, at[one.visit_id][1], before.zone)
            if each.agent == one.given.agent and each.modality == one.given.modality
        )


ORDERS = {
    "lift": (
        LIFT,
        [
            ("start", 0),
            ("next", 60),
            *[("count", 61 + n) for n in range(9)],
            ("pain", 80, 6.5),
            ("heat", 90, 2.5),
            ("stop", 99),
        ],
    ),
    "pins": (
        PINS,
        [
            *TO_PULSES,
            ("spot", 10, None, {"zone": "right jawline"}),
            ("spot_read", 400, None, {"redness": 2}),
            ("count", 410),
            ("count", 420),
        ],
    ),
    "warm": (
        WARM,
        [("start", 0), ("next", 1), ("reading", 2, 41.0, {"zone": "right cheek"}), ("heat", 9, 3.5), ("pain", 10, 7.0)],
    ),
}


@pytest.mark.parametrize("name", ORDERS)
def test_the_fold_reads_its_order_and_nothing_else(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    order, taps = ORDERS[name]

    def all_of_it() -> list[Any]:
        state = fold(order, run(*taps))
        locks = [locked(order, state, n) for n in range(len(order.acts))]
        return [
            plain(state),
            locks,
            following(order, state),
            pace(order, state, at(9999)),
            act_facts(order, state, at(9999)),
            delivered(order, state, at(9999)),
        ]

    then = all_of_it()
    shift_every_rule(monkeypatch)
    assert all_of_it() == then
    assert PULSES and LICENSED


def test_a_body_says_its_version_and_a_later_one_is_refused() -> None:
    for phase, version in VERSIONS.items():
        assert len(UPGRADES[phase]) == version, "one upgrader a version"
        assert upgraded(phase, versioned(phase, {"kept": 1})) == {"kept": 1}
        with pytest.raises(ValueError, match="later version"):
            upgraded(phase, {"v": version + 1})


@pytest.mark.parametrize(
    ("modality", "flag"),
    [
        ("cold", "heat_follows"),
        ("nano", "peel_today"),
        ("micro_needling", "acids_today"),
        ("rf_bulk", "numbed"),
        ("focused_lifting", "numbed"),
        ("oxygen_mask", "numbed_today"),
    ],
)
def test_what_the_plan_sees_by_itself_is_read_past_in_older_settings(modality: str, flag: str) -> None:
    """Settings said that the skin was numbed, or an acid used; they say it no more, and nobody may say it to them."""
    settings = MODALITIES[modality].Settings
    kept = {"at": 1} if "at" in settings.model_fields else {}
    steps = [{"stages": [{"modality": modality, "settings": kept | {flag: True}}]}]
    for phase, body in (("plan", {"plan": {"steps": steps}}), ("order", {"plan": {"steps": steps}})):
        found = UPGRADES[phase][-1](body)["plan"]["steps"][0]["stages"][0]["settings"]
        assert found == kept and settings.model_validate(found)
    assert UPGRADES["routine"][-1]({"steps": steps})["steps"][0]["stages"][0]["settings"] == kept
    with pytest.raises(ValidationError, match="Extra inputs"):
        settings.model_validate(kept | {flag: True})


def left_out(was: Any, now: Any, where: str = "") -> list[str]:
    """Where something of what was kept is not in what is kept now."""
    if isinstance(was, dict):
        return [one for key in was for one in left_out(was[key], now.get(key, "gone"), f"{where}.{key}")]
    if isinstance(was, list):
        return [
            one
            for n, value in enumerate(was)
            for one in left_out(value, now[n] if n < len(now) else "gone", f"{where}[{n}]")
        ]
    return [] if was == now or moment_of(was) == moment_of(now) is not None else [f"{where}: {was!r} is {now!r}"]


def moment_of(value: Any) -> datetime | None:
    try:
        return datetime.fromisoformat(value)
    except (TypeError, ValueError):
        return None


def test_every_body_of_before_is_read_whole_and_written_whole(before: Context) -> None:
    models, seen = {phase: model for model, phase in PHASES.items()}, set()
    for phase, raw in before.db.execute(text("SELECT phase, body FROM record")):
        kept = read(models[phase], json.dumps(raw))
        again = written(kept)
        assert read(models[phase], again) == kept, "it is read as it was written"
        assert left_out(upgraded(phase, raw), json.loads(again)) == [], phase
        seen.add(phase)
    assert seen == models.keys() - {"margins", "overrides", "photos_after"}
    for kind, body, answer in before.db.execute(text("SELECT kind, body, answer FROM task")):
        about, came = TASKS[kind]
        assert left_out(upgraded("task", body), json.loads(written(read(about, json.dumps(body))))) == []
        if answer is not None:
            found = came.model_validate(answer)
            assert left_out(with_actions(answer), found.model_dump(mode="json")) == []
            alarms = found.alarms if isinstance(found, SaidAfter) else ()
            assert [one.action for one in alarms] == [one["act"] for one in answer.get("alarms", ())]
