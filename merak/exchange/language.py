"""The client's language: words by gettext, dates by Babel. The house itself speaks English."""

import gettext
from datetime import datetime
from functools import cache
from pathlib import Path

from babel.dates import format_datetime

#: Language → what it calls itself, and its locale for dates.
LANGUAGES = {"en": ("English", "en_GB"), "pt": ("Português", "pt_PT")}
FOLDER = Path(__file__).parent / "locale"


def later(text: str) -> str:
    """Marks a text that is translated where it is used; found by `scripts/words`."""
    return text


@cache
def words(language: str) -> gettext.NullTranslations:
    """The translations into a language; English is what is written."""
    return gettext.translation("merak", FOLDER, [language], fallback=True)


def said(language: str, text: str, **values: object) -> str:
    """A text in a language, its {names} filled in."""
    found = words(language).gettext(text) if text else ""
    return found.format(**values) if values else found


def moment(when: datetime, language: str) -> str:
    """A day and a time as that language writes them: "Fri 27 Nov, 18:00"."""
    locale = LANGUAGES[language][1]
    return format_datetime(when, "EEE d MMM, HH:mm", locale=locale)
