"""The open book and what is being looked at. No Qt: pages subscribe and are told."""

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.judging import JudgeDesk
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book, scratch_book
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.bench.undo import UndoStack, UndoStep
from pinch.bench.waiting import take_in_waiting
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.runs.recording import Recording


class Subject(Struct, frozen=True):
    """What the context strip names; None: nothing chosen, or all."""

    device_id: int | None = None
    setting_id: int | None = None
    workload_id: int | None = None
    run_id: int | None = None


class Event:
    """Something that happens; whoever is interested is called, in the order of subscription."""

    def __init__(self) -> None:
        self._called: list[Callable[[], None]] = []

    def connect(self, call: Callable[[], None]) -> None:
        """Be told from now on."""
        self._called.append(call)

    def __call__(self) -> None:
        for call in list(self._called):
            call()


CHANGE_WAIT_S = 0.4
"""The window stands still while a change waits for another program: longer than any write of Pinch's own takes, and no
longer than one waits for a key."""


class Session:
    """One open book, the subject, the operator's undo, and the recording under way.

    Events: `book_opened`, `records_changed` (devices, settings, workloads or runs), `cards_changed` (the deck, the
    report and pictures), `subject_changed`.
    """

    def __init__(self, book: Book) -> None:
        self.book_opened, self.records_changed, self.subject_changed = Event(), Event(), Event()
        self.cards_changed = Event()
        self.subject = Subject()
        self.recording: Recording | None = None
        self.under_way = ""
        """What a thread is changing in the book, empty where nothing is."""
        self.told: tuple[str, ...] = ()
        """What is to be known of the book since it was opened."""
        self._adopt(book)

    def open(self, path: Path) -> None:
        """Open another book in place of this one; where that fails, this one stays."""
        self._switch(open_book(path))

    def create(self, path: Path) -> None:
        """A new book in place of this one."""
        self._switch(create_book(path))

    def leave(self) -> None:
        """Let go of the book's file: an empty book in memory stands for it until another is opened."""
        self._switch(scratch_book())

    def close(self) -> None:
        """Close the book."""
        self.book.close()

    @property
    def recording_now(self) -> bool:
        """Whether a run is being recorded."""
        return self.recording is not None and not self.recording.wait(0)

    def choose(
        self, device_id: int | None, setting_id: int | None, workload_id: int | None, run_id: int | None
    ) -> None:
        """Look at something else; what does not fit together any more is let go."""
        if setting_id is not None and setting_id not in [s.id for s in self.settings(device_id)]:
            setting_id = None
        wanted = Subject(device_id, setting_id, workload_id, run_id)
        fitting = [r.id for r in self.runs(wanted)]
        if run_id not in fitting:
            wanted = replace(wanted, run_id=fitting[-1] if fitting else None)
        if wanted != self.subject:
            self.subject = wanted
            self.subject_changed()

    def choose_run(self, run_id: int) -> None:
        """Look at a run, with its own device, setting and workload."""
        run = self.book.get(Run, run_id)
        wanted = Subject(run.device_id, run.setting_id, run.workload_id, run_id)
        if wanted != self.subject:
            self.subject = wanted
            self.subject_changed()

    def step_run(self, by: int) -> None:
        """The next (1) or the previous (−1) of the runs that the strip offers."""
        ids = [r.id for r in self.runs(self.subject)]
        if ids:
            at = ids.index(self.subject.run_id) if self.subject.run_id in ids else 0
            run_id = ids[max(0, min(len(ids) - 1, at + by))]
            self.subject = replace(self.subject, run_id=run_id)
            self.subject_changed()

    def settings(self, device_id: int | None) -> list[Setting]:
        """Settings of a device, none without one."""
        return [] if device_id is None else self.book.settings(device_id)

    def runs(self, subject: Subject) -> list[Run]:
        """Runs within a subject's device, setting and workload."""
        runs = self.book.runs(subject.device_id, subject.workload_id)
        return [r for r in runs if subject.setting_id is None or r.setting_id == subject.setting_id]

    @property
    def device(self) -> Device | None:
        """The chosen device."""
        return None if self.subject.device_id is None else self.book.get(Device, self.subject.device_id)

    @property
    def setting(self) -> Setting | None:
        """The chosen setting."""
        return None if self.subject.setting_id is None else self.book.get(Setting, self.subject.setting_id)

    @property
    def workload(self) -> Workload | None:
        """The chosen workload."""
        return None if self.subject.workload_id is None else self.book.get(Workload, self.subject.workload_id)

    @property
    def run(self) -> Run | None:
        """The chosen run."""
        return None if self.subject.run_id is None else self.book.get(Run, self.subject.run_id)

    def slot(self, device_id: int) -> int:
        """Place of a device in the colours and markers: the order in which devices came into the book."""
        ids = [d.id for d in self.book.devices()]
        return ids.index(device_id) if device_id in ids else 0

    def change(self, label: str, work: Callable[[], object]) -> None:
        """Do an undoable change to the book."""
        self._refuse_meanwhile()
        with self.undo_stack.step(label):
            work()
        self.records_changed()

    def change_begins(self, label: str) -> None:
        """A change is being made in a thread; until it ends, nothing else changes the book.

        Raises
        ------
        PinchError : another one is under way.
        """
        self._refuse_meanwhile()
        self.under_way = label

    def change_ends(self, step: UndoStep | None) -> None:
        """The change in a thread is over, with the step that takes it back where it changed something."""
        self.under_way = ""
        if step is not None:
            self.undo_stack.adopt(step)
            self.records_changed()

    def change_cards(self, label: str, work: Callable[[], object]) -> None:
        """Do an undoable change to the deck, the report or pictures, on which no judgement rests."""
        self._refuse_meanwhile()
        with self.undo_stack.step(label):
            work()
        self.cards_changed()

    def undo(self) -> str | None:
        """Take the last change back; returns what it was."""
        self._refuse_meanwhile()
        return self._moved(self.undo_stack.undo())

    def redo(self) -> str | None:
        """Do it again; returns what it was."""
        self._refuse_meanwhile()
        return self._moved(self.undo_stack.redo())

    def refresh(self) -> None:
        """Tell everyone that records changed, for changes made elsewhere."""
        self.records_changed()

    def _refuse_meanwhile(self) -> None:
        if self.under_way:
            raise PinchError(
                tr("The book is still being changed: {under_way}. Wait, or end it.", under_way=self.under_way)
            )

    def _moved(self, label: str | None) -> str | None:
        if label is not None:
            self._let_go_of_lost()
            self.records_changed()
        return label

    def _let_go_of_lost(self) -> None:
        s = self.subject
        device = s.device_id if s.device_id in [d.id for d in self.book.devices()] else None
        workload = s.workload_id if s.workload_id in [w.id for w in self.book.workloads()] else None
        self.choose(device, s.setting_id if device else None, workload, s.run_id)

    def _switch(self, book: Book) -> None:
        if self.recording_now:
            book.close()
            raise PinchError(tr("A run is being recorded; stop it before opening another book."))
        if self.under_way:
            book.close()
            self._refuse_meanwhile()
        old = self.book
        self._adopt(book)
        old.close()
        self.book_opened()
        self.records_changed()
        self.subject_changed()

    def _adopt(self, book: Book) -> None:
        self.book = book
        self.told = (*book.notes, *take_in_waiting(book))
        book.wait_at_most(CHANGE_WAIT_S)
        self.undo_stack = UndoStack(book)
        self.desk = JudgeDesk(book)
        devices = book.devices()
        self.subject = Subject(device_id=devices[0].id) if devices else Subject()
        first = book.first_run()
        if first is not None:
            self.subject = Subject(first.device_id, first.setting_id, first.workload_id, first.id)
