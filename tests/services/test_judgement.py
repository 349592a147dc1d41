"""Letters, a senior's word, licences, signatures, files and routines, through the services on the real PostgreSQL."""

import base64
from datetime import timedelta
from io import BytesIO
from uuid import UUID

import pytest
from PIL import Image

from builders.work import AGREED, as_, ask_nothing, later, lift_and_light, nameless, new_visit, setting, step_of, typed
from merak.core.errors import BadInput, Refused
from merak.records import people
from merak.records.db import transaction
from merak.services.clients import lettering
from merak.services.clients.keeping import keep_file, kept_file
from merak.services.context import Context, NotFound
from merak.services.permission import Denied
from merak.services.studio import practice
from merak.services.treatment import treating
from merak.services.visit import allowing, asking, consenting, looking, planning, routines, trays
from merak.services.visit.file import open_file


def test_a_letter_is_asked_for_received_filed_and_runs_out(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, diabetes="yes")
    assert asking.asked(ctx, visit).file.brief.board["microcurrent"].verdict == "letter"
    lettering.ask_for(ctx, visit, "screening.diabetes")
    lettering.ask_for(ctx, visit, "screening.diabetes")
    (letter,) = asking.asked(ctx, visit).letters
    assert letter.state == "asked for"
    with pytest.raises(BadInput) as missing:
        lettering.receive(ctx, visit, UUID(letter.id), {"received": "2090-01-01", "until": "x"}, None)
    assert set(missing.value.fields) == {"received", "until", "says", "file"}
    with pytest.raises(BadInput) as no_letter:
        lettering.receive(ctx, visit, UUID(letter.id), {"says": "yes"}, b"MZ not a letter, whatever.pdf says")
    assert "PDF" in no_letter.value.fields["file"]
    lettering.receive(ctx, visit, UUID(letter.id), {"says": "yes", "note": "low current only"}, b"%PDF-1.7 a letter")
    page = asking.asked(ctx, visit)
    assert page.letters[0].state == "valid" and page.file.brief.board["microcurrent"].verdict == "change"
    assert kept_file(ctx, page.file.visit.client_id, UUID(page.letters[0].file)).kind == "application/pdf"
    another = asking.asked(ctx, new_visit(ctx)).file.visit.client_id
    with pytest.raises(NotFound):
        kept_file(ctx, another, UUID(page.letters[0].file))
    year = later(ctx, days=366)
    assert asking.asked(year, visit).letters[0].state == "run out"
    assert asking.asked(year, visit).file.brief.board["microcurrent"].verdict == "letter"


def test_only_a_senior_plans_past_and_it_is_shown_with_reason_name_and_time(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, surgery="recent", **{"surgery.on": f"{ctx.today - timedelta(days=60)}"})
    word = {
        "what": "verdict",
        "modality": "microcurrent",
        "verdict": "wait",
        "rule": "screening.surgery",
        "reason": "healed early, seen twice",
    }
    with pytest.raises(Denied):
        allowing.allow(as_(ctx, "tomas"), visit, word)
    with pytest.raises(BadInput):
        allowing.allow(ctx, visit, word | {"reason": "ok"})
    allowing.allow(ctx, visit, word)
    assert asking.asked(ctx, visit).file.brief.board["microcurrent"].verdict == "letter", (
        "the surgeon's letter is still missing"
    )
    allowing.allow(ctx, visit, word | {"verdict": "letter"})
    standing = asking.asked(ctx, visit).file.brief.board["microcurrent"]
    assert (
        standing.verdict == "change"
        and "Adaeze Okonjo" in standing.reasons[0].lifted
        and "seen twice" in standing.reasons[0].lifted
    )
    asking.save_answers(ctx, visit, {"implants": "implanted"})
    with pytest.raises(Refused, match="nobody overrides"):
        allowing.allow(ctx, visit, word | {"verdict": "never", "rule": "screening.implants"})


def test_a_ceiling_is_passed_in_writing_unless_it_is_absolute(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    typed(ctx, visit, "microcurrent", "repeats", "1")  # both in the fifty minutes there are
    page = typed(ctx, visit, "led", "minutes", "26")
    led, lift = step_of(page, "led"), step_of(page, "microcurrent")
    assert not page.settled and f"{led}.minutes" in page.slips
    key = {"what": "plan", "key": f"{led}.minutes", "reason": "tolerated thirty before"}
    allowing.allow(ctx, visit, key)
    page = planning.planned(ctx, visit)
    assert page.settled and "tolerated thirty before" in page.computed.allowed[0].action
    consenting.consent(ctx, visit, AGREED)
    allowing.withdraw(ctx, visit, 0)
    page = planning.planned(ctx, visit)
    assert not page.settled and not page.file.consented
    typed(ctx, visit, "microcurrent", "current", "1100")
    with pytest.raises(Refused, match="Nobody plans past"):
        allowing.allow(ctx, visit, key | {"key": f"{lift}.level"})


def test_who_holds_no_licence_plans_none_of_it(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"phototype": "2"})
    for modality in ("cleanse", "pulsed_light", "finish"):
        page = planning.edit(ctx, visit, "add", {"modality": modality})
    assert page.settled, "a senior with the licence"
    consenting.consent(ctx, visit, AGREED)
    owner = as_(ctx, "marit")
    with pytest.raises(Denied):
        practice.license_person(ctx, str(ctx.me.id), {})
    practice.license_person(owner, str(ctx.me.id), {"licence.fractional": "on"})
    assert "needs a licence" in " ".join(planning.planned(ctx, visit).slips.values())
    practice.license_person(owner, str(ctx.me.id), {"licence.fractional": "on", "licence.pulsed light": "on"})
    treating.begin(as_(ctx, "lin"), visit)
    assert people.licences(ctx.db, ctx.me.id) == ["pulsed light", "fractional"]
    assert trays.tray(as_(ctx, "lin"), visit).ordered, "the assistant sees what was ordered"


