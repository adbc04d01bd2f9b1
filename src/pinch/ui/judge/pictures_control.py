"""Pictures come into the book and go out of it."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject

from pinch.bench.book import Book
from pinch.bench.photos import Photo
from pinch.bench.readings import place_words
from pinch.bench.records import Device, Run
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.sources.photo_files import ENDINGS, ReadPhoto, read_photo
from pinch.ui.background import Job
from pinch.ui.file_dialogs import open_names
from pinch.ui.judge.pictures_pane import PictureTarget
from pinch.ui.page_protocol import Shell

KINDS = tr("Pictures ({words})", words=" ".join(f"*{ending}" for ending in ENDINGS))


class PicturesControl(QObject):
    """Files are read and made smaller in a thread, then kept as one step."""

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell.dialog_parent)
        self._shell = shell
        self.job: Job | None = None

    def shown(self) -> tuple[list[Photo], list[PictureTarget]]:
        """The pictures of the run that is looked at, then those of its device, and what each can be of."""
        run, book = self._shell.session.run, self._shell.session.book
        if run is None:
            return [], []
        read = [
            PictureTarget(f"{tr(r.quantity)}, {r.value_words} {place_words(r.place)}".rstrip(), run.id, r.id)
            for r in book.readings(run.id)
        ]
        targets = [PictureTarget(tr("this run"), run.id), *read, PictureTarget(book.get(Device, run.device_id).name)]
        return [*book.photos(run.device_id, run.id), *book.photos(run.device_id)], targets

    def ask(self, of_run: bool) -> None:
        """Files for the run that is looked at, or for its device."""
        run = self._run()
        title = tr("Pictures of this run") if of_run else tr("Pictures of the device")
        paths = open_names(self._shell.dialog_parent, title, KINDS)
        if paths:
            self.add(paths, run.device_id, run.id if of_run else None)

    def add_here(self, paths: Sequence[Path]) -> None:
        """These files are of the run that is looked at."""
        run = self._run()
        self.add(list(paths), run.device_id, run.id)

    def add(self, paths: list[Path], device_id: int, run_id: int | None) -> None:
        """Read these files, and keep them as pictures of a device, or of a run of it."""

        def read(go_on: Callable[[float], bool]) -> list[ReadPhoto]:
            return [read_photo(path) for n, path in enumerate(paths) if go_on(n / len(paths))]

        book, of = self._shell.session.book, {"device_id": device_id, "run_id": run_id}
        self.job = Job(tr("Reading the pictures"), read, self)
        self.job.finished.connect(lambda found: self._shell.safely(lambda: self._keep(found, of, book)))
        self.job.failed.connect(self._shell.notices.error)
        self.job.start()

    def change(self, photo: Photo) -> None:
        """Keep what is said of a picture."""
        self._shell.session.change_cards(tr("change a picture"), lambda: self._shell.session.book.save(photo))

    def remove(self, photo: Photo) -> None:
        """Take a picture out; undo brings it back."""
        self._shell.session.change_cards(tr("remove a picture"), lambda: self._shell.session.book.delete(photo))

    def cancel(self) -> None:
        """The window closes: what is being read is not kept."""
        if self.job is not None:
            self.job.cancel()

    def _keep(self, found: list[ReadPhoto], of: dict[str, int | None], book: Book) -> None:
        if self._shell.session.book is not book:
            raise PinchError(tr("Another book was opened while the pictures were read; nothing was added to it."))
        photos = [Photo.model_validate({**of, "jpeg": p.jpeg, "width": p.width, "height": p.height}) for p in found]

        def keep() -> None:
            for photo in photos:
                book.save(photo)

        words = counted(len(photos), "picture")
        self._shell.session.change_cards(tr("add {words}", words=words), keep)
        self._shell.notices.done(tr("{words} added; where and when it was taken was left out.", words=words))

    def _run(self) -> Run:
        if self._shell.session.run is None:
            raise PinchError(tr("There is no run to add a picture to."))
        return self._shell.session.run
