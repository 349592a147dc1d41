"""Sending the sealed sheet to the client, in their language."""

from uuid import UUID

from merak.core.errors import BadInput
from merak.exchange.language import said
from merak.exchange.letters import sheet_words
from merak.records.tables import Client
from merak.services.after import outbox
from merak.services.after.closing import closing
from merak.services.context import Context, OutOfTurn


def send_sheet(ctx: Context, visit_id: UUID) -> None:
    """Hands the sheet over as a mail or a text. Raises OutOfTurn before it is sealed, BadInput on "send" where there is
    no address.
    """
    ctx.demand("close")
    page = closing(ctx, visit_id)
    if page.file.visit.status != "closed":
        raise OutOfTurn("The sheet is sent once the visit is closed.")
    sheet = page.sheet
    with ctx.saving("send the sheet", visit_id) as db:
        client = db.get(Client, page.file.visit.client_id)
        subject = said(sheet.language, "After your visit")
        words = sheet_words(sheet.lines, sheet.language, sheet.number, sheet.words)
        if client is None or (
            refused := outbox.post(
                ctx, client, visit_id, subject, words, ctx.now, f"/visits/{visit_id}/sheet.pdf?lang={sheet.language}"
            )
        ):
            raise BadInput({"send": f"Not sent. {refused} Write one on the client’s page, or print the sheet."})
