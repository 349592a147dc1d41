"""What is written to clients: the sheet as text, and the question that follows. Nothing in it says what was treated but
the sheet.
"""

from collections.abc import Iterable

from merak.core.after.aftercare import WEIGHTS, SheetLine
from merak.core.after.following import FollowKind
from merak.exchange.language import later, moment, said

#: Weight of a line → the heading over it.
HEADINGS = {
    "do": later("Do"),
    "avoid": later("Leave"),
    "normal": later("What is normal"),
    "call": later("Call us"),
    "emergency": later("Emergency"),
}
#: Weight of a line → how its end is said.
UNTIL = {"do": later("until {when}"), "avoid": later("not before {when}")}
QUESTIONS: dict[FollowKind, str] = {
    "day1": later("How is your skin the day after your visit? A minute for a few questions:"),
    "day7": later("A week after your visit: how does your skin look now? A minute for a few questions:"),
    "before": later("Your next visit is near. How has your skin been? A minute for a few questions:"),
}


def dated(line: SheetLine, language: str, since: bool) -> str:
    """When a line holds, in words: "until …", "not before …", with its beginning where it begins later."""
    begins = said(language, "from {when}", when=moment(line.start, language)) + ", " if since else ""
    return begins + said(language, UNTIL.get(line.weight, UNTIL["do"]), when=moment(line.until, language))


def sheet_words(lines: Iterable[SheetLine], language: str, number: str, own: str) -> str:
    """A sheet as the text of a mail."""
    found = [own, ""] if own else []
    there = tuple(lines)
    begun = min((line.start for line in there), default=None)
    for weight in WEIGHTS:
        mine = [line for line in there if line.weight == weight]
        if mine:
            found += [said(language, HEADINGS[weight]).upper()]
            for line in mine:
                text = said(language, line.words).replace("{number}", number)
                found.append(f"- {text} ({dated(line, language, begun is not None and line.start > begun)})")
            found.append("")
    return "\n".join(found).strip()


def follow_up_words(kind: FollowKind, studio: str, link: str, language: str) -> tuple[str, str]:
    """(subject, words) of a question afterwards."""
    return said(language, "A question from {studio}", studio=studio), f"{said(language, QUESTIONS[kind])}\n{link}"
