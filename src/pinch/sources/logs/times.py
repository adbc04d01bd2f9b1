"""The time of each row, from seconds, clock times, dates, or dates and times in two columns."""

import re
from datetime import datetime, time, timedelta
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray
from pinch.language import tr

if TYPE_CHECKING:
    import pandas as pd

DAY_S, GONE_S = 86_400.0, 600.0
TIME_WORDS = {
    *(
        "time",
        "zeit",
        "uhrzeit",
        "temps",
        "heure",
        "tiempo",
        "hora",
        "tempo",
        "ora",
        "timestamp",
        "elapsed",
        "t",
        "t_s",
    ),
    *("seconds", "sekunden", "secondes", "segundos", "secs", "zeitstempel", "datetime", "when", tr("clock time")),
}
DATE_WORDS = {"date", "datum", "fecha", "data", "day", "tag", "jour"}
_WORD = re.compile(r"[^\W\d_]+", re.UNICODE)
_CLOCK = re.compile(r"(\d{1,3}):(\d{2})(?::(\d{2})(?:[.,](\d+))?)?\s*(am|pm)?", re.IGNORECASE)
_NUMERIC_DATE = re.compile(r"(\d{1,2})([-/.])(\d{1,2})\2(\d{2,4})")
_ISO = re.compile(r"\d{4}-\d{2}-\d{2}")
_YEAR_FIRST = re.compile(r"(\d{4})([-/.])(\d{1,2})\2(\d{1,2})(?!\d)")


class TimeAxis(Struct, frozen=True):
    """`t` (n,) in s; `gone` where they count from the logger's own beginning, which is kept, else they are of a clock.
    `started` is the date and time of the first row, `day_s` its time of day in s, None where nobody can know;
    `question` is what must be asked."""

    t: FloatArray
    started: datetime | None = None
    day_s: float | None = None
    question: str = ""
    gone: bool = False


def is_time_name(name: str) -> bool:
    """Whether a column's name, without its unit, says that it is a time."""
    words = _WORD.findall(name.casefold())
    return name.casefold().strip() in TIME_WORDS or (
        bool(words) and set(words) <= TIME_WORDS | {"system", "log", "local"}
    )


def is_date_name(name: str) -> bool:
    """Whether a column's name says that it is a date."""
    return name.casefold().strip() in DATE_WORDS


def is_clock(text: str) -> bool:
    """Whether a text is a time of day, or hours, minutes and seconds gone."""
    return _CLOCK.fullmatch(text.strip()) is not None


def is_date(text: str) -> bool:
    """Whether a text begins with a date."""
    return bool(_YEAR_FIRST.match(text.strip()) or _NUMERIC_DATE.match(text.strip()))


def from_numbers(values: FloatArray, unit: str, name: str) -> TimeAxis:
    """Seconds or milliseconds, gone or since 1970."""
    known = values[np.isfinite(values)]
    large = float(np.median(known)) if len(known) else 0.0
    step = float(np.median(np.diff(known))) if len(known) > 1 else 1.0
    word = unit.casefold() or (name.casefold().rpartition("_")[2] if "_" in name else "")
    factor = {"ms": 1e-3, "msec": 1e-3, "milliseconds": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9, "min": 60.0}.get(word)
    if factor is None:
        factor = 1e-3 if large > 1e11 or (not unit and word not in ("s", "sec", "seconds") and step >= 50.0) else 1.0
    seconds = values * factor
    started = None
    if 5e8 < large * factor < 5e9:
        first = float(seconds[np.isfinite(seconds)][0])
        started = datetime(1970, 1, 1) + timedelta(seconds=first)
    return TimeAxis(seconds, started, _day_s(started), gone=started is None)


def from_clock(texts: "pd.Series[Any]", place: str, line_of: Any) -> TimeAxis:
    """Seconds from `HH:MM:SS[.fff]` or `HH:MM`, through midnight; a first time of little more than nothing is taken for
    time gone, not for the time of day."""
    seconds = _clock_seconds(texts)
    wrong = np.flatnonzero(~np.isfinite(seconds))
    if len(wrong):
        i = int(wrong[0])
        raise DataError(place, tr("{text!r} is not a time", text=texts.iloc[i]), line_of(i))
    jumps = np.diff(seconds, prepend=seconds[:1])
    t = np.asarray(seconds + DAY_S * np.cumsum(jumps < -DAY_S / 2))
    return TimeAxis(t, day_s=float(t[0]) if t[0] >= GONE_S else None)


