"""When something goes wrong: the emergency cards, the local number, a photograph for the record."""

from uuid import UUID

from merak.core.errors import BadInput
from merak.core.knowledge import Emergency, emergencies
from merak.records import people
from merak.services.clients.keeping import keep_file
from merak.services.context import Context
from merak.services.treatment.treating import Run, append, kept, own_tap
from merak.services.visit.file import changing

#: What is called where the studio has named nothing: the number of Europe and of every mobile network.
USUAL_NUMBER = "112"


def number_of(ctx: Context) -> str:
    """The local emergency number."""
    return ctx.studio.house.emergency or USUAL_NUMBER


def cards(modality: str = "") -> tuple[Emergency, ...]:
    """The emergency cards, those that are likely with a modality first."""
    return emergencies(modality)


def set_number(ctx: Context, words: str) -> None:
    """The local emergency number, as it is called. Raises BadInput for what no telephone takes."""
    ctx.demand("run the practice")
    wanted = words.strip()
    if not 2 <= len(wanted) <= 30 or not any(sign.isdigit() for sign in wanted):
        raise BadInput({"emergency": "The number that is called here, as 112."})
    with ctx.saving("emergency number") as db:
        studio = people.studio(db)
        if studio is not None:
            studio.house = studio.house.model_copy(update={"emergency": wanted})


def add_photo(ctx: Context, visit_id: UUID, content: bytes | None, when: str, zone: str = "") -> Run:
    """A photograph of the run: of one half, of a spot, of what went wrong. Raises BadInput on "file"."""
    with changing(ctx, visit_id, "treat") as file:
        found = keep_file(ctx, file.visit.client_id, content or b"", "photo")
        run = append(
            ctx, visit_id, [own_tap(ctx, visit_id, "photo", file=str(found.id), when=when[:40], zone=zone[:80])]
        )
    kept(visit_id, run)
    return run
