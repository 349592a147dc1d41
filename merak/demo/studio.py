"""An invented studio in an invented place: five people, fourteen machines, a dozen clients, and a day that is always
today.

Everything goes through the services, as a person would do it: past visits were asked, looked at, planned, treated and
closed.
"""

from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from math import cos, pi, sin
from uuid import UUID
from zoneinfo import ZoneInfo

from uuid_utils.compat import uuid7

from merak.core.errors import Refused
from merak.core.plan.screening import questions
from merak.core.treatment import Tap, TapData, TapKind
from merak.demo.portrait import portrait
from merak.records import db as database
from merak.records import people, tasks
from merak.records.bodies.task import AskTask
from merak.records.people import Worker
from merak.records.tables import Base, Client, Course, Device, Person, Studio
from merak.services.after import answering, closing, follow_ups
from merak.services.clients import given
from merak.services.context import Context
from merak.services.studio.machines import CARD
from merak.services.studio.signing_in import HASHER
from merak.services.treatment import treating
from merak.services.visit import asking, consenting, looking, marking, picturing, planning, scaling
from merak.services.visit.day import COURSE_NAME, add_visit
from merak.services.visit.file import open_file

PASSWORD = "vesper-quay"  # noqa: S105
ZONE = ZoneInfo("Europe/Lisbon")
STAFF: dict[str, tuple[str, str, float | None, list[str]]] = {
    "marit": ("Marit Solheim", "owner", 15.0, ["pulsed light", "fractional", "focused", "micro depth"]),
    "adaeze": ("Adaeze Okonjo", "senior", 16.0, ["pulsed light", "fractional"]),
    "tomas": ("Tomas Reyle", "therapist", 17.5, []),
    "lin": ("Lin Farrow", "assistant", None, []),
    "joost": ("Joost Amber", "front desk", None, []),
}
SIGN_INS = [f"{login:<8}{role:<12}{PASSWORD}" for login, (_, role, _, _) in STAFF.items()]
CARDS = (
    {
        "modality": "microcurrent",
        "name": "two-probe lift unit",
        "levels": 10,
        "contact_cm2": 1.3,
        "calibration": [[1, 40], [2, 90], [3, 150], [5, 300], [7, 520], [10, 1150]],
        "isolated": True,
    },
    {
        "modality": "led",
        "name": "red folding panel",
        "wavelength_nm": 633,
        "points": [[5, 96], [10, 62], [15, 41], [25, 20]],
        "colours": {
            "blue": [[5, 44], [10, 29], [15, 19], [25, 9]],
            "near-infrared": [[5, 60], [10, 40], [15, 27], [25, 13]],
        },
    },
    {
        "modality": "rf_bulk",
        "name": "warm gliding unit",
        "calibration": [[1, 4], [4, 14], [7, 26], [10, 42]],
        "tips": [{"name": "face tip", "across_mm": 20, "down_mm": 20, "round": True}],
        "cleaned": "tip wiped with the maker's wipes",
    },
    {
        "modality": "ultrasound",
        "name": "small sound head",
        "calibration": [[1, 0.1], [5, 0.5], [10, 1.2]],
        "tips": [{"name": "head", "across_mm": 26, "down_mm": 26, "round": True, "cm2": 4}],
    },
    {
        "modality": "iontophoresis",
        "name": "galvanic unit",
        "scale": "mA",
        "least": 0.1,
        "most": 5,
        "step": 0.1,
        "tips": [{"name": "roller", "across_mm": 25, "down_mm": 20, "cm2": 5}],
    },
    {
        "modality": "pulsed_light",
        "name": "filtered flash lamp",
        "scale": "J/cm²",
        "least": 8,
        "most": 32,
        "step": 1,
        "tips": [
            {"name": "large crystal", "across_mm": 15, "down_mm": 35},
            {"name": "small crystal", "across_mm": 8, "down_mm": 15},
        ],
        "by_phototype": {"1": 30, "2": 28, "3": 22, "4": 16, "5": 12},
    },
    {
        "modality": "muscle_stimulation",
        "name": "four-output stimulator",
        "scale": "mA",
        "least": 0,
        "most": 60,
        "step": 1,
        "tips": [{"name": "thigh band", "across_mm": 100, "down_mm": 50}],
        "isolated": True,
    },
    {
        "modality": "ear_clips",
        "name": "resting unit",
        "scale": "µA",
        "least": 0,
        "most": 400,
        "step": 10,
        "isolated": True,
    },
    {
        "modality": "rf_fractional",
        "name": "pin unit",
        "scale": "W",
        "least": 1,
        "most": 15,
        "step": 1,
        "tips": [{"name": "49 pins", "across_mm": 10, "down_mm": 10, "pins": 49, "single_use": True}],
    },
    {
        "modality": "wet_abrasion",
        "name": "wet tip unit",
        "least": 0,
        "most": 10,
        "calibration": [[0, 0], [5, 18], [10, 40]],
        "tips": [{"name": "spiral tip", "across_mm": 12, "down_mm": 12, "round": True, "single_use": True}],
        "cleaned": "disinfectant drawn through, then water",
    },
    {
        "modality": "micro_needling",
        "name": "needle pen",
        "least": 1,
        "most": 5,
        "calibration": [[1, 60], [5, 140]],
        "tips": [{"name": "12 needles", "across_mm": 8, "down_mm": 8, "round": True, "pins": 12, "single_use": True}],
    },
    {
        "modality": "cold",
        "name": "cold head",
        "scale": "°C",
        "least": -5,
        "most": 0,
        "tips": [{"name": "head", "across_mm": 30, "down_mm": 30, "round": True}],
    },
    {
        "modality": "oxygen_airbrush",
        "name": "airbrush compressor",
        "scale": "bar",
        "least": 0.5,
        "most": 3,
        "step": 0.1,
    },
    {
        "modality": "diamond",
        "name": "diamond hand piece",
        "tips": [{"name": "fine tip", "across_mm": 8, "down_mm": 8, "round": True}],
    },
)


