"""A simulator of what carries mail and texts: it takes what has an address, and nothing leaves the house."""

import re

from merak.core.ports import Reply

MAIL = re.compile(r"^[^@\s,;<>]+@[^@\s,;<>]+\.[^@\s,;<>]{2,}$")
PHONE = re.compile(r"^\+?[\d\s()/.-]{5,24}$")


def carry(channel: str, address: str) -> Reply:
    """Whether a message to this address is taken."""
    if not address:
        return Reply(ok=False, words="There is neither a mail address nor a telephone number.")
    if channel == "mail" and MAIL.match(address):
        return Reply(ok=True)
    if channel == "text" and PHONE.match(address) and sum(sign.isdigit() for sign in address) >= 5:
        return Reply(ok=True)
    return Reply(ok=False, words=f"“{address}” is no address for a {channel}.")
