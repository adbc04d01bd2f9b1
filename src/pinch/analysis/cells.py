"""The cells of a book: what runs and typed results share, so that their values are values of one thing."""

from collections.abc import Iterable, Mapping, Sequence, Set
from datetime import date

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.parts import Build
from pinch.bench.records import Device, Result, Setting, Workload
from pinch.bench.summaries import Origin
from pinch.bench.variants import own_name
from pinch.core.figures import Note
from pinch.language import tr

OWN = str(Origin.OWN)


class CellKey(Struct, frozen=True):
    """What the results of a cell share: the setting, the room, the builds of the device, whose figures they are, and
    where variants are compared the variant."""

    setting_id: int
    room_c: float | None
    builds: tuple[Build, ...]
    origin: str
    variant_id: int | None = None


class BenchCell(Struct, frozen=True, eq=False):
    """A setting of a device as it was tested: its runs and its typed results by workload number (that of the workload
    itself, where variants are compared). The `parts` of its name tell it from the other cells: device, setting,
    variant, conditions."""

    key: CellKey
    parts: tuple[str, ...]
    device: Device
    setting: Setting
    variant: Workload | None
    points: Mapping[int, tuple[RunPoint, ...]]
    results: Mapping[int, tuple[Result, ...]]
    left_out: tuple[Note, ...]

    @property
    def name(self) -> str:
        """What it is called."""
        return ", ".join(filter(None, self.parts))

    @property
    def workload_ids(self) -> frozenset[int]:
        """The workloads that it has anything of."""
        return frozenset((*self.points, *self.results))

    def power_w(self, workload_id: int | None = None) -> float:
        """Mean measured watts of its runs, of one workload where given; NaN where none were measured."""
        runs = [p for number, own in self.points.items() if workload_id in (None, number) for p in own]
        watts = [w for p in runs if (w := p.power_w) is not None]
        return sum(watts) / len(watts) if watts else float("nan")

    def days(self) -> tuple[date, ...]:
        """The days it was tested on, in their order."""
        return tuple(sorted({d for runs in self.points.values() for p in runs if (d := p.run.day) is not None}))


def cells_of(book: BookPoints, by_variant: bool = False) -> list[BenchCell]:
    """All cells of a book in the order of devices and settings; runs that do not count stand in `left_out`.

    `by_variant`: every variant of a workload makes cells of its own, so that variants can be set against each other.
    """
    roots = {w.variant_of for w in book.workloads if w.variant_of is not None} if by_variant else set()
    by_key: dict[CellKey, list[RunPoint]] = {}
    for p in book.points:
        by_key.setdefault(key_of(p, roots), []).append(p)
    typed = _typed(book, by_key, roots)
    keys = (*by_key, *(key for key in typed if key not in by_key))
    kept = [key for key in keys if key in typed or any(not p.why_not for p in by_key[key])]
    settings = {s.id: (d, s) for d, s in book.settings} | {p.setting.id: (p.device, p.setting) for p in book.points}
    order = {d.id: n for n, d in enumerate(book.devices)}
    places = {w.id: n for n, w in enumerate(book.workloads)}

    def place(key: CellKey) -> tuple[float, ...]:
        device, setting = settings[key.setting_id]
        return order[device.id], setting.sustained_w or 0.0, key.room_c or 0.0, places.get(key.variant_id or 0, -1)

    works = {w.id: w for w in book.workloads}
    alike: dict[int, list[CellKey]] = {}
    for key in kept:
        alike.setdefault(key.setting_id, []).append(key)
    return [
        _cell(key, settings[key.setting_id], by_key.get(key, []), typed.get(key, []), works, alike[key.setting_id])
        for key in sorted(kept, key=place)
    ]


def left_out_of(book: BookPoints, workload_ids: Sequence[int] = ()) -> list[Note]:
    """Why runs have no result, run by run, of these workloads where given."""
    lacking = [] if workload_ids else [Note("reference", words) for words in book.lacking]
    return lacking + [
        _left_out(p) for p in book.points if p.why_not and (not workload_ids or p.workload.id in workload_ids)
    ]


