"""What commands that work on a book share."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from pinch.bench.book import Book, create_book, open_book
from pinch.core.errors import PinchError

T = TypeVar("T")


def open_or_create(path: Path) -> Book:
    """The book at that path, a new one where there is none."""
    return open_book(path) if path.exists() else create_book(path)


def named(things: Sequence[T], name: str, what: str, label: Callable[[T], str]) -> T:
    """The thing of that name.

    Raises
    ------
    PinchError : there is none; the sentence lists those there are.
    """
    for thing in things:
        if label(thing) == name:
            return thing
    known = ", ".join(label(thing) for thing in things) or "none yet"
    raise PinchError(f"There is no {what} called {name!r}; there are: {known}.")