def _round(x: float, y: float, rx: float, ry: float) -> str:
    """An outline as a hand would draw it around something."""
    turns = [n * pi / 8 for n in range(16)]
    return " ".join(
        f"{x + rx * cos(t) * (1 + 0.07 * sin(3 * t)):.1f},{y + ry * sin(t) * (1 + 0.1 * cos(2 * t)):.1f}" for t in turns
    )


#: Zones as they were tapped, one grade a tap.
NOSE = (
    "right nose tip and wings, right nose tip and wings, left nose tip and wings, left nose tip and wings, right chin"
)
SUN = "right upper cheek, left upper cheek, left upper cheek, right forehead"
LAX = "right lower cheek, left lower cheek, left lower cheek, right jawline, left jawline"


@dataclass
class Invented:
    """One client of the demo, always seen at the same hour `at`, today unless `today` is False; `past` counts closed
    visits before it. `done` is what was done at those, `found` what was graded then, condition → zones as they were
    tapped.

    `answers` are given at the last closed visit (days are counted back from today), `redness` is how that visit ended,
    `said` what is answered after it otherwise than usual; `better` are zones that grade one lower from the second visit
    on, `elsewhere` what was done elsewhere: what, days ago, by whom, on which zones.
    """

    name: str
    born: date
    at: str
    past: int = 0
    therapist: str = "tomas"
    today: bool = True
    answers: dict[str, tuple[str, int | None]] = field(default_factory=dict)
    redness: int = 0
    sensitive: bool = False
    phototype: int = 2
    heights: tuple[float, float, float, float] = (12.0, 10.5, 20.0, 19.0)
    tapes: tuple[float | None, float | None] = (None, None)
    note: str = ""
    marks: tuple[dict[str, str], ...] = ()
    done: tuple[str, ...] = ("microcurrent", "led")
    photographed: bool = False
    found: dict[str, str] = field(default_factory=lambda: {"laxity": LAX})
    phone: str = ""
    email: str = ""
    language: str = "en"
    said: dict[str, str] = field(default_factory=dict)
    better: dict[str, str] = field(default_factory=dict)
    elsewhere: tuple[tuple[str, int, str, str], ...] = ()


