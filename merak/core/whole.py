"""Whole numbers as they are typed."""


def whole(text: str | None, most: int, least: int = 0) -> int | None:
    """A typed whole number between `least` and `most`; None for anything else ("²", " 3", five thousand digits)."""
    if text is None or not (text.isascii() and text.isdigit() and len(text) <= 9):
        return None
    return int(text) if least <= int(text) <= most else None
