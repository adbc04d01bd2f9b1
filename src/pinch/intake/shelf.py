"""Records by their names, as a book has them however they are spelled; new ones where it has none. Looked up in memory,
so that thousands of rows are filed without asking the book each time."""

import re

from pinch.bench.book import Book
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Device, Setting, WorkKind, Workload, checked, live
from pinch.bench.variants import add_variant, own_name
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import MAIN, Better, built_in
from pinch.intake.filing import like
from pinch.intake.table_roles import KnownNames, Role
from pinch.language import tr

TIMES = ("s", "ms", "min", "h")
LESS_IS_BETTER = (*TIMES, "W", "Wh", "°C", "dB(A)", "dB", "rpm")
"""Units of which less is better, where nobody said otherwise."""

Place = tuple[Device, Setting, Workload]


class Shelf:
    """The records of one book while tables or logs are taken in; nobody else changes it meanwhile."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._devices = live(book.devices())
        self._settings: dict[int, list[Setting]] = {}
        self._roots: dict[int, Workload] = {}
        self._families: dict[int, list[Workload]] = {}
        for work in live(book.workloads()):
            self._families.setdefault(work.root_id, []).append(work)
            if work.variant_of is None:
                self._roots[work.id] = work
        self._found: dict[tuple[object, ...], Place] = {}

    def place(
        self,
        names: tuple[str, str, str, str],
        claimed_w: float | None = None,
        unit: str = "",
        rate: str = "score.rate",
        on_battery: bool = False,
        rundown: bool = False,
    ) -> Place:
        """The records of a device, a setting, a workload and a variant (empty: the workload as it is). A new setting
        claims these watts and is on mains or on battery; a new workload has this channel of its rate and this unit
        (none: points), and is a game's scene where frames are logged of it, else a rundown where that is said.

        Raises
        ------
        PinchError : a name will not do; then nothing is added.
        """
        key = (*names, claimed_w)
        if key not in self._found:
            kind = WorkKind.GAME if rate == FRAME_RATE else WorkKind.RUNDOWN if rundown else WorkKind.OTHER
            self._found[key] = self._place(names, claimed_w, unit, rate, not on_battery, kind)
        return self._found[key]

    def know_metric(self, workload: Workload, metric: str, unit: str) -> OwnMetric | None:
        """The workload's own metric of this name, made where it has none (without a unit in that of its score); None:
        it is built in."""
        if metric in MAIN:
            return None
        root = self._roots.get(workload.root_id, workload)
        own = next((m for m in root.metrics if m.name.casefold() == metric.casefold()), None)
        if own is not None:
            return own
        try:
            built_in(metric)
        except DataError:
            unit = unit or root.score_unit
            better = Better.LESS if unit in LESS_IS_BETTER else Better.MORE
            own = OwnMetric(name=metric, unit=unit, better=better)
            self._roots[root.id] = self._book.save(root.model_copy(update={"metrics": (*root.metrics, own)}))
            return own
        return None

    def _place(
        self,
        names: tuple[str, str, str, str],
        claimed_w: float | None,
        unit: str,
        rate: str,
        mains: bool,
        kind: WorkKind,
    ) -> Place:
        device, setting, work, variant = names
        frames = rate == FRAME_RATE
        units = {"score_unit": "fps" if frames else unit or "points", "higher_is_better": unit not in TIMES}
        new_device: Device = checked(Device, tr("The device"), name=device)
        new_work: Workload = checked(Workload, tr("The workload"), name=work, rate_channel=rate, kind=kind, **units)
        checked(Setting, tr("The setting"), device_id=0, name=setting, sustained_w=claimed_w)
        its_device = like(device, self._devices)
        if its_device is None:
            its_device = self._book.save(new_device)
            self._devices.append(its_device)
        of_device = self._settings_of(its_device)
        its_setting = like(setting, of_device)
        if its_setting is None:
            claimed_w = claimed_w or _watts_named(setting)
            fields = {"device_id": its_device.id, "name": setting, "sustained_w": claimed_w, "mains": mains}
            its_setting = self._book.save(checked(Setting, tr("The setting"), **fields))
            of_device.append(its_setting)
        its_work = like(work, self._roots.values()) or like(work, self._variants())
        if its_work is None:
            its_work = self._book.save(new_work)
            self._roots[its_work.id] = its_work
            self._families[its_work.id] = [its_work]
        return its_device, its_setting, self._variant(its_work, variant) if variant else its_work

    def _variant(self, work: Workload, name: str) -> Workload:
        """The variant of a workload by its name, however it is spelled; a new one where it has none."""
        own = self._families[work.root_id]
        found = next((w for w in own if own_name(w).casefold() == name.casefold()), None)
        if found is None:
            found = add_variant(self._book, work, name, own, preset=name)
            own.append(found)
        return found

    def _variants(self) -> list[Workload]:
        return [w for family in self._families.values() for w in family if w.variant_of is not None]

    def _settings_of(self, device: Device) -> list[Setting]:
        if device.id not in self._settings:
            self._settings[device.id] = live(self._book.settings(device.id))
        return self._settings[device.id]


def _watts_named(setting: str) -> float | None:
    """The watts that a setting claims by its name, such as 15 W; None where its name is another."""
    named = re.fullmatch(r"(\d{1,3}(?:[.,]\d{1,2})?)\s*W(?:atts?)?", setting.strip(), re.IGNORECASE)
    return float(named[1].replace(",", ".")) if named else None


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