CLIENTS = (
    Invented(
        "Ines Duarte",
        date(1979, 3, 8),
        "09:00",
        2,
        tapes=(272, 186),
        photographed=True,
        email="ines.duarte@vesper-bay.example",
        language="pt",
        better={"laxity": "left lower cheek, left jawline"},
        found={
            "laxity": LAX,
            "pigment": "right upper cheek, right upper cheek, left upper cheek",
            "dehydration": "right mid cheek, left mid cheek",
        },
        note="Likes the forehead most; left brow came up.",
        marks=(
            {
                "kind": "pigment",
                "shape": "area",
                "grade": "2",
                "points": _round(64, 104, 11, 7),
                "note": "Darker since the summer.",
            },
            {
                "kind": "mole",
                "shape": "spot",
                "size_mm": "4",
                "points": "-92,112",
                "note": "Unchanged; seen by her doctor in spring.",
            },
            {"kind": "vessel", "shape": "line", "size_mm": "1", "grade": "1", "points": "17,101 20,105 21.5,110"},
            {
                "kind": "scar",
                "shape": "line",
                "size_mm": "2",
                "grade": "1",
                "points": "-34,34 -28,41 -25,46",
                "note": "From childhood.",
            },
        ),
    ),
    Invented(
        "Rosalind Achterberg",
        date(1958, 11, 2),
        "10:15",
        1,
        "adaeze",
        answers={"implants": ("implanted", None)},
        note="Has a pacemaker: light only.",
    ),
    Invented(
        "Kofi Mensah-Lund",
        date(1985, 6, 19),
        "11:30",
        3,
        answers={"injections": ("relaxant", 5)},
        phototype=6,
        tapes=(296, 202),
        note="Had the forehead injected; told to wait.",
    ),
    Invented(
        "Yuki Tanabe-Ross",
        date(1990, 1, 27),
        "13:00",
        1,
        redness=3,
        sensitive=True,
        heights=(9.0, 11.5, 18.0, 20.0),
        note="Cheeks stayed red for an hour, cool cloth, settled before leaving.",
        phone="+351 900 000 104",
        said={"settled_h": "8", "redness": "1"},
        marks=(
            {
                "kind": "patch",
                "shape": "area",
                "grade": "3",
                "points": _round(-62, 118, 16, 10),
                "note": "Gone after an hour.",
            },
        ),
    ),
    Invented("Petra Halloran", date(1971, 9, 14), "14:15", 0, "adaeze"),
    Invented(
        "Samir Oduya",
        date(1968, 4, 30),
        "15:30",
        4,
        phototype=5,
        tapes=(291, 199),
        found={"laxity": LAX, "congestion": NOSE, "oil": NOSE},
        email="samir@vesper-bay.example",
        better={"laxity": "left lower cheek", "congestion": "right nose tip and wings"},
    ),
    Invented("Noor Castellane", date(1996, 12, 5), "16:45", 0, sensitive=True),
    Invented(
        "Greta Lindqvist",
        date(1963, 7, 21),
        "17:45",
        9,
        "adaeze",
        heights=(11.0, 11.4, 19.5, 19.0),
        email="greta@vesper-bay.example",
        better={"fine_lines": "left crow's feet", "laxity": "left lower cheek"},
        found={"laxity": LAX, "fine_lines": "right crow's feet, left crow's feet, left crow's feet, right forehead"},
    ),
    Invented("Elif Sarno", date(1992, 2, 11), "10:15", 2, answers={"pregnancy": ("breastfeeding", None)}, today=False),
    Invented("Bruno Achebe", date(1976, 10, 3), "14:15", 3, phototype=6, today=False),
    Invented(
        "Wanda Kessler",
        date(1955, 5, 16),
        "09:00",
        1,
        "adaeze",
        today=False,
        done=("pulsed_light",),
        found={"pigment": SUN},
    ),
    Invented(
        "Margit Ferro",
        date(1988, 8, 24),
        "17:45",
        5,
        today=False,
        phone="+351 900 000 112",
        said={"mark": "colour", "redness": "1", "call": "yes"},
        elsewhere=(
            ("needles", 12, "the clinic at the harbour", "mid cheek, lower cheek"),
            ("acid", 33, "a skin doctor", "forehead"),
        ),
    ),
)


def load(fresh: bool = False) -> None:
    """Loads the demo when there is no studio yet. `fresh` empties every table first."""
    with database.session() as db:
        here = people.studio(db)
        if here is not None:
            if not fresh:
                return
            if not here.demo:
                raise Refused("This is a real studio, not the demo: its records are not thrown away.")
            tables = ", ".join(table.name for table in Base.metadata.sorted_tables)
            db.connection().exec_driver_sql(f"TRUNCATE {tables} RESTART IDENTITY CASCADE")
            db.expunge_all()
        week = {str(day): ["08:30", "19:30"] for day in range(7)}  # every day, so that the demo is alive at any date
        db.add(Studio(id=1, name="Quay Street Skin Studio, Vesper Bay", time_zone=ZONE.key, opening=week, demo=True))
        hashed = HASHER.hash(PASSWORD)
        staff = {
            login: Person(name=name, login=login, password_hash=hashed, role=role, finger_mm=finger, licences=licences)
            for login, (name, role, finger, licences) in STAFF.items()
        }
        db.add_all(
            [*staff.values(), *(Device(modality=str(c["modality"]), card=CARD.validate_python(c)) for c in CARDS)]
        )
        db.commit()
    workers = {login: Worker(person.id, person.name, person.role) for login, person in staff.items()}
    now = datetime.now(UTC)
    with database.work_session() as db:
        for who in CLIENTS:
            _client(Context(db, workers[who.therapist], now), who, workers)


