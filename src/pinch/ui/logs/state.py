"""What the operator says of logs before they are runs. No Qt."""

from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

from pinch.core.channels import is_channel_name, unit_of
from pinch.core.errors import PinchError
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import counted, plain, signed
from pinch.intake.arrivals import Arrival
from pinch.intake.told_rows import Told, ToldValue
from pinch.language import day_words, tr
from pinch.sources.logs.mapping import ColumnMapping, ColumnUse
from pinch.sources.logs.read import LogColumn, ReadLog

TIMES = ("time", "date")


class Answers:
    """How columns are meant, for each header: as they were understood, with what the operator changed."""

    def __init__(self, read: Iterable[ReadLog]) -> None:
        found = [log for log in read if log.fingerprint]
        self._guessed = {log.fingerprint: log.mapping for log in reversed(found)}
        self._asked = {log.fingerprint for log in found if log.questions}
        self._uses = {key: {use.column: use for use in mapping.columns} for key, mapping in self._guessed.items()}
        self._day_first: dict[str, bool] = {}

    def uses(self, key: str) -> list[ColumnUse]:
        """The uses of a header's columns, in their order."""
        return list(self._uses[key].values())

    def say(self, key: str, column: str, channel: str, factor: float | None = None) -> None:
        """What a column is: a channel, `time`, `date`, or nothing.

        Raises
        ------
        PinchError : that is not the name of a channel, or the factor makes no sense.
        """
        if channel and channel not in TIMES and not is_channel_name(channel):
            raise PinchError(
                tr("{column}: {channel!r} is not a channel such as cpu.temp.", column=column, channel=channel)
            )
        if factor is not None and (factor != factor or factor in (0.0, float("inf"), float("-inf"))):
            raise PinchError(tr("{column}: its values cannot be taken {factor:g} times.", column=column, factor=factor))
        old = self._uses[key][column]
        said = {"channel": channel, "factor": old.factor if factor is None else factor, "score": 1.0, "why": "said"}
        self._uses[key][column] = old.model_copy(update=said)

    def say_day_first(self, key: str, day_first: bool) -> None:
        """Whether dates begin with the day."""
        self._day_first[key] = day_first

    def take(self, key: str, mapping: ColumnMapping) -> None:
        """Take the uses of a mapping for a header that has all of its columns.

        Raises
        ------
        PinchError : it speaks of a column that is not there.
        """
        missing = [use.column for use in mapping.columns if use.column not in self._uses[key]]
        if missing:
            raise PinchError(tr("The mapping speaks of a column {missing!r} that is not there.", missing=missing[0]))
        self._uses[key].update({use.column: use for use in mapping.columns})
        if mapping.day_first is not None:
            self._day_first[key] = mapping.day_first

    def mapping(self, key: str) -> ColumnMapping:
        """All uses of a header as they are meant now."""
        day_first = self._day_first.get(key, self._guessed[key].day_first)
        return ColumnMapping(columns=tuple(self._uses[key].values()), day_first=day_first)

    @property
    def given(self) -> dict[str, ColumnMapping]:
        """The mappings that were asked about or changed, all of them sure now.

        Raises
        ------
        PinchError : two columns are the same channel.
        """
        made = {}
        for key in self._uses:
            mapping = self.mapping(key)
            if key in self._asked or mapping != self._guessed[key]:
                self._refuse_twice(mapping)
                sure = tuple(use.model_copy(update={"score": 1.0}) for use in mapping.columns)
                made[key] = mapping.model_copy(update={"columns": sure})
        return made

    @staticmethod
    def _refuse_twice(mapping: ColumnMapping) -> None:
        seen: dict[str, str] = {}
        for use in mapping.columns:
            if use.channel and use.channel not in TIMES and use.channel in seen:
                raise PinchError(
                    tr(
                        "{seen} and {column} cannot both be {channel}.",
                        seen=seen[use.channel],
                        column=use.column,
                        channel=use.channel,
                    )
                )
            seen[use.channel] = use.column


def began_words(started: datetime | None, day_s: float | None) -> str:
    """When a log began, as far as it tells."""
    if started is not None:
        return f"{started:%Y-%m-%d %H:%M:%S}"
    if day_s is None:
        return tr("not told")
    return f"{int(day_s) // 3600:02}:{int(day_s) // 60 % 60:02}:{int(day_s) % 60:02}"


def length_words(arrival: Arrival) -> str:
    """How long a log is, as minutes and seconds."""
    start, end = arrival.read.log.span_s
    return f"{int(end - start) // 60}:{int(end - start) % 60:02}"


def pair_words(arrival: Arrival) -> str:
    """The frames beside a log, and how they are aligned."""
    if arrival.pair is None:
        return ""
    return tr(
        "{frames}, {offset_s} s {how}",
        frames=arrival.pair.frames.name,
        offset_s=signed(arrival.pair.offset_s, 6),
        how=arrival.pair.how,
    )


def range_words(column: LogColumn) -> str:
    """What a column shows, as it stands in the file."""
    low, median, high = column.shown.low, column.shown.median, column.shown.high
    if low != low:
        return tr("no numbers")
    return (
        f"{plain(low, 5)}"
        if low == high
        else tr("{low} to {high}, middle {median}", low=plain(low, 5), high=plain(high, 5), median=plain(median, 5))
    )


def unit_words(use: ColumnUse) -> str:
    """The unit a column's channel has once it is converted."""
    return unit_of(use.channel) if use.channel not in ("", *TIMES) else ""


def asks_about_dates(log: ReadLog) -> bool:
    """Whether the dates of a log can be read either way round."""
    return any("the month first?" in question for question in log.questions)


def summary_words(arrivals: tuple[Arrival, ...], files: int, refused: int) -> str:
    """What came of the files."""
    runs = counted(len(arrivals), "run")
    read = counted(files, "file is", "files are")
    open_ones = sum(bool(a.open) for a in arrivals)
    said = [f"{read} {runs}."]
    if open_ones:
        said.append(
            tr(
                "{open_ones} still {what} something open.",
                open_ones=open_ones,
                what=tr("has") if open_ones == 1 else tr("have"),
            )
        )
    if refused:
        said.append(tr("{refused} cannot be read.", refused=refused))
    return " ".join(said)


def short_path(path: Path, shared: Path) -> str:
    """A file's place below the folder that all share."""
    return str(path.relative_to(shared)) if path.is_relative_to(shared) else path.name


def told_words(told: Told, value: ToldValue) -> tuple[str, str]:
    """Where a result belongs, and the result with what stands behind it."""
    power = tr(" at {power_w:g} W", power_w=told.power_w) if told.power_w is not None else ""
    behind = [tr("{units} units", units=value.units)] if value.units > 1 else []
    behind += [counted(value.n, "run")] if value.n > 1 or value.units == 1 else []
    whose = ", ".join([tr(told.origin), *behind, *filter(None, (told.told_by, day_words(told.day)))])
    where = (told.device, told.setting, told.workload, told.variant)
    name = LOW_NAMES.get(value.metric, value.metric)
    number = value.words.removeprefix(value.metric).strip()
    return ", ".join(filter(None, where)), f"{f'{name} {number}'.strip()}{power} ({whose})"
