"""Practice: who works here, and with which machines. The owner's page."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.errors import BadInput
from merak.core.knowledge import about, methods, traits, usual_work
from merak.core.modality.catalogue import MODALITIES
from merak.services.context import Context
from merak.services.permission import ROLES
from merak.services.studio import machines, practice
from merak.services.visit import routines
from merak.web.pages import go, page

router = APIRouter(prefix="/practice")


def _shown(
    request: Request,
    ctx: Context,
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
    which: str = "",
) -> Response:
    ctx.demand("run the practice")
    staff, devices = practice.staff(ctx), machines.in_use(ctx)
    return page(
        request,
        ctx,
        "practice/page.html",
        422 if wrong else 200,
        people=staff,
        devices=devices,
        roles=ROLES,
        studio=ctx.studio,
        form=form or {},
        wrong=wrong or {},
        which=which,
        titles={name: words.title for name, words in about().items()},
        kinds=machine_kinds(),
        pairs=_pairs,
        licences=practice.LICENCES,
        methods=methods().values(),
        house=ctx.studio.house,
        traits=traits(),
        routines=routines.kept(ctx),
        aside=machines.put_aside(ctx),
    )


def _pairs(points: tuple[tuple[float, float], ...]) -> str:
    """ "1 → 40, 2 → 90"."""
    return ", ".join(f"{a:g} → {b:g}" for a, b in points)


def machine_kinds() -> list[tuple[str, str]]:
    """The kinds of machine, id and title."""
    kinds = [(name, about()[name].title) for name, module in MODALITIES.items() if module.CARD]
    return sorted(kinds, key=lambda kind: (about()[kind[0]].work != usual_work(), kind[1]))


@router.get("")
def practice_page(request: Request) -> Response:
    """People and machines."""
    with entered(request) as ctx:
        return _shown(request, ctx)


@router.post("/people")
def add_person(request: Request, form: Form) -> Response:
    """Adds somebody."""
    with entered(request, form) as ctx:
        try:
            practice.add_person(ctx, form)
        except BadInput as bad:
            return _shown(request, ctx, form, bad.fields, "person")
        return go("/practice", "Added: they can sign in.")


@router.post("/people/{person_id}/end-access")
def end_access(request: Request, person_id: str, form: Form) -> Response:
    """Ends somebody's access."""
    with entered(request, form) as ctx:
        practice.end_access(ctx, person_id)
        return go("/practice", "The access has ended; it can be given back.")


@router.post("/people/{person_id}/give-back")
def give_back(request: Request, person_id: str, form: Form) -> Response:
    """Gives somebody access again."""
    with entered(request, form) as ctx:
        practice.give_back(ctx, person_id)
        return go("/practice", "The access is given back.")


@router.post("/people/{person_id}/licences")
def license_person(request: Request, person_id: str, form: Form) -> Response:
    """Who may do what."""
    with entered(request, form) as ctx:
        practice.license_person(ctx, person_id, form)
        return go("/practice", "The licences are kept.")


@router.post("/methods")
def choose_methods(request: Request, form: Form) -> Response:
    """The studio's own schools."""
    with entered(request, form) as ctx:
        practice.choose_methods(ctx, form)
        return go("/practice#methods", "The methods are kept.")


@router.post("/prices")
def set_prices(request: Request, form: Form) -> Response:
    """The studio's prices."""
    with entered(request, form) as ctx:
        try:
            practice.set_prices(ctx, form)
        except BadInput as bad:
            return _shown(request, ctx, form, bad.fields, "prices")
        return go("/practice#prices", "The prices are kept.")


@router.post("/routines/{routine_id}/drop")
def drop_routine(request: Request, routine_id: str, form: Form) -> Response:
    """A routine is no longer offered."""
    with entered(request, form) as ctx:
        routines.drop(ctx, routine_id)
        return go("/practice#routines", "The routine is no longer offered.")


@router.post("/machines")
def add_machine(request: Request, form: Form) -> Response:
    """Adds a machine."""
    with entered(request, form) as ctx:
        try:
            machines.add_device(ctx, form)
        except BadInput as bad:
            return _shown(request, ctx, form, bad.fields, "machine")
        return go("/practice", "The machine is added.")


@router.post("/machines/{device_id}/put-away")
def put_away(request: Request, device_id: str, form: Form) -> Response:
    """Takes a machine out of use."""
    with entered(request, form) as ctx:
        machines.put_away(ctx, device_id)
        return go("/practice", "The machine is put away; it can be taken out again.")


@router.post("/machines/{device_id}/take-out")
def take_out(request: Request, device_id: str, form: Form) -> Response:
    """A machine that was put away is in use again."""
    with entered(request, form) as ctx:
        machines.take_out(ctx, device_id)
        return go("/practice", "The machine is in use again.")