def from_dates(texts: "pd.Series[Any]", place: str, line_of: Any, day_first: bool | None) -> TimeAxis:
    """Dates with times. Where day and month could be either way round, that is asked, unless `day_first` says it."""
    import pandas as pd

    head = str(texts.iloc[0]).strip()
    if _YEAR_FIRST.match(head):
        if not _ISO.match(head):
            texts = texts.astype(str).str.strip().str.replace(_YEAR_FIRST, _iso, regex=True)
        stamps = pd.to_datetime(texts, format="ISO8601", errors="coerce", utc=True)
        return _axis(stamps, texts, place, line_of, "")
    parts = texts.astype(str).str.strip().str.extract(_NUMERIC_DATE.pattern + r"[ T]*(.*)", flags=0)
    numbers = parts[[0, 2]].apply(pd.to_numeric, errors="coerce")
    first, second = float(numbers[0].max()), float(numbers[2].max())
    by_dots = head[1:3].find(".") >= 0  # dates with dots begin with the day
    known = True if first > 12 or by_dots else False if second > 12 else day_first
    years = parts[3].where(parts[3].str.len() == 4, "20" + parts[3])
    clock = pd.to_timedelta(_clock_seconds(parts[4]), unit="s")

    def stamps_by(day: int, month: int) -> Any:
        days = years + "-" + parts[month].str.zfill(2) + "-" + parts[day].str.zfill(2)
        return pd.to_datetime(days, format="%Y-%m-%d", errors="coerce", utc=True) + clock

    by_day, by_month = stamps_by(0, 2), stamps_by(2, 0)
    spans = [s.max() - s.min() for s in (by_day, by_month)]
    if known is None and spans[0] != spans[1]:
        known = bool(spans[0] < spans[1])  # a log that goes past midnight goes on the next day, not the next month
    ambiguous = known is None and bool((numbers[0] != numbers[2]).any())
    question = tr("In {head!r}, is the day or the month first?", head=head) if ambiguous else ""
    return _axis(by_month if known is False else by_day, texts, place, line_of, question)


def _iso(found: re.Match[str]) -> str:
    """A date that begins with its year, with hyphens and two digits."""
    return f"{found[1]}-{int(found[3]):02}-{int(found[4]):02}"


def _axis(stamps: Any, texts: Any, place: str, line_of: Any, question: str) -> TimeAxis:
    wrong = np.flatnonzero(stamps.isna().to_numpy())
    if len(wrong):
        i = int(wrong[0])
        raise DataError(place, tr("{text!r} is not a date and time", text=texts.iloc[i]), line_of(i))
    seconds = (stamps - stamps.iloc[0]).dt.total_seconds().to_numpy(dtype=float)
    first = stamps.iloc[0].to_pydatetime().replace(tzinfo=None)
    return TimeAxis(seconds, None if question else first, _day_s(first), question)


def _day_s(moment: datetime | None) -> float | None:
    """Time of day, s."""
    return None if moment is None else (moment - datetime.combine(moment, time())).total_seconds()


def _clock_seconds(texts: Any) -> FloatArray:
    """(n,) seconds of clock times, NaN where one is none. Even widths are read at once."""
    stripped = texts.astype(str).str.strip()
    head = str(stripped.iloc[0])
    width = len(head)
    if re.fullmatch(r"\d{2}:\d{2}:\d{2}([.,]\d+)?", head) and bool((stripped.str.len() == width).all()):
        raw = np.frombuffer("".join(stripped).encode("ascii", "replace"), dtype=np.uint8)
        if len(raw) == width * len(stripped):
            return _even_clock(raw.reshape(len(stripped), width), width)
    parts = stripped.str.extract(f"^{_CLOCK.pattern}$", flags=re.IGNORECASE)
    h, m, s = (parts[i].astype(float).fillna(0.0) for i in range(3))
    fraction = ("0." + parts[3].fillna("0")).astype(float)
    afternoon = parts[4].str.lower()
    h = h.where(~((afternoon == "pm") & (h < 12)), h + 12).where(~((afternoon == "am") & (h == 12)), 0.0)
    seconds = 3600.0 * h + 60.0 * m + s + fraction
    return np.asarray(seconds.where(parts[0].notna(), np.nan), dtype=float)


def _even_clock(raw: Any, width: int) -> FloatArray:
    digits = raw.astype(float) - ord("0")
    colons = (raw[:, 2] == ord(":")) & (raw[:, 5] == ord(":"))
    places = [i for i in range(width) if i not in (2, 5, 8)]
    good = colons & ((digits[:, places] >= 0) & (digits[:, places] <= 9)).all(axis=1)
    h, m, s = (10 * digits[:, i] + digits[:, i + 1] for i in (0, 3, 6))
    fraction = sum((digits[:, 9 + n] * 10.0 ** -(n + 1) for n in range(max(0, width - 9))), np.zeros(len(raw)))
    return np.where(good & (m < 60) & (s < 61), 3600.0 * h + 60.0 * m + s + fraction, np.nan)
