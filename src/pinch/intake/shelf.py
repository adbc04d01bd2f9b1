"""Records by their names, as a book has them however they are spelled; new ones where it has none. Looked up in memory,
so that thousands of rows are filed without asking the book each time."""

from pinch.bench.book import Book
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Device, Setting, WorkKind, Workload, live
from pinch.bench.variants import add_variant, own_name, variants_of
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import MAIN, Better, built_in
from pinch.intake.belonging import find_or_add
from pinch.intake.filing import Filed, like
from pinch.intake.table_roles import KnownNames, Role

TIMES = ("s", "ms", "min", "h")
LESS_IS_BETTER = (*TIMES, "W", "Wh", "°C", "dB(A)", "dB", "rpm")
"""Units of which less is better, where nobody said otherwise."""

Place = tuple[Device, Setting, Workload]


class Shelf:
    """The records of one book while a table is taken in; nobody else changes it meanwhile."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._devices = live(book.devices())
        self._settings: dict[int, list[Setting]] = {}
        self._workloads = live(book.workloads())
        self._found: dict[tuple[object, ...], Place] = {}

    def place(
        self,
        names: tuple[str, str, str, str],
        claimed_w: float | None = None,
        unit: str = "",
        frames: bool = False,
    ) -> Place:
        """The records of a device, a setting, a workload and a variant (empty: the workload as it is). A new workload
        has this unit (none: points), and is a game's scene where `frames` are told of it.

        Raises
        ------
        PinchError : a name will not do.
        """
        key = (*names, claimed_w)
        if key not in self._found:
            self._found[key] = self._place(names, claimed_w, unit, frames)
        return self._found[key]

    def know_metric(self, workload: Workload, metric: str, unit: str) -> OwnMetric | None:
        """The workload's own metric of this name, made where it has none (without a unit in that of its score); None:
        it is built in."""
        if metric in MAIN:
            return None
        root = self._root(workload)
        own = next((m for m in root.metrics if m.name.casefold() == metric.casefold()), None)
        if own is not None:
            return own
        try:
            built_in(metric)
        except DataError:
            unit = unit or root.score_unit
            better = Better.LESS if unit in LESS_IS_BETTER else Better.MORE
            own = OwnMetric(name=metric, unit=unit, better=better)
            self._keep_workload(root.model_copy(update={"metrics": (*root.metrics, own)}))
            return own
        return None

    def _place(self, names: tuple[str, str, str, str], claimed_w: float | None, unit: str, frames: bool) -> Place:
        known = like(names[0], self._devices)
        setting = like(names[1], self._settings_of(known)) if known else None
        work = like(names[2], self._workloads)
        filed = Filed(
            known.name if known else names[0], setting.name if setting else names[1], work.name if work else names[2]
        )
        if known is None or setting is None or work is None:
            rate = FRAME_RATE if frames else "score.rate"
            made = find_or_add(self._book, filed.device, filed.setting, claimed_w, filed.workload, rate)
            if work is None:
                made = (*made[:2], self._with_unit(made[2], unit, frames))
            known, setting, work = made
            self._devices, self._settings = live(self._book.devices()), {}
            self._workloads = live(self._book.workloads())
        return known, setting, self._variant(work, names[3]) if names[3] else work

    def _with_unit(self, work: Workload, unit: str, frames: bool) -> Workload:
        fields: dict[str, object] = {"score_unit": unit or "points", "higher_is_better": unit not in TIMES}
        if frames:
            fields["kind"] = WorkKind.GAME
        return self._book.save(work.model_copy(update=fields))

    def _variant(self, work: Workload, name: str) -> Workload:
        """The variant of a workload by its name, however it is spelled; a new one where it has none."""
        own = variants_of(work.root_id, self._workloads)
        found = next((w for w in own if own_name(w).casefold() == name.casefold()), None)
        if found is None:
            found = add_variant(self._book, work, name, preset=name)
            self._workloads = live(self._book.workloads())
        return found

    def _settings_of(self, device: Device) -> list[Setting]:
        if device.id not in self._settings:
            self._settings[device.id] = live(self._book.settings(device.id))
        return self._settings[device.id]

    def _root(self, workload: Workload) -> Workload:
        return next((w for w in self._workloads if w.id == workload.root_id), workload)

    def _keep_workload(self, root: Workload) -> None:
        self._book.save(root)
        self._workloads = live(self._book.workloads())
        self._found = {k: p for k, p in self._found.items() if p[2].root_id != root.id}


def known_names(book: Book) -> KnownNames:
    """The names that a book has, by which the headers of tables are known."""
    devices, works = live(book.devices()), live(book.workloads())
    names = {
        Role.DEVICE: [d.name for d in devices],
        Role.SETTING: [s.name for d in devices for s in live(book.settings(d.id))],
        Role.WORKLOAD: [w.name for w in works if w.variant_of is None],
        Role.VARIANT: [own_name(w) for w in works if w.variant_of is not None],
        Role.METRIC: [m.name for w in works for m in w.metrics],
    }
    return KnownNames({role: frozenset(n.casefold() for n in own) for role, own in names.items()})
