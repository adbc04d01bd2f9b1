"""All of a book at once, with a connection of its own: every run judged, its points, its deck."""

import hashlib
import logging
from dataclasses import dataclass
from pathlib import Path

from pinch.analysis.digesting import Moved, digest_of, moved_words, told_digest, unjudged_digest
from pinch.analysis.judging import JudgeDesk, known_of
from pinch.analysis.points import BookPoints, points_of
from pinch.analysis.references import OtherBook, with_references
from pinch.bench.book import Book
from pinch.bench.digests import Digest, KeptDigest, keep_digest, keep_seen, log_hash, read_digests, seen_of_runs
from pinch.bench.opening import open_book
from pinch.bench.records import Device, Reference, Run, Setting, Workload, scores_of
from pinch.core.errors import PinchError
from pinch.core.faults import fault_of
from pinch.core.method import METHOD
from pinch.core.progress import Progress, part_of, tell, unheard
from pinch.language import spoken, tr
from pinch.narrative.cards.deck import Deck, make_cards
from pinch.narrative.finding import finding, told_finding


def read_points(path: Path, progress: Progress = unheard) -> BookPoints:
    """Judge what is not judged yet, and gather all runs of a book and of those laid beside it, with connections of its
    own.

    Raises
    ------
    PinchError : the book cannot be read.
    CancelledError : `progress` answered False.
    """
    digests = digest_book(path, progress).digests
    book = open_book(path)
    try:
        own, references = points_of(book, digests), book.references()
    finally:
        book.close()
    return with_references(own, [_other_book(reference, path, progress) for reference in references])


def _other_book(reference: Reference, path: Path, progress: Progress) -> OtherBook:
    """The points of a book laid beside, which is only read. Where it has not changed they are remembered."""
    other = Path(reference.path)
    other = other if other.is_absolute() else path.parent / other
    try:
        state = other.stat()
        return OtherBook(reference, _points_of_other(other, state.st_mtime_ns, state.st_size, progress))
    except (PinchError, OSError) as error:
        return OtherBook(reference, None, str(error))


_OTHERS: dict[tuple[Path, int, int], BookPoints] = {}


def _points_of_other(path: Path, changed_ns: int, size: int, progress: Progress) -> BookPoints:
    key = (path, changed_ns, size)
    if key not in _OTHERS:
        book = open_book(path, only_read=True)
        try:
            found = points_of(book, _digest(book, progress).digests)
        finally:
            book.close()
        for old in [k for k in _OTHERS if k[0] == path]:
            del _OTHERS[old]
        _OTHERS[key] = found
    return _OTHERS[key]


log = logging.getLogger(__name__)
FORM = 5
"""Part of a digest's key: raised when a digest holds more than before."""


@dataclass(frozen=True)
class Digested:
    """The digests of a book by run, what newer methods moved, and the oldest version that any was judged by (None: no
    run was judged by an older one)."""

    digests: dict[int, Digest]
    moved: tuple[Moved, ...]
    since: int | None = None


def digest_book(path: Path, progress: Progress = unheard) -> Digested:
    """Judge the runs of a book whose digest is missing or out of date, with a connection of its own, and keep them.

    Raises
    ------
    CancelledError : `progress` answered False; what was worked out is kept.
    """
    book = open_book(path)
    try:
        return _digest(book, progress)
    finally:
        book.close()


def _digest(book: Book, progress: Progress) -> Digested:
    language = "" if spoken().is_own else spoken().name  # what a judgement says in words is kept with it
    kept, seen = read_digests(book), seen_of_runs(book, f"{FORM} {METHOD} {language}")
    digests = {run_id: k.digest for run_id, k in kept.items() if k.seen and k.seen == seen.get(run_id)}
    moved, oldest, alike = list[Moved](), None, dict[int, str]()
    todo = [run for run in reversed(book.runs()) if run.id not in digests and not run.cut_off]
    records = _Records(book, language)
    for number, run in enumerate(todo):
        tell(progress, number / len(todo))
        old, key = kept.get(run.id, KeptDigest(Digest())), records.key(run)
        if old.key == key and old.method == METHOD:
            digests[run.id] = old.digest
            alike[run.id] = seen.get(run.id, "")
            continue
        digests[run.id] = _digest_run(book, run, records)
        if old.key and old.method < METHOD:
            oldest = old.method if oldest is None else min(oldest, old.method)
            moved += [Moved(run.id, words) for words in moved_words(old.digest, digests[run.id])]
        if not book.read_only:
            keep_digest(book, run.id, KeptDigest(digests[run.id], key, METHOD, seen.get(run.id, "")))
    if alike and not book.read_only:
        keep_seen(book, alike)
    return Digested(digests, tuple(sorted(moved, key=lambda m: m.run_id)), oldest)


def _digest_run(book: Book, run: Run, records: "_Records") -> Digest:
    """What a list keeps of a run, with its finding; a run that cannot be judged says why."""
    if run.summary is not None:
        return told_digest(run.summary).model_copy(update={"finding": told_finding(run.summary)})
    try:
        samples, judged = JudgeDesk(book).judge(run)
    except PinchError as error:
        return unjudged_digest(run, str(error))
    except Exception as error:
        log.error("Judging a run", exc_info=error)  # one run that cannot be judged keeps no other from it
        return unjudged_digest(run, fault_of(error, tr("Judging run {run}", run=run.id)).sentence)
    words = finding(judged, records.setting(run).sustained_w)
    return digest_of(run, samples, judged, records.device(run)).model_copy(update={"finding": words})


class _Records:
    """The records that judgements of one book depend on, each read once."""

    def __init__(self, book: Book, language: str) -> None:
        self._book, self._language = book, language
        self._devices = {d.id: d for d in book.devices()}
        self._settings = {s.id: s for d in self._devices.values() for s in book.settings(d.id)}
        self._workloads = {w.id: w for w in book.workloads()}

    def device(self, run: Run) -> Device:
        """The device of a run."""
        return self._devices[run.device_id]

    def setting(self, run: Run) -> Setting:
        """The setting of a run."""
        return self._settings[run.setting_id]

    def key(self, run: Run) -> str:
        """The same while neither the log of a run nor what is known of it changes."""
        device: Device = self._devices[run.device_id]
        workload: Workload = self._workloads[run.workload_id]
        setting = self.setting(run)
        known = known_of(device, setting, workload, run)
        told = (
            FORM,
            known,
            device.battery,
            setting.sustained_w,
            run.void,
            run.in_spite_of,
            run.summary,
            scores_of(run),
        )
        return hashlib.sha256(f"{log_hash(self._book, run.id)}{told}{self._language}".encode()).hexdigest()


def read_deck(path: Path, points: BookPoints | None = None, progress: Progress = unheard) -> Deck:
    """Work out all cards of a book, with a connection of its own; `points` where they are there already.

    Raises
    ------
    PinchError : the book cannot be read.
    CancelledError : `progress` answered False.
    """
    if points is None:
        points, progress = read_points(path, part_of(progress, 0.0, 0.5)), part_of(progress, 0.5, 1.0)
    book = open_book(path)
    try:
        return Deck(make_cards(book, points, book.cards(), progress), book.report(), points)
    finally:
        book.close()
