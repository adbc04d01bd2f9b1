"""One device over a grid: workloads by variants or by settings, each field with its average and its low, and what a row
says: which columns reach a rate, lows above another average, caps that were reached."""

import math
from collections.abc import Sequence
from enum import StrEnum

from msgspec import Struct

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import CellMetric, cell_value, metric_at
from pinch.analysis.points import BookPoints
from pinch.analysis.work_metrics import metric_of
from pinch.bench.records import Workload
from pinch.bench.variants import own_name
from pinch.core.metrics import AVERAGE, SCORE
from pinch.language import tr

TARGETS_FPS = (60.0, 120.0, 144.0)
AT_CAP = 0.98
"""From this share of its frame cap on an average counts as held by it. Common practice, no source."""


class Across(StrEnum):
    """What the columns of a matrix are."""

    VARIANT = "variants"
    SETTING = "settings"
    GRAPHICS_SHARE = "graphics memory"


class GridField(Struct, frozen=True):
    """What a workload (a variant of it) at a cell came to: its rate or score and its low, None where one was not
    measured; whether its frame cap holds it."""

    cell: BenchCell
    workload: Workload
    main: CellMetric | None
    low_rate: CellMetric | None
    capped: bool

    @property
    def average(self) -> float:
        """The rate or score; NaN: none."""
        return self.main.score.mean if self.main is not None else math.nan

    @property
    def low(self) -> float:
        """The low; NaN: none."""
        return self.low_rate.score.mean if self.low_rate is not None else math.nan


class GridRow(Struct, frozen=True):
    """A workload with its field in each column, None where there is nothing; `unit` of its averages, and whether less
    is better."""

    name: str
    unit: str
    less_is_better: bool
    fields: tuple[GridField | None, ...]


class Grid(Struct, frozen=True):
    """The grid of one device. `low` is the key of the low that stands beside the averages."""

    across: Across
    columns: tuple[str, ...]
    rows: tuple[GridRow, ...]
    low: str


class Reached(Struct, frozen=True):
    """The columns of a row at which an average is at least a rate and its low a share of that rate, None: at none."""

    target_fps: float
    columns: tuple[str, ...]


def grid_of(book: BookPoints, cells: Sequence[BenchCell], base: BenchCell, across: Across, low: str) -> Grid:
    """The grid of the base's device: workloads by their variants at the base's setting, by all settings that share its
    room and origin, or each at every speed of the memory by how much of it the graphics have, at the base's limit.
    `cells` are those without variants told apart."""
    columns, rows = _MADE[across](book, cells, base, low)
    return Grid(across, columns, tuple(rows), low)


def _by_settings(
    book: BookPoints, cells: Sequence[BenchCell], base: BenchCell, low: str
) -> tuple[tuple[str, ...], list[GridRow]]:
    held = (base.key.room_c, base.key.origin)
    own = [c for c in cells if c.device.id == base.device.id and (c.key.room_c, c.key.origin) == held]
    by_name = {c.setting.name: c for c in own}
    works = [w for w in book.workloads if any(w.id in c.workload_ids for c in own)]
    return tuple(by_name), [_row(w.name, w, [(cell, w) for cell in by_name.values()], low) for w in works]


def _by_graphics_share(
    book: BookPoints, cells: Sequence[BenchCell], base: BenchCell, low: str
) -> tuple[tuple[str, ...], list[GridRow]]:
    like = base.setting
    own = [
        c
        for c in cells
        if c.device.id == base.device.id
        and (c.key.room_c, c.key.origin) == (base.key.room_c, base.key.origin)
        and (c.setting.sustained_w, c.setting.mains) == (like.sustained_w, like.mains)
        and c.setting.graphics_memory_gb is not None
    ]
    shares = sorted({c.setting.graphics_memory_gb or 0.0 for c in own})
    speeds = sorted({_speed(c) for c in own})
    by_place = {(_speed(c), c.setting.graphics_memory_gb): c for c in own}
    rows = []
    for w in [w for w in book.workloads if any(w.id in c.workload_ids for c in own)]:
        for speed in speeds:
            name = tr("{name}, {speed:g} MT/s", name=w.name, speed=speed) if speed else w.name
            there = [by_place.get((speed, share)) for share in shares]
            rows.append(_row(name, w, [(cell or base, w if cell else None) for cell in there], low))
    return tuple(tr("{s:g} GB", s=s) for s in shares), rows


def _speed(cell: BenchCell) -> float:
    return cell.setting.memory_speed_mts or cell.device.memory.speed_mts or 0.0


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
        if work is None:
            fields.append(None)
            continue
        main, low_rate = metric_at(cell, work, AVERAGE) or metric_at(cell, work, SCORE), metric_at(cell, work, low)
        cap = work.frame_cap_fps
        capped = bool(cap and main is not None and main.score.mean >= AT_CAP * cap)
        there = main is not None or low_rate is not None
        fields.append(GridField(cell, work, main, low_rate, capped) if there else None)
    metric = metric_of(like, AVERAGE)
    return GridRow(name, metric.unit, not like.higher_is_better, tuple(fields))


_MADE = {Across.VARIANT: _by_variants, Across.SETTING: _by_settings, Across.GRAPHICS_SHARE: _by_graphics_share}
