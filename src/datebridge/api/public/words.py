"""The few words of the readers' page, in the languages it speaks; dates come from the CLDR.

>>> language_of("nn-NO,nb;q=0.8,en;q=0.5").words["today"], language_of("xx").words["today"]
('I dag', 'Today')
>>> language_of("de").month(date(2026, 11, 1))
'November 2026'
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from functools import cache, lru_cache
from pathlib import Path

from babel import Locale, UnknownLocaleError
from babel.dates import format_date, format_skeleton, get_day_names
from babel.messages.pofile import read_po

_LANGUAGES = Path(__file__).parent / "languages"
#: Languages whose speakers read another one of ours.
_NEAR = {"no": "nb", "nn": "nb", "da": "nb"}


@dataclass(frozen=True, slots=True)
class Language:
    """A language the page speaks, and how its speakers write dates."""

    code: str
    locale: Locale
    words: dict[str, str]

    @property
    def first_weekday(self) -> int:
        """On which day weeks begin: 0 for Monday."""
        return int(self.locale.first_week_day)

    def day(self, day: date) -> str:
        """A day in full: ``Tuesday 24 November 2026``."""
        return str(format_date(day, "full", locale=self.locale))

    def short_day(self, day: date) -> str:
        """A day where there is little room: ``Tue 24 Nov``."""
        return str(format_skeleton("MMMEd", day, locale=self.locale))

    def month(self, day: date) -> str:
        """The month of a day, with its year."""
        return str(format_skeleton("yMMMM", day, locale=self.locale))

    def weekday(self, day: date) -> str:
        """The weekday of a day, short."""
        return str(get_day_names("abbreviated", locale=self.locale)[day.weekday()])


@lru_cache(maxsize=256)
def language_of(accepted: str) -> Language:
    """The language a browser asks for (RFC 9110 §12.5.4), or English."""
    wanted: list[tuple[float, int, str]] = []
    for place, part in enumerate(accepted[:1000].split(",")):
        tag, _, rest = part.strip().partition(";")
        quality = rest.strip().removeprefix("q=")
        try:
            wanted.append((-float(quality or 1), place, tag.strip()))
        except ValueError:
            continue
    for _, _, tag in sorted(wanted):
        base = tag.partition("-")[0].lower()
        code = _NEAR.get(base, base)
        if code in _spoken():
            return _language(code, tag if base == code and tag != "en" else "en_GB" if code == "en" else code)
    return _language("en", "en_GB")


@cache
def _spoken() -> dict[str, dict[str, str]]:
    """The words of each language by name, from its catalogue."""
    spoken = {}
    for path in sorted(_LANGUAGES.glob("*.po")):
        with path.open("rb") as file:
            spoken[path.stem] = {str(message.id): str(message.string) for message in read_po(file) if message.id}
    return spoken


@lru_cache(maxsize=64)
def _language(code: str, tag: str) -> Language:
    try:
        locale = Locale.parse(tag, sep="-" if "-" in tag else "_")
    except (UnknownLocaleError, ValueError):
        locale = Locale.parse("en_GB" if code == "en" else code)
    return Language(code, locale, _spoken()[code])
