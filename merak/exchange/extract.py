"""What of the rule book clients read, for the translation tools (an extractor of Babel)."""

import tomllib
from collections.abc import Iterator
from typing import IO, Any


def of_rules(file: IO[bytes], keywords: Any, comments: Any, options: Any) -> Iterator[tuple[int, str, str, list[str]]]:
    """(line, function, message, comments) of the words of aftercare, of what is taken home and of what is asked
    afterwards.
    """
    text = file.read().decode()
    body = tomllib.loads(text)
    found = [step for topic in body.get("topic", ()) for step in topic["ladder"]]
    found += [words for home in body.get("home", ()) for words in (home["words"], home["use"])]
    found += [
        words
        for one in body.get("ask_after", ())
        for words in (one["words"], *(option["words"] for option in one["options"]))
    ]
    for words in found:
        yield text.count("\n", 0, max(0, text.find(words))) + 1, "", words, []