def _client(ctx: Context, who: Invented, workers: dict[str, Worker]) -> None:
    today = ctx.now.astimezone(ZONE).date()
    client = Client(
        name=who.name,
        born=who.born,
        phone=who.phone,
        email=who.email,
        language=who.language,
        created_by=workers["joost"].id,
    )
    with database.transaction(ctx.db):
        ctx.db.add(client)
        ctx.db.flush()
        if who.past:
            ctx.db.add(Course(client_id=client.id, name=COURSE_NAME, sessions=10))
    at = time.fromisoformat(who.at)
    for back in range(who.past, 0, -1):
        start = datetime.combine(today - timedelta(days=4 * back), at, ZONE)
        _closed_visit(Context(ctx.db, ctx.me, start.astimezone(UTC)), who, client, start, last=back == 1)
    # Those who are not here today come every fourth day, one after the other, so that the days ahead are alive too.
    days = [0] if who.today else [1 + CLIENTS.index(who) % 4 + 4 * n for n in range(10 - who.past)]
    for ahead in days:
        _book(ctx, client, datetime.combine(today + timedelta(days=ahead), at, ZONE))
    _asked_afterwards(ctx, client.id, who)
    for agent, days_ago, by, zones in who.elsewhere:
        form = {"agent": agent, "on": f"{today - timedelta(days=days_ago)}", "by": by}
        given.write_elsewhere(ctx, client.id, form | {f"zone.{zone}": "on" for zone in zones.split(", ")})


def _book(ctx: Context, client: Client, start: datetime) -> UUID:
    """As the front desk books: a day beforehand."""
    early = Context(ctx.db, ctx.me, start.astimezone(UTC) - timedelta(days=1))
    form = {
        "name": f"{client.name}, born {client.born:%-d %b %Y}",
        "day": f"{start:%Y-%m-%d}",
        "time": f"{start:%H:%M}",
        "minutes": "60",
        "therapist": str(ctx.me.id),
        "born": f"{client.born}",
    }
    return add_visit(early, form)


