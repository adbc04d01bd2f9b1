"""One device over a grid: workloads by variants or by settings, each field with its average and its low, and what a row
says: which columns reach a rate, lows above another average, caps that were reached."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import cell_value
from pinch.analysis.points import BookPoints
from pinch.analysis.work_metrics import metric_of
from pinch.bench.records import Workload
from pinch.bench.variants import own_name
from pinch.core.metrics import AVERAGE, SCORE

TARGETS_FPS = (60.0, 120.0, 144.0)
AT_CAP = 0.98
"""From this share of its frame cap on an average counts as held by it. Common practice, no source."""


class Across(StrEnum):
    """What the columns of a matrix are."""

    VARIANT = "variants"
    SETTING = "settings"


@dataclass(frozen=True)
class GridField:
    """What a workload at a column came to; NaN where one was not measured."""

    average: float
    low: float
    capped: bool


@dataclass(frozen=True)
class GridRow:
    """A workload with its field in each column, None where there is nothing; `unit` of its averages, and whether less
    is better."""

    name: str
    unit: str
    less_is_better: bool
    fields: tuple[GridField | None, ...]


@dataclass(frozen=True)
class Grid:
    """The grid of one device. `low` is the key of the low that stands beside the averages."""

    across: Across
    columns: tuple[str, ...]
    rows: tuple[GridRow, ...]
    low: str


@dataclass(frozen=True)
class Reached:
    """The columns of a row at which an average is at least a rate and its low a share of that rate, None: at none."""

    target_fps: float
    columns: tuple[str, ...]


def grid_of(book: BookPoints, cells: Sequence[BenchCell], base: BenchCell, across: Across, low: str) -> Grid:
    """The grid of the base's device: workloads by their variants at the base's setting, or by all settings that share
    its room and origin. `cells` are those without variants told apart."""
    of = _by_settings if across is Across.SETTING else _by_variants
    columns, rows = of(book, cells, base, low)
    return Grid(across, columns, tuple(rows), low)


def _by_settings(
    book: BookPoints, cells: Sequence[BenchCell], base: BenchCell, low: str
) -> tuple[tuple[str, ...], list[GridRow]]:
    held = (base.key.room_c, base.key.origin)
    own = [c for c in cells if c.device.id == base.device.id and (c.key.room_c, c.key.origin) == held]
    by_name = {c.setting.name: c for c in own}
    works = [w for w in book.workloads if any(w.id in c.workload_ids for c in own)]
    return tuple(by_name), [_row(w.name, w, [(cell, w) for cell in by_name.values()], low) for w in works]


def _by_variants(
    book: BookPoints, _: Sequence[BenchCell], base: BenchCell, low: str
) -> tuple[tuple[str, ...], list[GridRow]]:
    families: dict[int, list[Workload]] = {}
    for w in book.workloads:
        if w.id in base.workload_ids:
            families.setdefault(w.root_id, []).append(w)
    names = {w.id: w.name for w in book.workloads}
    families = {root: own for root, own in families.items() if len(own) > 1} or families
    columns = _lightest_first(base, [w for own in families.values() for w in own])
    rows = []
    for root, own in families.items():
        by_name = {own_name(w): w for w in own}
        rows.append(_row(names[root], own[0], [(base, by_name.get(name)) for name in columns], low))
    return columns, rows


def _lightest_first(cell: BenchCell, works: Sequence[Workload]) -> tuple[str, ...]:
    """The variants by name, those with the highest rates first, as shares of the fastest of their own workload."""
    best: dict[int, float] = {}
    rates = {w.id: cell_value(cell, w, AVERAGE) or cell_value(cell, w, SCORE) or 0.0 for w in works}
    for w in works:
        best[w.root_id] = max(best.get(w.root_id, 0.0), rates[w.id])
    shares: dict[str, list[float]] = {}
    for w in works:
        shares.setdefault(own_name(w), []).append(rates[w.id] / best[w.root_id] if best[w.root_id] else 0.0)
    return tuple(sorted(shares, key=lambda name: -sum(shares[name]) / len(shares[name])))


def reached(matrix: Grid, row: GridRow, share: float, targets: Sequence[float] = TARGETS_FPS) -> list[Reached]:
    """At which columns a row reaches each rate; `share`: what of the rate the low has to be (0: any)."""
    found = []
    for target in targets:
        columns = [
            name
            for name, field in zip(matrix.columns, row.fields, strict=True)
            if field is not None and field.average >= target and (share <= 0.0 or field.low >= share * target)
        ]
        found.append(Reached(target, tuple(columns)))
    return found


def lows_above(matrix: Grid, row: GridRow) -> list[tuple[str, str]]:
    """Pairs of columns of which the low of the first lies above the average of the second."""
    known = [(name, f) for name, f in zip(matrix.columns, row.fields, strict=True) if f is not None]
    return [(a, b) for a, f in known for b, g in known if a != b and f.low > g.average]


def _row(name: str, like: Workload, places: Sequence[tuple[BenchCell, Workload | None]], low: str) -> GridRow:
    fields: list[GridField | None] = []
    for cell, work in places:
        average = low_value = None
        if work is not None:
            average = cell_value(cell, work, AVERAGE)
            average = cell_value(cell, work, SCORE) if average is None else average
            low_value = cell_value(cell, work, low)
        if average is None and low_value is None:
            fields.append(None)
            continue
        cap = work.frame_cap_fps if work else None
        capped = bool(cap and average and average >= AT_CAP * cap)
        known = [float("nan") if v is None else v for v in (average, low_value)]
        fields.append(GridField(known[0], known[1], capped))
    metric = metric_of(like, AVERAGE)
    return GridRow(name, metric.unit, not like.higher_is_better, tuple(fields))
