"""Names as they are compared: without case, accents and stray blanks."""

import unicodedata


def plain(name: str) -> str:
    """ "  José  Núñez" and "jose nunez" are one name."""
    bare = "".join(sign for sign in unicodedata.normalize("NFKD", name) if not unicodedata.combining(sign))
    return " ".join(bare.casefold().split())
