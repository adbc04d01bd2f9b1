"""The language that Pinch speaks: words by a catalogue of gettext, numbers and days by the signs that the catalogue
names. Without a catalogue it is English, as it stands in the code.

A process speaks one language from its start to its end, so that a text may be put into words wherever it is written:
`tr("{name} holds {watts:.1f} W", name=…, watts=…)`. The variable `PINCH_CATALOGUE` names the catalogue; processes begun
by the window inherit it. `scripts/texts` collects all that is wrapped here into `languages/pinch.pot`.
"""

import gettext
import os
import string
import struct
from collections.abc import Mapping, Sequence
from datetime import date
from enum import StrEnum
from numbers import Real
from typing import Any

from msgspec import Struct

VARIABLE = "PINCH_CATALOGUE"
_ISO_DAY = "%Y-%m-%d"
DECIMAL, THOUSANDS, DAY, DIRECTION = "decimal sign", "sign between thousands", "form of a day", "direction of writing"
"""The contexts under which a catalogue tells what is no word."""


class Language(Struct, frozen=True):
    """Words, signs of numbers, the form of a day as `strftime` takes it, and from which side it is read."""

    name: str
    words: gettext.NullTranslations
    decimal: str = "."
    thousands: str = ","
    day: str = _ISO_DAY
    right_to_left: bool = False

    @property
    def is_own(self) -> bool:
        """Whether it is the one that the code is written in."""
        return type(self.words) is gettext.NullTranslations

    def signs(self, figures: str) -> str:
        """A number as Python prints it, with the signs of this language."""
        return figures if self.is_own else figures.translate({ord("."): self.decimal, ord(","): self.thousands})


ENGLISH = Language("en", gettext.NullTranslations())


class _Filling(string.Formatter):
    """Puts values into a translated text: numbers with the signs of the language, words of closed sets translated. A
    catalogue comes from outside, so its texts reach no attributes and no items."""

    def get_field(self, field_name: str, args: Sequence[Any], kwargs: Mapping[str, Any]) -> tuple[Any, str]:
        return kwargs[field_name], field_name

    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, StrEnum):
            return format(tr(value.value), format_spec)
        if isinstance(value, date):
            return moment(value, format_spec or _ISO_DAY)
        text = format(value, format_spec)
        return _spoken.signs(text) if isinstance(value, Real) else text


_FILLING = _Filling()


def _language_of(path: str) -> Language:
    """The language of a catalogue; English where there is none or it cannot be read."""
    try:
        with open(path, "rb") as file:
            words = gettext.GNUTranslations(file)
    except (OSError, ValueError, LookupError, ArithmeticError, AttributeError, RecursionError, struct.error):
        return ENGLISH
    return Language(
        words.info().get("language", ""),
        words,
        words.pgettext(DECIMAL, "."),
        words.pgettext(THOUSANDS, ","),
        words.pgettext(DAY, _ISO_DAY),
        words.pgettext(DIRECTION, "ltr") == "rtl",
    )


def _first_language() -> Language:
    path = os.environ.get(VARIABLE)
    return _language_of(path) if path else ENGLISH


_spoken = _first_language()


def speak(catalogue: str) -> None:
    """Speak the language of a catalogue from here on, in processes begun later, too; English where it is empty. To be
    called before anything is imported that has texts."""
    global _spoken
    os.environ[VARIABLE] = catalogue
    _spoken = _first_language()


def spoken() -> Language:
    """What this process speaks."""
    return _spoken


def marked(text: str) -> str:
    """A text that stays as it is written, as it is compared or kept, and is put through `tr` where it is shown."""
    return text


DAYS = (
    *(marked("Monday"), marked("Tuesday"), marked("Wednesday"), marked("Thursday"), marked("Friday")),
    *(marked("Saturday"), marked("Sunday")),
)
SHORT_DAYS = (
    *(marked("Mon"), marked("Tue"), marked("Wed"), marked("Thu"), marked("Fri"), marked("Sat"), marked("Sun")),
)
MONTHS = (
    *(marked("January"), marked("February"), marked("March"), marked("April"), marked("May"), marked("June")),
    *(marked("July"), marked("August"), marked("September"), marked("October"), marked("November")),
    marked("December"),
)
SHORT_MONTHS = (
    *(marked("Jan"), marked("Feb"), marked("Mar"), marked("Apr"), marked("May"), marked("Jun")),
    *(marked("Jul"), marked("Aug"), marked("Sep"), marked("Oct"), marked("Nov"), marked("Dec")),
)


def tr(text: str, /, **values: object) -> str:
    """A text of the program in the language that is spoken, with values put into it by name; a translation that does
    not take them gives way to the text as it is written."""
    said = _spoken.words.gettext(text) if text else ""
    return _filled(said, text, values) if values else said


def trn(one: str, many: str, n: int, /, **values: object) -> str:
    """The same of something counted, which a catalogue may say in more than two forms; `{n}` is the count."""
    said = _spoken.words.ngettext(one, many, n)
    return _filled(said, one if n == 1 else many, {"n": n, **values})


def _filled(said: str, text: str, values: Mapping[str, object]) -> str:
    if _spoken.is_own:
        return text.format(**values)
    try:
        return _FILLING.vformat(said, (), values)
    except (LookupError, ValueError, TypeError):
        return _FILLING.vformat(text, (), values)


def numeral(value: float, form: str) -> str:
    """A number by a form of Python's, with the signs of the language."""
    return _spoken.signs(format(value, form))


def moment(when: date, form: str) -> str:
    """A day or a time by a form of `strftime`, with the names and the form of a day of the language."""
    if not _spoken.is_own:
        form = form.replace(_ISO_DAY, _spoken.day)
        for sign, names, place in (
            *(("%a", SHORT_DAYS, when.weekday()), ("%A", DAYS, when.weekday())),
            *(("%b", SHORT_MONTHS, when.month - 1), ("%B", MONTHS, when.month - 1)),
        ):
            form = form.replace(sign, tr(names[place]))
    return when.strftime(form)


def day_words(when: date | str) -> str:
    """A day as the language writes it; of a text, where it is a day as ISO 8601 has it, else the text as it is."""
    if isinstance(when, date):
        return moment(when, _ISO_DAY)
    try:
        return moment(date.fromisoformat(when), _ISO_DAY)
    except ValueError:
        return when
