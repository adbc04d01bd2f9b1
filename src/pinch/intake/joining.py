"""Another book's records, runs and results taken into this one: what is of the same name joins, what is the same is
there once, nothing is lost. What stays behind is said."""

from collections.abc import Sequence
from typing import TypeVar

from msgspec import Struct, field

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Listed, Protocol, Run, Setting, Workload
from pinch.bench.variants import own_name
from pinch.core.printing import counted
from pinch.core.progress import Progress, tell, unheard
from pinch.intake.again import KnownLogs, content_of
from pinch.intake.filing import like
from pinch.intake.told_results import ThereAlready
from pinch.language import tr

L = TypeVar("L", bound=Listed)
OF_ITS_OWN = {"kept_id", "rig", "local", "reach", "shown", "device_id", "variant_of", "archived", "untold"}
"""Fields in which two records of one name may differ without being other things."""


class JoinedBook(Struct):
    """What came of another book: runs that are new, runs and results that were there, new results, and what is to be
    known."""

    name: str
    runs: list[int] = field(default_factory=list)
    results: int = 0
    skipped: int = 0
    notes: list[str] = field(default_factory=list)

    @property
    def words(self) -> str:
        """What became of it, in a sentence."""
        there = tr("; {skipped} were there already", skipped=self.skipped) if self.skipped else ""
        return tr(
            "{runs} and {results} of {name}{there}.",
            runs=counted(len(self.runs), "run"),
            results=counted(self.results, "result"),
            name=self.name,
            there=there,
        )


def join_book(book: Book, other: Book, progress: Progress = unheard) -> JoinedBook:
    """Take another book in. The caller makes it one change.

    Raises
    ------
    CancelledError : `progress` answered False.
    PinchError : a record of the other book will not do.
    """
    return _Joining(book, other, progress).done()


