"""How numbers are printed, in every layer: whole digits are never dropped, thousands are grouped, nothing has an
exponent, and numbers that stand beside each other have the same decimals."""

import math
import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Sequence

from pinch.language import numeral, spoken, tr, trn

LEAST_DIGITS = 4
MOST_DECIMALS, TICK_DIGITS = 12, 6
UNKNOWN = "–"


def plain(value: float, digits: int = LEAST_DIGITS) -> str:
    """A number with so many significant digits, and all of its whole ones; zeros at its end say nothing and are left
    out. One that is not finite is a dash."""
    if not math.isfinite(value):
        return UNKNOWN
    figures = _figures(value, decimals_of(value, digits))
    return spoken().signs(figures.rstrip("0").rstrip(".") if "." in figures else figures)


def signed(value: float, digits: int = LEAST_DIGITS) -> str:
    """The same with its sign before it, a plus or a minus."""
    return f"+{plain(value, digits)}" if value > 0 else plain(value, digits)


def with_decimals(value: float, decimals: int) -> str:
    """A number with so many decimals, grouped, with a true minus sign; never minus zero."""
    return spoken().signs(_figures(value, decimals))


def _figures(value: float, decimals: int) -> str:
    figures = f"{value:,.{decimals}f}"
    if figures.startswith("-"):
        figures = figures[1:] if not figures.strip("-0.,") else "−" + figures[1:]
    return figures


def alike(values: Sequence[float], digits: int = LEAST_DIGITS) -> list[str]:
    """Numbers that stand beside each other, all with the decimals that the largest needs for so many digits; fewer,
    where none of them has so many."""
    known = [v for v in values if math.isfinite(v)]
    decimals = 0
    if any(v != round(v) for v in known):
        decimals = decimals_of(max(known, key=abs), digits)
    while decimals and all(_figures(v, decimals).endswith("0") for v in known):
        decimals -= 1  # the source had no more
    return [with_decimals(v, decimals) if math.isfinite(v) else UNKNOWN for v in values]


def in_column(values: Sequence[float | None], form: str) -> list[str]:
    """The values of a column by a form of Python's; one in significant digits, such as `.4g`, makes them alike. Nothing
    where there is no value."""
    if form.startswith(".") and form.endswith("g"):
        texts = alike([math.nan if v is None else v for v in values], int(form[1:-1]))
        return ["" if v is None else text for v, text in zip(values, texts, strict=True)]
    return ["" if v is None else numeral(v, form) for v in values]


def ticks(values: Sequence[float]) -> list[str]:
    """Round numbers along an axis."""
    return alike(values, TICK_DIGITS)


def decimals_of(value: float, digits: int) -> int:
    """The decimals that a number has with so many significant digits."""
    if value == 0.0 or not math.isfinite(value):
        return 0
    # Rounding may make a digit more: 9.996 with three digits is 10.0.
    exponent = math.floor(math.log10(abs(float(f"{value:.{digits - 1}e}"))))
    return min(MOST_DECIMALS, max(0, digits - 1 - exponent))


def in_percent(share: float, digits: int = 2) -> str:
    """A share in percent with its sign %."""
    return f"{plain(100.0 * share, digits)} %"


_NUMBERS = (
    *(tr("none"), tr("one"), tr("two"), tr("three"), tr("four"), tr("five"), tr("six"), tr("seven"), tr("eight")),
    *(tr("nine"), tr("ten"), tr("eleven"), tr("twelve")),
)
_ORDINALS = (
    *("", tr("first"), tr("second"), tr("third"), tr("fourth"), tr("fifth"), tr("sixth"), tr("seventh")),
    *(tr("eighth"), tr("ninth"), tr("tenth")),
)


def number_word(count: int) -> str:
    """A count as it stands in a sentence."""
    return _NUMBERS[count] if count < len(_NUMBERS) else numeral(count, ",")


def ordinal(place: int) -> str:
    """A place as it stands in a sentence."""
    if place < len(_ORDINALS):
        return _ORDINALS[place]
    ending = 0 if place % 100 in (11, 12, 13) else place % 10
    if ending == 1:
        return tr("{place:,}st", place=place)
    if ending == 2:
        return tr("{place:,}nd", place=place)
    return tr("{place:,}rd", place=place) if ending == 3 else tr("{place:,}th", place=place)


def counted(count: int, noun: str, many: str = "") -> str:
    """A count with its noun: 1 run, 2 runs; `many` where the plural is not an s."""
    return trn(f"{{n:,}} {noun}", f"{{n:,}} {many or noun + 's'}", count)


def listed(parts: Sequence[str]) -> str:
    """Parts as they stand in a sentence: `a, b and c`."""
    if len(parts) < 2:
        return "".join(parts)
    return tr("{most} and {last}", most=", ".join(parts[:-1]), last=parts[-1])


MOST_TOLD = 20


def told_once(sentences: Iterable[str]) -> list[str]:
    """Sentences as one reads them: equal ones once with how often, the most frequent first of those; of more than
    `MOST_TOLD` the rest as a number."""
    counts = Counter(sentences)
    told = [
        words if count == 1 else tr("{words} ({count} ×)", words=words, count=count)
        for words, count in counts.most_common()
    ]
    more = len(told) - MOST_TOLD
    return told if more < 2 else [*told[:MOST_TOLD], tr("and {more} more", more=more)]


def more_minutes(seconds: float) -> str:
    """How many more minutes something needs, one at least."""
    return counted(max(1, round(seconds / 60.0)), "more minute")


def with_article(words: str) -> str:
    """A or an before what begins with a vowel, by its letter."""
    return tr("an {words}", words=words) if words[:1].casefold() in "aeiou" else tr("a {words}", words=words)


def plain_letters(words: str, longest: int = 60) -> str:
    """Words as names of files have them everywhere: small letters and digits of ASCII with dashes between, at most so
    many; empty where none are left."""
    plain = unicodedata.normalize("NFKD", words).encode("ascii", "ignore").decode().casefold()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:longest].strip("-")
