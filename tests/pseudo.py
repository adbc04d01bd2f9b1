"""Languages that nobody speaks, made of the template: each text with longer words and the signs of German, or in Hebrew
letters from right to left. What is left in plain letters on the screen was never given to a translator."""

import re
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

from pinch import language

TEMPLATE = Path(__file__).parents[1] / "languages" / "pinch.pot"
KEPT = re.compile(
    r"\{[^{}]*\}|<[^<>]*>|%[A-Za-z]|\*\.\w+|\b(?:W|Wh|K|V|A|Hz|s|h|ms|min|mV|dB\(A\)|dB|fps|GHz|MHz|GB|MB|MT/s|rpm"
    r"|cd/m²|kg|mm|cm|EUR)\b"
)
"""What a translator leaves as it is: places of values, marks of pages, endings of files, units."""
LONGER = str.maketrans("aeiouAEIOUncsy", "äëïöüÄËÏÖÜñčšÿ")
HEBREW = str.maketrans(
    "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ",
    "אבצדעפגחיקכלמנוףרשסתוואזטץ" * 2,
)
SIGNS = {
    "de": {language.DECIMAL: ",", language.THOUSANDS: ".", language.DAY: "%d.%m.%Y", language.DIRECTION: "ltr"},
    "he": {language.DECIMAL: ".", language.THOUSANDS: ",", language.DAY: "%d/%m/%Y", language.DIRECTION: "rtl"},
}


def longer(words: str) -> str:
    """As long as German usually is, and as German as letters with dots make it."""
    words = re.sub(r"(\d)\.(\d)", r"\1,\2", words)
    return re.sub(r"[A-Za-z]{3,}", lambda found: found[0].translate(LONGER) + "en" * (len(found[0]) // 4), words)


def from_the_right(words: str) -> str:
    """In letters of Hebrew."""
    return words.translate(HEBREW)


TURNED = {"de": longer, "he": from_the_right}


def said_in(name: str, text: str) -> str:
    """A text of the program in a pseudo-language."""
    parts, end = [], 0
    for kept in KEPT.finditer(text):
        parts += [TURNED[name](text[end : kept.start()]), kept[0]]
        end = kept.end()
    return "".join([*parts, TURNED[name](text[end:])])


def write_pseudo(name: str, path: Path) -> None:
    """The catalogue of a pseudo-language, complete."""
    with TEMPLATE.open("rb") as file:
        template = read_po(file)
    catalogue = Catalog(locale=name)
    for message in template:
        if not message.id:
            continue
        if message.context:
            said: str | tuple[str, ...] = SIGNS[name][message.context]
        elif isinstance(message.id, tuple):
            said = tuple(said_in(name, message.id[min(n, 1)]) for n in range(catalogue.num_plurals))
        else:
            said = said_in(name, message.id)
        catalogue.add(message.id, said, context=message.context)
    with path.open("wb") as file:
        write_mo(file, catalogue)