def signature(size: tuple[int, int] = (300, 90)) -> str:
    out = BytesIO()
    Image.new("RGBA", size, (0, 0, 0, 0)).save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()


def test_consent_keeps_the_words_and_the_signature_and_a_minor_needs_a_guardian(ctx: Context) -> None:
    visit = new_visit(ctx, born=f"{ctx.today.year - 16}-01-01")
    ask_nothing(ctx, visit)
    for modality in ("cleanse", "mask", "led", "finish"):
        planning.edit(ctx, visit, "add", {"modality": modality})
    with pytest.raises(BadInput) as missing:
        consenting.consent(ctx, visit, {"agreed": "yes", "signed": "drawn", "signature": ""})
    assert set(missing.value.fields) == {"guardian", "signature"}
    with pytest.raises(BadInput):
        consenting.consent(
            ctx, visit, {"agreed": "yes", "guardian": "A Parent", "signature": "data:image/png;base64,AAAA"}
        )
    consenting.consent(ctx, visit, {"agreed": "yes", "guardian": "A Parent", "signature": signature()})
    sheet = consenting.consent_sheet(ctx, visit)
    assert sheet.body.guardian == "A Parent" and sheet.signature and sheet.signature.startswith(b"\x89PNG")
    assert {one.modality for one in sheet.wordings} == {"mask", "led"} and sheet.body.words == consenting.VERSION


def test_pictures_are_drawn_anew_without_what_they_told(ctx: Context) -> None:
    client = asking.asked(ctx, new_visit(ctx)).file.visit.client_id
    told = Image.Exif()
    told[0x010F], told[0x8825] = "Some Camera", {1: "N", 2: (38.0, 42.0, 0.0)}
    out = BytesIO()
    Image.new("RGB", (3000, 1500), (200, 150, 120)).save(out, "JPEG", exif=told)
    with transaction(ctx.db):
        kept = keep_file(ctx, client, out.getvalue(), "photo")
    with Image.open(BytesIO(kept.content)) as picture:
        assert not picture.getexif() and picture.size == (2400, 1200) and kept.kind == "image/jpeg"
    assert b"Some Camera" not in kept.content
    for content in (b"", b"<svg xmlns='http://www.w3.org/2000/svg'/>", b"%PDF-1.7", b"GIF89a" + bytes(60)):
        with pytest.raises(BadInput):
            keep_file(ctx, client, content, "photo")


def test_a_routine_of_the_house_is_fitted_not_copied(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    typed(ctx, visit, "microcurrent", "level", "5")
    routines.keep(ctx, visit, "House lift")
    routines.keep(ctx, visit, "House lift")
    looking.tap_zone(ctx, visit, "redness", "left chin")
    routines.keep(ctx, visit, "Calm")
    (kept,) = [one for one in routines.kept(ctx) if one.name == "House lift"]
    other = new_visit(ctx)
    ask_nothing(ctx, other)
    looking.save_findings(ctx, other, {"sensitive": "yes"})
    looking.tap_zone(ctx, other, "redness", "left chin")
    assert routines.suggested(ctx, open_file(ctx, other).brief)[0].name == "Calm", "what fits this client comes first"
    page = routines.fit(ctx, other, kept.id)
    assert setting(page, "microcurrent", "level") == "2" and page.settled
    with pytest.raises(Denied):
        routines.keep(as_(ctx, "lin"), visit, "Mine")
    routines.drop(ctx, kept.id)
    with pytest.raises(NotFound):
        routines.fit(ctx, other, kept.id)


def test_proposals_at_the_desk_follow_the_wish(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(
        ctx, visit, **{"wish.goals": "yes", "wish.goal.laxity": "on", "wish.minutes": "45", "wish.money": "120"}
    )
    looking.tap_zone(ctx, visit, "laxity", "left jawline")
    page = planning.planned(ctx, visit)
    assert page.proposed and all(one.computed.seconds <= 45 * 60 for one in page.proposed)
    taken = planning.edit(ctx, visit, "take", {"kind": page.proposed[-1].kind})
    assert nameless(taken.plan) == nameless(page.proposed[-1].plan) and taken.settled
    wrong = asking.save_answers(ctx, visit, {"wish.minutes": "soon"})
    assert "not a number" in wrong.wrong["wish.minutes"] and wrong.file.wish.minutes == 45