def _closed_visit(ctx: Context, who: Invented, client: Client, start: datetime, last: bool) -> None:
    """One past visit from the first question to the sealed record."""
    visit_id = _book(ctx, client, start)
    returning = open_file(ctx, visit_id).previous is not None
    answers = {question.id: question.options[0].id for question in questions(returning)}
    for question_id, (option, days_back) in (who.answers if last else {}).items():
        answers[question_id] = option
        if days_back is not None:
            answers[f"{question_id}.on"] = f"{ctx.now.astimezone(ZONE).date() - timedelta(days=days_back - 4)}"
    asking.save_answers(ctx, visit_id, answers)
    brow_right, brow_left, cheek_right, cheek_left = who.heights
    looking.save_findings(
        ctx,
        visit_id,
        {
            "skin_type": "combination",
            "phototype": str(who.phototype),
            "sensitive": "yes" if who.sensitive else "no",
            "brow_right_mm": f"{brow_right}",
            "brow_left_mm": f"{brow_left}",
            "cheek_right_mm": f"{cheek_right}",
            "cheek_left_mm": f"{cheek_left}",
            "ear_to_ear_mm": f"{who.tapes[0] or ''}",
            "hairline_chin_mm": f"{who.tapes[1] or ''}",
        },
    )
    for condition, zones in who.found.items() if not returning else ():  # later visits begin from these
        for zone in zones.split(", "):
            looking.tap_zone(ctx, visit_id, condition, zone)
    if returning and last:
        for condition, zones in who.better.items():
            for zone in zones.split(", "):
                for _ in range(4):  # from one grade to the one below it
                    looking.tap_zone(ctx, visit_id, condition, zone)
    if who.photographed:
        scaling.score(ctx, visit_id, "wrinkles", {"wrinkles.score": str(6 - open_file(ctx, visit_id).visit.session_no)})
        readings = {
            "readings.water_loss": f"{17 - 2 * open_file(ctx, visit_id).visit.session_no}",
            "readings.sebum": "90",
        }
        scaling.score(ctx, visit_id, "readings", readings)
    if who.photographed:
        back = who.past - open_file(ctx, visit_id).visit.session_no
        content, landmarks = portrait(12 * back, 2.0 * back, 6.0 - 3 * back, 9.0 * back)
        picturing.add_photo(ctx, visit_id, "front", content)
        picturing.mark_landmarks(ctx, visit_id, "front", landmarks)
    for mark in who.marks if last else ():
        marking.put(ctx, visit_id, {"plate": "face", **mark})
    for modality in ("cleanse", *who.done, "finish"):  # what an answer stops is not added
        page = planning.edit(ctx, visit_id, "add", {"modality": modality})
    if page.settled:
        consenting.consent(ctx, visit_id, {"agreed": "yes", "signed": "paper"})
        treating.begin(ctx, visit_id)
        _run(ctx, visit_id)
    later = Context(ctx.db, ctx.me, ctx.now + timedelta(minutes=50))
    red = who.redness if last else 1
    answering.nothing(later, visit_id, "1")
    for _ in range(red):
        answering.tap(later, visit_id, "1", "redness", "right upper cheek")
    answering.nothing(Context(ctx.db, ctx.me, ctx.now + timedelta(minutes=54)), visit_id, "2")
    form = {
        "pain": "2" if who.redness else "0",
        "comfort": "6" if who.redness else "9",
        "explained": "initials",
        "senior": "Adaeze Okonjo",
        "initials": "".join(part[0] for part in who.name.split()),
        "note": who.note if last and who.note else "Tolerated well.",
    }
    form |= {f"endpoint.{name}": "seen" for name in who.done}
    form |= {
        f"{key}.{n}": value
        for n, row in enumerate(LEFT_ON)
        for key, value in zip(("product", "lot", "left"), row, strict=True)
    }
    form |= {f"cleaned.{key}": "on" for key, _, _ in closing.closing(later, visit_id).tools}
    closing.close(Context(ctx.db, ctx.me, ctx.now + timedelta(minutes=55)), visit_id, form)


#: What is left on the skin at the end, with its lot.
LEFT_ON = (
    ("serum", "S-2291", "on"),
    ("eye product", "E-0417", "on"),
    ("cream", "C-8830", "on"),
    ("sun protection", "P-1176", "on"),
)
#: How most answer afterwards.
USUAL = {
    "redness": "0",
    "swelling": "0",
    "pain": "0",
    "settled_h": "1",
    "mark": "none",
    "kept": "mostly",
    "improvement": "1",
    "satisfaction": "8",
    "call": "no",
}


def _asked_afterwards(ctx: Context, client_id: UUID, who: Invented) -> None:
    """What the client answered to the questions that were due by now; the last one with what this client has to say."""
    due = [task for task in tasks.asked_of(ctx.db, client_id) if task.due_at < ctx.now]
    for n, task in enumerate(due):
        about = task.about
        if not isinstance(about, AskTask):
            continue
        form = USUAL | {"settled_h": "1" if about.follow == "day1" else "0"} | (who.said if n == len(due) - 1 else {})
        at = Context(ctx.db, ctx.me, min(ctx.now, task.due_at + timedelta(hours=2)))
        with database.transaction(ctx.db):
            task.done(follow_ups.answered(at, task, about, form), None, at.now)


def _run(ctx: Context, visit_id: UUID) -> None:
    """Every step as planned, stroke by stroke."""

    def tap(kind: TapKind, act: int | None = None, zone: str = "") -> None:
        taps.append(Tap(id=uuid7(), kind=kind, at=at, act=act, data=TapData(zone=zone)))

    taps: list[Tap] = []
    at = ctx.now
    tap("start")
    acts = treating.run_of(ctx, visit_id).acts
    for number, act in enumerate(acts):
        for n in range(1, act.strokes + 1):
            at += timedelta(seconds=act.seconds / act.strokes)
            tap("count")
            if n % (act.strokes // act.passes) == 0 and n < act.strokes:
                tap("pass")
        if act.spot:
            tap("spot", number, "right jawline")
        if not act.strokes:
            at += timedelta(seconds=act.seconds)
        tap("next" if number + 1 < len(acts) else "finish")
    treating.record(Context(ctx.db, ctx.me, at), visit_id, taps)