class _Joining:
    """The numbers that the records of the other book have in this one."""

    def __init__(self, book: Book, other: Book, progress: Progress) -> None:
        self.book, self.other, self.progress = book, other, progress
        self.found = JoinedBook(other.path.stem)
        self.devices: dict[int, int] = {}
        self.settings: dict[int, int] = {}
        self.workloads: dict[int, int] = {}
        self.protocols: dict[int, int] = {}
        self.runs: dict[int, int] = {}

    def done(self) -> JoinedBook:
        self._records()
        self._take_photos()
        self._take_runs()
        self._take_results()
        self._take_plans()
        self._say_what_stays()
        return self.found

    def _records(self) -> None:
        book, other = self.book, self.other
        self.devices = self._joined(Device, book.devices(), other.devices(), "device")
        for theirs, ours in self.devices.items():
            settings = [s.model_copy(update={"device_id": ours}) for s in other.settings(theirs)]
            self.settings |= self._joined(Setting, book.settings(ours), settings, "setting")
        roots = [w for w in other.workloads() if w.variant_of is None]
        self.workloads = self._joined(
            Workload, [w for w in book.workloads() if w.variant_of is None], roots, "workload"
        )
        for variant in (w for w in other.workloads() if w.variant_of is not None):
            root = self.workloads[variant.root_id]
            family = [w for w in book.workloads() if w.variant_of == root]
            same = next((w for w in family if own_name(w).casefold() == own_name(variant).casefold()), None)
            kept = same or book.save(variant.as_new(variant_of=root))
            self.workloads[variant.id] = kept.id
        self.protocols = self._joined(Protocol, book.protocols(), other.protocols(), "protocol")
        self._joined(Instrument, book.instruments(), other.instruments(), "instrument")

    def _joined(self, kind: type[L], ours: Sequence[L], theirs: Sequence[L], what: str) -> dict[int, int]:
        """Their records of a kind by number, as ours: those of the same name, else new ones."""
        numbers = {}
        for record in theirs:
            same = like(record.name, ours)
            if same is None:
                fresh = {"local": False, "rig": None, "reach": ""} if kind is Device else {}
                numbers[record.id] = self.book.save(record.as_new(**fresh)).id
                continue
            numbers[record.id] = same.id
            fields = type(record).model_fields
            apart = [
                (info.title or name).lower()
                for name, info in fields.items()
                if name not in OF_ITS_OWN and getattr(record, name) != getattr(same, name)
            ]
            if apart:
                differ = ", ".join(apart[:4]) + (" …" if len(apart) > 4 else "")
                self.found.notes.append(
                    tr(
                        "The {what} {same} stays as it is here; there it differs in {differ}.",
                        what=what,
                        same=same.name,
                        differ=differ,
                    )
                )
        return numbers

    def _take_photos(self) -> None:
        """Pictures of devices; those of runs come with them."""
        for there, here in self.devices.items():
            known = {photo.jpeg for photo in self.book.photos(here)}
            for photo in self.other.photos(there):
                if photo.jpeg not in known:
                    self.book.save(photo.as_new(device_id=here))

    def _take_runs(self) -> None:
        known = KnownLogs(self.book)
        told = {(r.setting_id, r.workload_id, r.summary): r.id for r in self.book.runs() if r.summary is not None}
        runs = self.other.runs()
        for number, run in enumerate(runs):
            tell(self.progress, number / len(runs))
            place = self.devices[run.device_id], self.settings[run.setting_id], self.workloads[run.workload_id]
            log = runlogs.read_log(self.other, run.id)
            if run.summary is not None:
                there = told.get((*place[1:], run.summary))
            else:
                same = known.run_of(log, content_of(log)) if log.samples else None
                there = same.id if same is not None else None
            if there is not None:
                self.runs[run.id] = there
                self.found.skipped += 1
                continue
            ids = dict(zip(("device_id", "setting_id", "workload_id"), place, strict=True))
            protocol = self.protocols.get(run.protocol_id or 0)
            fresh = run.as_new(**ids, protocol_id=protocol, repeat=self.book.next_repeat(*place))
            kept: Run = self.book.save(fresh)
            runlogs.append_log(self.book, kept.id, log)
            for mark in runlogs.marks_of(self.other, run.id):
                runlogs.add_mark(self.book, kept.id, mark)
            read = {r.id: self.book.save(r.as_new(run_id=kept.id)).id for r in self.other.readings(run.id)}
            for photo in self.other.photos(run.device_id, run.id):
                of = {"device_id": place[0], "run_id": kept.id, "reading_id": read.get(photo.reading_id or 0)}
                self.book.save(photo.as_new(**of))
            self.runs[run.id] = kept.id
            self.found.runs.append(kept.id)

    def _take_results(self) -> None:
        there = ThereAlready(self.book)
        for result in self.other.results():
            moved = result.as_new(
                device_id=self.devices[result.device_id],
                setting_id=self.settings[result.setting_id],
                workload_id=self.workloads[result.workload_id],
                run_id=self.runs.get(result.run_id or 0),
            )
            if there.has(moved):
                self.found.skipped += 1
            else:
                self.book.save(moved)
                self.found.results += 1

    def _take_plans(self) -> None:
        names = {plan.name for plan in self.book.plans()}
        for plan in self.other.plans():
            if plan.name in names:
                self.found.notes.append(tr("The plan {plan} stays as it is here.", plan=plan.name))
                continue
            cells = [
                cell.model_copy(
                    update={
                        "setting_id": self.settings[cell.setting_id],
                        "workload_id": self.workloads[cell.workload_id],
                    }
                )
                for cell in plan.cells
                if cell.setting_id in self.settings and cell.workload_id in self.workloads
            ]
            entries = [
                entry.model_copy(
                    update={
                        "setting_id": self.settings[entry.setting_id],
                        "workload_id": self.workloads[entry.workload_id],
                        "run_id": self.runs.get(entry.run_id or 0),
                    }
                )
                for entry in plan.entries
                if entry.setting_id in self.settings and entry.workload_id in self.workloads
            ]
            protocol = self.protocols.get(plan.protocol_id or 0)
            fresh: Plan = plan.as_new(cells=tuple(cells), entries=tuple(entries), protocol_id=protocol)
            self.book.save(fresh)

    def _say_what_stays(self) -> None:
        cards = self.other.count_cards()
        if cards:
            words = counted(cards, "card")
            self.found.notes.append(
                tr("Its deck of {words} and its report stay there: they speak of that book.", words=words)
            )
        if self.other.acceptances():
            self.found.notes.append(tr("What was accepted there as harmless is open here."))
        if self.other.questions():
            self.found.notes.append(tr("What was asked there is not asked here."))
