"""Cards of the chart deck and the report: what is asked of the book, not what came out. A card is worked out anew from
its query, so new runs change it; only words that somebody wrote are kept."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from pinch.bench.fields import Name, Part
from pinch.bench.parts import Build, PriceOf, Rate
from pinch.bench.records import Record
from pinch.core.sound import Grade
from pinch.language import tr


class CardKind(StrEnum):
    """What a card is drawn as."""

    BARS = "bars with intervals"
    DUMBBELL = "pairs on one axis"
    SLOPE = "slopes from one to the next"
    MONEY = "score over price"
    CURVES = "curves over watts"
    EFFICIENCY = "score over watts, lines of equal efficiency"
    MULTIPLES = "small curves, one a workload"
    TIMELINE = "timeline with what held it"
    FRAMES = "sorted frame times"
    HEAT = "heat, measured and fitted"
    SHARES = "what held it, as shares"
    SHEET = "modes sheet"
    WALL = "wall over package"
    BATTERY = "draw of the battery"
    SOUND = "score over noise"
    TABLE = "table"


class RunsQuery(Part):
    """Single runs; several are laid over each other."""

    of: Literal["runs"] = "runs"
    run_ids: tuple[int, ...]


class CurvesQuery(Part):
    """Score against watts; fields as the Scale page has them, None or empty where it has none."""

    of: Literal["curves"] = "curves"
    device_ids: tuple[int, ...]
    workload_ids: tuple[int, ...]
    room_c: float | None = None
    measure: str = "average"
    low: str = "low_1.percentile"
    axis: str = "package"
    delta: float = 0.03
    worth: float = 0.01
    target: float | None = None
    low_share: float = 0.0
    rule: str = "95%"
    second: str = tr("score only")
    reader_w: float | None = None
    subject: int | None = None


class CellQuery(Part):
    """A cell: a setting in a room with some builds, and whose figure it is."""

    setting_id: int
    room_c: float | None = None
    builds: tuple[Build, ...] = ()
    origin: str = "own test"
    variant_id: int | None = None


class CellsQuery(Part):
    """Cells set against the first of them; with `grid` that one's device over a grid by variants or settings, and the
    share of a wanted rate that the low has to reach; `price`: which price of each device, with typed `rates`."""

    of: Literal["cells"] = "cells"
    cells: tuple[CellQuery, ...]
    workload_ids: tuple[int, ...]
    measure: str = "average"
    delta: float = 0.03
    by_score: bool = True
    absolute: bool = False
    subject: int | None = None
    grid: str = ""
    low_share: float = 0.0
    price: PriceOf = PriceOf.TESTED
    rates: tuple[Rate, ...] = ()


class ModesQuery(Part):
    """The settings of a device under a workload."""

    of: Literal["modes"] = "modes"
    device_id: int
    workload_id: int
    room_c: float | None = None
    grade: Grade = Grade.SURVEY
    share: float = 0.9
    package_w: float = 15.0
    limit_db: float = 35.0


class UnitsQuery(Part):
    """Devices with how they came and what they cost; all of them where none is named."""

    of: Literal["units"] = "units"
    device_ids: tuple[int, ...] = ()


class TestedQuery(Part):
    """How many runs there are of each setting and workload."""

    of: Literal["tested"] = "tested"
    device_ids: tuple[int, ...] = ()


Query = Annotated[
    RunsQuery | CurvesQuery | CellsQuery | ModesQuery | UnitsQuery | TestedQuery, Field(discriminator="of")
]
KINDS: dict[str, tuple[CardKind, ...]] = {
    "runs": (CardKind.TIMELINE, CardKind.FRAMES, CardKind.HEAT, CardKind.SHARES),
    "curves": (CardKind.CURVES, CardKind.EFFICIENCY, CardKind.MULTIPLES, CardKind.TABLE),
    "cells": (CardKind.BARS, CardKind.DUMBBELL, CardKind.SLOPE, CardKind.SHARES, CardKind.MONEY, CardKind.TABLE),
    "modes": (CardKind.SHEET, CardKind.SHARES, CardKind.WALL, CardKind.BATTERY, CardKind.SOUND),
    "units": (CardKind.TABLE,),
    "tested": (CardKind.TABLE,),
}
"""What a query can be drawn as, the usual first."""


class Card(Record):
    """A card of the deck; `name` is its title. `finding` is what somebody wrote in place of the composed sentence
    (empty: as composed), `seen` the composed one when it was last agreed to and `seen_method` the version of the
    methods then (no later than 4 in books of before), `footnote` a note of the operator's own. `place` is its order; a
    card that is not `in_report` is only in the deck."""

    name: Name
    kind: CardKind
    query: Query
    place: int = 0
    finding: Annotated[str, Field(max_length=600)] = ""
    seen: str = ""
    seen_method: int = 4
    footnote: Annotated[str, Field(max_length=600)] = ""
    in_report: bool = True


class Private(StrEnum):
    """What may name people, places and machines, and is left out of what leaves the bench unless it is asked for."""

    NOTES = "notes"
    SERIALS = "serial numbers and addresses"
    HOSTS = "hosts, commands and paths"
    MARKS = "marks, reasons of void runs"
    CHECKS = "checks before runs"
    SELLERS = "sellers"


class Quote(Part):
    """A sentence of Pinch's that somebody took over into words of their own: of what it was, and how it read then."""

    of: Annotated[str, Field(max_length=200)]
    words: Annotated[str, Field(max_length=4000)]


class Report(Record):
    """The report of a book: its words, which edition it is, who answers for it, and what of the private is left in.
    `speaks_for` and `speaks_against` have a line each point; `quotes` are sentences of Pinch's in these words."""

    title: Annotated[str, Field(max_length=200)] = ""
    standfirst: Annotated[str, Field(max_length=2000)] = ""
    verdict: Annotated[str, Field(max_length=4000)] = ""
    speaks_for: Annotated[str, Field(max_length=4000)] = ""
    speaks_against: Annotated[str, Field(max_length=4000)] = ""
    quotes: tuple[Quote, ...] = ()
    publication: Annotated[str, Field(max_length=200)] = ""
    author: Annotated[str, Field(max_length=200)] = ""
    edition: Annotated[str, Field(max_length=40)] = "1"
    disclosure: Annotated[str, Field(max_length=2000)] = ""
    device_id: int | None = None
    licence: str = "CC-BY-4.0"
    template: Annotated[str, Field(max_length=1000)] = ""
    private: tuple[Private, ...] = ()
