"""Books, and what is written of a whole book: what is asked first."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from pinch.bench.book import Book
from pinch.bench.opening import UnfinishedBookError
from pinch.bench.records import Reference, free_name
from pinch.bench.staging import remove_with_beside
from pinch.core.errors import PinchError
from pinch.core.progress import Progress
from pinch.intake.book_folder import is_book_folder, opened_book
from pinch.intake.joining import JoinedBook, join_book
from pinch.intake.packages import is_run_package
from pinch.language import tr
from pinch.publish.parquet_archive import INDEX
from pinch.publish.private import exchange_counts, open_exchange
from pinch.runs.demo_book import demo_copy, forget_changes
from pinch.runs.whole_book import check_beside
from pinch.ui.demo_opening import demo_book
from pinch.ui.dialogs import agrees, choose_several
from pinch.ui.file_dialogs import WRITTEN, folder_name, open_name, save_name
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Shell, WindowPart
from pinch.ui.private_dialog import ask_private
from pinch.ui.shell.finder import Findable, choose
from pinch.ui.slow_change import SlowChange

BOOKS = tr("Books of Pinch (*.pinch)")
BESIDE = tr("Books and archives of Pinch (*.pinch archive.json)")
TAKEN = tr("Books, open files and data packages of Pinch (*.pinch book.json datapackage.json)")
RECORDS = tr("Records of Pinch (*.json)")


class BookActions(WindowPart):
    """One method for each action; no answer means that nothing is done."""

    def __init__(self, shell: Shell) -> None:
        self._shell = shell
        self.taking = SlowChange(shell)

    def menu(self) -> Sequence[MenuEntry]:
        book = MenuName.BOOK
        return (
            MenuEntry(book, 10, tr("New book …"), self.new_book, "Ctrl+N"),
            MenuEntry(book, 20, tr("Open book …"), self.open_book, "Ctrl+O"),
            MenuEntry(book, 25, tr("Books that were open …"), self.open_recent, "Ctrl+Alt+O"),
            MenuEntry(book, 27, tr("Open the demo book"), self.open_demo),
            MenuEntry(book, 28, tr("Demo book as it was made …"), self.renew_demo),
            MenuEntry(book, 30, tr("Save a copy …"), self.copy_book, "Ctrl+Shift+S"),
            MenuEntry(book, 40, tr("Write the book as open files …"), self.write_book),
            MenuEntry(book, 50, tr("Book from open files …"), self.book_from_files),
            MenuEntry(book, 60, tr("Take in another book …"), self.take_in_book),
            MenuEntry(book, 70, tr("Lay another book beside this one …"), self.lay_beside, "Ctrl+Alt+B"),
            MenuEntry(book, 80, tr("Books laid beside this one …"), self.put_away),
            MenuEntry(book, 140, tr("Write runs, figures and readings …"), self.write_tables, "Ctrl+Alt+E"),
            MenuEntry(book, 160, tr("Write the records …"), self.write_records),
            MenuEntry(MenuName.ADD, 270, tr("Records from a file …"), self.add_records),
        )

    def cancel(self) -> None:
        self.taking.close()
        self._shell.writing.close()

    def takes(self, paths: Sequence[Path]) -> bool:
        if len(paths) != 1:
            return False
        if paths[0].suffix == ".pinch":
            self.open_or_offer(paths[0])
            return True
        if is_book_folder(paths[0]):
            self.book_from_files_in(paths[0])
            return True
        if is_run_package(paths[0]):
            self._take_in(paths[0])
            return True
        return False

    def new_book(self) -> None:
        """A new, empty book."""
        path = self._save_name(tr("New book"), "", BOOKS)
        if path:
            self._shell.session.create(path)

    def open_book(self) -> None:
        """Another book."""
        path = open_name(self._shell.dialog_parent, tr("Open book"), BOOKS)
        if path:
            self.open_or_offer(path)

    def open_recent(self) -> None:
        """One of the books that were open before."""
        here = self._shell.session.book.path.absolute()
        others = [path for path in self._shell.preferences.recent if path != here]
        if not others:
            raise PinchError(tr("No other book was open before, or none is there any more."))
        offered = [Findable(path.name, str(path.parent), partial(self.open_or_offer, path)) for path in others]
        choose(offered, self._shell.dialog_parent, self._shell.safely)

    def open_demo(self) -> None:
        """The operator's copy of the demo book; what is changed in it stays apart from the demo as it was made."""
        path = demo_book(self._shell.dialog_parent)
        if path is not None:
            self.open_or_offer(path)
            self._shell.notices.done(
                tr("This is a copy of the demo: change what you like. Save a copy makes it your own.")
            )

    def renew_demo(self) -> None:
        """The demo book as it was made; what was changed in its copy goes, where the operator says so."""
        session, copy = self._shell.session, demo_copy()
        if copy.exists():
            if not agrees(
                self._shell.dialog_parent,
                tr("The demo as it was made"),
                tr(
                    "All that was changed in the copy of the demo goes, and cannot be brought back. Save a "
                    "copy first to keep it as your own book."
                ),
            ):
                return
            if session.book.path.absolute() == copy.absolute():
                session.leave()
            forget_changes()
        self.open_demo()

    def open_or_offer(self, path: Path) -> None:
        """Another book; one that was never finished may be removed instead."""
        try:
            self._shell.session.open(path)
        except UnfinishedBookError as error:
            if agrees(self._shell.dialog_parent, tr("An unfinished book"), tr("{error}\n\nRemove it?", error=error)):
                remove_with_beside(path)
                self._shell.notices.done(tr("{path} is removed.", path=path.name))

    def copy_book(self) -> None:
        """A copy of this book."""
        path = self._save_name(tr("Save a copy of the book"), "", BOOKS)
        if path:
            self._shell.session.book.copy_to(path)
            self._shell.notices.done(tr("{path} is written.", path=path))

    def write_book(self) -> None:
        """The whole book as a folder of open files."""
        parent = self._shell.dialog_parent
        folder = folder_name(parent, tr("Empty folder for the book as open files"), WRITTEN)
        if folder:
            self._shell.writing.book(self._shell.session.book.path, folder)

    def book_from_files(self) -> None:
        """A new book of a folder of open files."""
        folder = folder_name(self._shell.dialog_parent, tr("Folder with book.json"))
        if folder:
            self.book_from_files_in(folder)

    def book_from_files_in(self, folder: Path) -> None:
        """A new book of the open files in this folder.

        Raises
        ------
        PinchError : it holds no book.
        """
        if not is_book_folder(folder):
            raise PinchError(tr("{folder}: there is no book.json in this folder.", folder=folder))
        path = self._save_name(tr("New book of these files"), "", BOOKS)
        if path:
            shell = self._shell
            opened = partial(shell.safely, partial(shell.session.open, path))
            shell.writing.book_from(folder, path, lambda _: opened())

    def take_in_book(self) -> None:
        """Another book's records, runs and results become part of this one."""
        path = open_name(self._shell.dialog_parent, tr("Take in a book"), TAKEN)
        if path:
            self._take_in(path if path.suffix == ".pinch" else path.parent)

    def _take_in(self, source: Path) -> None:
        def work(book: Book, progress: Progress) -> JoinedBook:
            with opened_book(source) as other:
                return join_book(book, other, progress)

        def then(done: JoinedBook) -> None:
            self._shell.notices.done(" ".join([done.words, tr("Ctrl+Z takes it back."), *done.notes[:3]]))

        self.taking.begin(tr("Taking in {stem}", stem=source.stem), tr("take in {stem}", stem=source.stem), work, then)

    def lay_beside(self) -> None:
        """Another book, whose devices and results can be compared with those of this one."""
        chosen = open_name(self._shell.dialog_parent, tr("Lay a book beside this one"), BESIDE)
        if not chosen:
            return
        session, path = self._shell.session, chosen.absolute()
        path = path.parent if path.name == INDEX else path
        if path.samefile(session.book.path):
            raise PinchError(tr("A book is not laid beside itself."))
        check_beside(path)
        called = free_name(path.stem, [r.name for r in session.book.references()])
        reference = Reference(name=called, path=str(path))
        session.change(tr("lay {called} beside", called=called), lambda: session.book.save(reference))
        self._shell.notices.done(
            tr("{called} lies beside: its devices are on Compare and Scale, under its name.", called=called)
        )

    def put_away(self) -> None:
        """Books that lie beside this one and are not wanted any more."""
        session = self._shell.session
        there = {r.name: r for r in session.book.references()}
        if not there:
            raise PinchError(tr("No other book lies beside this one."))
        words = tr("Which of them are put away? Nothing of them is changed.")
        chosen = choose_several(self._shell.dialog_parent, tr("Books laid beside this one"), words, list(there))

        def work() -> None:
            for name in chosen:
                session.book.delete(there[name])

        if chosen:
            session.change(tr("put {chosen} away", chosen=", ".join(chosen)), work)

    def write_tables(self) -> None:
        """Runs, figures and readings of the whole book as tables."""
        kinds = tr("Tables (*.xlsx *.ods *.csv *.json)")
        path = self._save_name(tr("Write runs, figures and readings"), "runs.xlsx", kinds)
        if path:
            self._shell.writing.tables(self._shell.session.book.path, path)

    def write_records(self) -> None:
        """Devices, settings, workloads, protocols and plans as JSON."""
        from pinch.bench.exchange import exchange_of, write_exchange

        path = self._save_name(tr("Write the records"), "bench.json", RECORDS)
        if path:
            exchange = exchange_of(self._shell.session.book)
            allowed = ask_private(self._shell.dialog_parent, tr("Write the records"), exchange_counts(exchange))
            if allowed is not None:
                write_exchange(open_exchange(exchange, allowed), path)
                self._shell.notices.done(tr("{path} is written.", path=path))

    def add_records(self) -> None:
        """Records from a JSON file; nothing is added where something in it is wrong."""
        from pinch.bench.exchange import add_exchange, read_exchange

        path = open_name(self._shell.dialog_parent, tr("Add records"), RECORDS)
        if path:
            exchange, session = read_exchange(path), self._shell.session
            session.change(tr("add records of {path}", path=path.name), lambda: add_exchange(session.book, exchange))
            self._shell.notices.done(tr("The records of {path} are in the book.", path=path.name))

    def _save_name(self, title: str, name: str, kinds: str) -> Path | None:
        return save_name(self._shell.dialog_parent, title, name, kinds)