def key_of(p: RunPoint, roots: Set[int] = frozenset()) -> CellKey:
    """What a run shares with the others of its cell; with its variant where the `roots` have several."""
    variant = p.workload.id if p.workload.root_id in roots else None
    if p.run.summary is not None:
        return CellKey(p.run.setting_id, p.room_c, p.run.builds, str(p.run.summary.origin), variant)
    return CellKey(p.run.setting_id, p.room_c, p.run.builds or p.device.builds, OWN, variant)


def _typed(
    book: BookPoints, by_key: Mapping[CellKey, Sequence[RunPoint]], roots: set[int]
) -> dict[CellKey, list[Result]]:
    """Typed results by cell: that of their run, else the only one of their origin at their setting, else a new one."""
    of_run = {p.run.id: key for key, runs in by_key.items() for p in runs}
    of_setting: dict[tuple[int, str], set[CellKey]] = {}
    for key in by_key:
        of_setting.setdefault((key.setting_id, key.origin), set()).add(replace(key, variant_id=None))
    works = {w.id: w for w in book.workloads}
    of_device = {d.id: d.builds for d in book.devices}
    found: dict[CellKey, list[Result]] = {}
    for r in book.results:
        if r.workload_id not in works:
            continue
        if r.run_id is not None:
            if r.run_id in of_run:  # else its run was removed
                found.setdefault(of_run[r.run_id], []).append(r)
            continue
        variant = r.workload_id if works[r.workload_id].root_id in roots else None
        alike = of_setting.get((r.setting_id, str(r.origin)), set())
        own = {key for key in alike if not r.builds or key.builds == r.builds}
        builds = r.builds or (of_device.get(r.device_id, ()) if r.origin is Origin.OWN else ())
        alone = CellKey(r.setting_id, None, builds, str(r.origin), variant)
        key = replace(next(iter(own)), variant_id=variant) if len(own) == 1 else alone
        found.setdefault(key, []).append(r)
    return found


def _left_out(p: RunPoint) -> Note:
    return Note("left-out", f"{p.workload.name}, {p.name}: {p.why_not}")


def _cell(
    key: CellKey,
    of: tuple[Device, Setting],
    runs: Sequence[RunPoint],
    typed: Sequence[Result],
    works: Mapping[int, Workload],
    alike: Sequence[CellKey],
) -> BenchCell:
    def row(workload_id: int) -> int:
        return works[workload_id].root_id if key.variant_id is not None else workload_id

    points: dict[int, tuple[RunPoint, ...]] = {}
    results: dict[int, tuple[Result, ...]] = {}
    for p in runs:
        if not p.why_not:
            points[row(p.workload.id)] = (*points.get(row(p.workload.id), ()), p)
    for r in typed:
        results[row(r.workload_id)] = (*results.get(row(r.workload_id), ()), r)
    device, setting = of
    variant = works.get(key.variant_id) if key.variant_id is not None else None
    parts = (device.name, setting.name, own_name(variant) if variant else "", ", ".join(_conditions(key, alike)))
    left_out = tuple(_left_out(p) for p in runs if p.why_not)
    return BenchCell(key, parts, device, setting, variant, points, results, left_out)


def names_beside(cells: Sequence[BenchCell]) -> dict[CellKey, str]:
    """What tells cells from each other where they stand beside each other: the parts of their names that differ."""
    differing = [n for n in range(4) if len({c.parts[n] for c in cells}) > 1] or [0, 1]
    return {c.key: ", ".join(filter(None, (c.parts[n] for n in differing))) or c.name for c in cells}


def _conditions(key: CellKey, alike: Sequence[CellKey]) -> list[str]:
    """What tells a cell from the others of its setting."""
    words = []
    if key.origin == OWN and len({k.room_c for k in alike if k.origin == OWN}) > 1:
        words.append(tr("room not noted") if key.room_c is None else tr("{room_c:g} °C", room_c=key.room_c))
    if len({k.origin for k in alike}) > 1 and key.origin != OWN:
        words.append(tr(key.origin))
    builds = [k.builds for k in alike if k.origin == OWN]
    if key.origin == OWN and len(set(builds)) > 1:
        words.append(_build_words(key.builds, builds) or tr("builds not noted"))
    return words


def _build_words(own: Sequence[Build], all_of: Iterable[Sequence[Build]]) -> str:
    """The builds in which a cell differs from the others of its setting."""
    shared = set.intersection(*(set(b) for b in all_of))
    return " ".join(f"{b.what} {b.version or b.date}" for b in own if b not in shared)
