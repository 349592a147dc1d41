"""The outbox: mail and texts to clients, handed to whatever carries them; here a simulator that holds them and shows
them.
"""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from merak.records import messages
from merak.records.tables import Client, Message
from merak.services.context import Context
from merak.simulators.carrier import carry


@dataclass
class Sent:
    """A message as the page shows it: to whom, and whether it waits, went or was taken back."""

    message: Message
    client: str
    at: datetime
    state: str


def outbox(ctx: Context) -> list[Sent]:
    """The newest messages."""
    ctx.demand("read notes")
    return [_shown(ctx, message, name) for message, name in messages.outbox(ctx.db)]


def sent_of(ctx: Context, visit_id: UUID, client: str) -> list[Sent]:
    """What went out after a visit."""
    return [_shown(ctx, message, client) for message in messages.sent_of(ctx.db, visit_id)]


def _shown(ctx: Context, message: Message, client: str) -> Sent:
    state = "taken back" if message.recalled else "waits" if message.send_at > ctx.now else "sent"
    return Sent(message, client, message.send_at.astimezone(ctx.zone), state)


def post(
    ctx: Context,
    client: Client,
    visit_id: UUID,
    subject: str,
    words: str,
    at: datetime,
    attached: str = "",
    task_id: UUID | None = None,
) -> str:
    """Hands a message over, to go out at `at`: as mail where there is an address, else as a text. Inside the caller's
    transaction.

    "" when it was taken, else why it was not: then the client is called.
    """
    channel, address = ("mail", client.email) if client.email else ("text", client.phone)
    taken = carry(channel, address)
    if taken.ok:
        ctx.db.add(
            Message(
                client_id=client.id,
                visit_id=visit_id,
                task_id=task_id,
                channel=channel,
                address=address,
                subject=subject,
                words=words,
                attached=attached,
                send_at=max(at, ctx.now),
                by=ctx.me.id,
                at=ctx.now,
            )
        )
    return "" if taken.ok else taken.words
