"""All of a book at once, with a connection of its own: every run judged, its points, its deck."""

import contextlib
from collections.abc import Mapping, Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.digesting import Moved, moved_words
from pinch.analysis.points import BookPoints, points_of
from pinch.analysis.references import OtherBook, with_references
from pinch.bench.book import Book
from pinch.bench.digests import Digest, KeptDigest, keep_digests, read_digests, seen_of_runs
from pinch.bench.opening import open_book
from pinch.bench.records import Reference, Run
from pinch.core.errors import DataError, PinchError
from pinch.core.method import METHOD
from pinch.core.progress import Progress, part_of, tell, unheard
from pinch.language import spoken, tr
from pinch.narrative.cards.deck import Deck, make_cards
from pinch.publish.parquet_archive import INDEX, is_archive
from pinch.runs.run_digests import FORM, DigestDesk, digests_of


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
        state = (other / INDEX if other.is_dir() else other).stat()
        return OtherBook(reference, _points_of_other(other, state.st_mtime_ns, state.st_size, progress))
    except (PinchError, OSError) as error:
        return OtherBook(reference, None, str(error))


def check_beside(path: Path) -> None:
    """Whether something can be laid beside a book: another book, or the folder of an archive.

    Raises
    ------
    PinchError : it is neither, or cannot be read.
    """
    if path.is_dir():
        _points_of_archive(path)
    else:
        open_book(path, only_read=True).close()


def _points_of_archive(folder: Path) -> BookPoints:
    from pinch.publish.archive_points import points_of_archive

    if not is_archive(folder):
        raise DataError(str(folder), tr("it is no archive of Pinch, so it cannot be laid beside a book"))
    return points_of_archive(folder)


def _points_of_book(path: Path, progress: Progress) -> BookPoints:
    with contextlib.closing(open_book(path, only_read=True)) as book:
        return points_of(book, _digest(book, progress).digests)


_OTHERS: dict[tuple[Path, int, int], BookPoints] = {}


def _points_of_other(path: Path, changed_ns: int, size: int, progress: Progress) -> BookPoints:
    key = (path, changed_ns, size)
    if key not in _OTHERS:
        found = _points_of_archive(path) if path.is_dir() else _points_of_book(path, progress)
        for old in [k for k in _OTHERS if k[0] == path]:
            del _OTHERS[old]
        _OTHERS[key] = found
    return _OTHERS[key]


KEYS_SHARE = 0.02
"""Of the progress: finding out what is still as it was."""


class Digested(Struct, frozen=True):
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
    desk = DigestDesk(book, language)
    doubtful = [run for run in reversed(book.runs()) if run.id not in digests and not run.cut_off]
    keys = _keys_of(doubtful, desk, progress)
    alike = {number for number, key in keys.items() if number in kept and kept[number].is_of(key, METHOD)}
    _keep(book, {number: replace(kept[number], seen=seen.get(number, "")) for number in alike})
    anew: dict[int, Digest] = {}
    todo = [run for run in doubtful if run.id not in alike]
    with contextlib.closing(digests_of(book, todo, desk)) as batches:
        for batch in batches:
            tell(progress, KEYS_SHARE + (1.0 - KEYS_SHARE) * len(anew) / len(todo))
            found = {run.id: digest for run, digest in batch}
            _keep(book, {n: KeptDigest(d, keys[n], METHOD, seen.get(n, "")) for n, d in found.items()})
            anew |= found
    return _with_what_moved(digests | {number: kept[number].digest for number in alike}, anew, kept)


def _with_what_moved(current: dict[int, Digest], anew: dict[int, Digest], kept: Mapping[int, KeptDigest]) -> Digested:
    """All digests, and which figures a newer method moved."""
    old = {number: kept[number] for number in sorted(anew) if number in kept and kept[number].method < METHOD}
    moved = [Moved(n, words) for n, k in old.items() for words in moved_words(k.digest, anew[n])]
    return Digested(current | anew, tuple(moved), min((k.method for k in old.values()), default=None))


def _keys_of(runs: Sequence[Run], desk: DigestDesk, progress: Progress) -> dict[int, str]:
    """Their keys, for which every sample of theirs is read."""
    found = {}
    for number, run in enumerate(runs):
        tell(progress, KEYS_SHARE * number / len(runs))
        found[run.id] = desk.key(run)
    return found


def _keep(book: Book, found: Mapping[int, KeptDigest]) -> None:
    if found and not book.read_only:
        keep_digests(book, found)


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
