"""What of a book may name people, places and machines: counted before anything leaves, left out unless asked for.

This is the one door: records leave by `open_part`, marks by `open_marks`, tables by `open_table`, charts by
`open_chart`, documents of records by `open_exchange`. The whole book as open files is the operator's own copy and has
everything.
"""

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.plain_tables import Table
from pinch.bench.cards import Private
from pinch.bench.exchange import Exchange
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Device, Protocol, Record, Run, Setting, Workload
from pinch.charts.face import Drawn
from pinch.charts.multiples_chart import GridChart
from pinch.charts.spec import Chart
from pinch.core.runlog import Mark
from pinch.language import tr

_FIELDS: Mapping[Private, frozenset[str]] = {
    Private.NOTES: frozenset({"notes", "note"}),
    Private.SERIALS: frozenset({"serial", "address"}),
    Private.HOSTS: frozenset({"reach", "command", "folder", "frame_log", "source", "score_pattern"}),
    Private.MARKS: frozenset({"reason", "window", "void"}),
    Private.CHECKS: frozenset({"before", "in_spite_of"}),
    Private.SELLERS: frozenset({"seller"}),
}
"""Fields of records by what they may tell."""
_COLUMNS: Mapping[Private, tuple[str, ...]] = {
    Private.NOTES: ("notes", "note"),
    Private.MARKS: ("void",),
    Private.CHECKS: (tr("started in spite of"),),
}
"""Columns of tables likewise."""
RIG = "rig"
"""What simulated devices and meters are reached by: it names nobody."""
_OF_THIS_BOOK = frozenset({"archived", "shown", "rig", "local", "untold", "removed"})
"""Fields that say nothing to others."""


class PrivateCount(Struct, frozen=True):
    """How often something private occurs, with an example."""

    what: Private
    count: int
    example: str


class Behind(Struct, frozen=True):
    """All records behind a report."""

    devices: Sequence[Device]
    settings: Sequence[Setting]
    workloads: Sequence[Workload]
    protocols: Sequence[Protocol]
    instruments: Sequence[Instrument]
    runs: Sequence[Run]
    readings: Sequence[Reading]
    marks: int = 0

    @property
    def records(self) -> list[Record]:
        """All of them."""
        first = (*self.devices, *self.settings, *self.workloads, *self.protocols, *self.instruments)
        return [*first, *self.runs, *self.readings]


def private_counts(behind: Behind) -> list[PrivateCount]:
    """What private things stand behind a report, those that occur."""
    return _counted(*(record.model_dump(mode="json") for record in behind.records), marks=behind.marks)


def _counted(*records: Mapping[str, Any], marks: int = 0) -> list[PrivateCount]:
    found: dict[Private, list[str]] = {what: [] for what in Private}
    for record in records:
        _collect(record, found)
    found[Private.MARKS] += [tr("a mark")] * marks
    return [PrivateCount(what, len(texts), texts[0][:80]) for what, texts in found.items() if texts]


def open_part(record: Record, allowed: Collection[Private], *more: str) -> dict[str, Any]:
    """A record without what is private and not allowed, without what only this book needs, and without `more`."""
    hidden = set().union(*(_FIELDS[what] for what in Private if what not in allowed))
    return _without(record.model_dump(mode="json"), hidden | _OF_THIS_BOOK | set(more))


def open_marks(marks: Sequence[Mark], allowed: Collection[Private]) -> list[dict[str, object]]:
    """The marks of a run, where they may leave."""
    return [{"t_s": mark.t_s, "text": mark.text} for mark in marks] if Private.MARKS in allowed else []


def open_table(table: Table, allowed: Collection[Private]) -> Table:
    """A table without the columns that are private and not allowed; of a void run it only says that it is one."""
    hidden = {name for what, names in _COLUMNS.items() if what not in allowed for name in names}
    coarse = {n for n, column in enumerate(table.columns) if column.name == "void" and column.name in hidden}
    kept = [n for n, column in enumerate(table.columns) if n in coarse or column.name not in hidden]
    rows = tuple(tuple(bool(row[n]) if n in coarse else row[n] for n in kept) for row in table.rows)
    return Table(table.name, tuple(table.columns[n] for n in kept), rows)


def open_chart(chart: Drawn, allowed: Collection[Private]) -> Drawn:
    """A chart as it may leave: marks say what somebody did, and when."""
    if Private.MARKS in allowed:
        return chart
    if isinstance(chart, Chart):
        return replace(chart, marks=())
    if isinstance(chart, GridChart):
        return replace(chart, cells=tuple(replace(cell, marks=()) for cell in chart.cells))
    return chart


def open_exchange(exchange: Exchange, allowed: Collection[Private]) -> Exchange:
    """A document of records without what is private and not allowed."""
    hidden = set().union(*(_FIELDS[what] for what in Private if what not in allowed))
    return Exchange.model_validate(_without(exchange.model_dump(mode="json", exclude_defaults=True), hidden))


def exchange_counts(exchange: Exchange) -> list[PrivateCount]:
    """What private things a document of records holds, those that occur."""
    return _counted(exchange.model_dump(mode="json", exclude_defaults=True))


def _without(data: dict[str, Any], hidden: Collection[str]) -> dict[str, Any]:
    kept: dict[str, Any] = {}
    for key, value in data.items():
        if key in hidden:
            if key == "void":
                kept[key] = bool(value)
            continue
        if isinstance(value, dict):
            kept[key] = _without(value, hidden)
        elif isinstance(value, list):
            kept[key] = [_without(item, hidden) if isinstance(item, dict) else item for item in value]
        else:
            kept[key] = value
    return kept


def _collect(data: Mapping[str, Any], found: Mapping[Private, list[str]]) -> None:
    """Texts of private fields that hold something."""
    for key, value in data.items():
        what = next((w for w, fields in _FIELDS.items() if key in fields), None)
        if what is not None and value and value != RIG:
            found[what].append(str(value[0] if isinstance(value, list) else value))
        elif isinstance(value, dict):
            _collect(value, found)
        elif isinstance(value, list):
            for item in value:
                if isinstance(item, dict):
                    _collect(item, found)
