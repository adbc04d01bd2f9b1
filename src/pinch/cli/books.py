"""What commands that work on a book share."""

import contextlib
import sys
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import TypeVar

from pinch.bench.book import Book
from pinch.bench.opening import create_book, new_book, open_book
from pinch.bench.waiting import take_in_waiting
from pinch.core.errors import PinchError

T = TypeVar("T")


def open_or_create(path: Path) -> Book:
    """The book at that path, a new one where there is none."""
    return open_for_work(path) if path.exists() else create_book(path)


def open_for_work(path: Path) -> Book:
    """The book at that path, with what an ended recording left beside it; what is to be known of it is said."""
    book = open_book(path)
    for note in (*book.notes, *take_in_waiting(book)):
        print(note, file=sys.stderr)
    return book


@contextlib.contextmanager
def changed_whole(path: Path) -> Iterator[Book]:
    """The book at that path, a new one where there is none, to be changed in one piece: all of it is kept, or nothing
    has changed, and no new book is left behind; nor is one to which nothing was added."""
    if path.exists():
        with changed_existing(path) as book:
            yield book
        return
    with contextlib.suppress(_NothingAddedError), new_book(path) as book:
        before = book.connection.total_changes
        yield book
        if book.connection.total_changes == before:
            raise _NothingAddedError


@contextlib.contextmanager
def changed_existing(path: Path) -> Iterator[Book]:
    """The same of a book that has to be there."""
    book = open_for_work(path)
    try:
        with book.change():
            yield book
    finally:
        book.close()


class _NothingAddedError(Exception):
    """A new book would be empty."""


def _letters(name: str) -> str:
    return "".join(c for c in name.casefold() if c.isalnum())


def named(things: Sequence[T], name: str, what: str, label: Callable[[T], str]) -> T:
    """The thing of that name; where none is called just so, the only one whose name has the same letters and digits,
    small or large.

    Raises
    ------
    PinchError : there is none; the sentence lists those there are.
    """
    exact = [thing for thing in things if label(thing) == name]
    alike = exact[:1] or [thing for thing in things if _letters(label(thing)) == _letters(name)]
    if len(alike) == 1:
        return alike[0]
    known = ", ".join(label(thing) for thing in things) or "none yet"
    raise PinchError(f"There is no {what} called {name!r}; there are: {known}.")
