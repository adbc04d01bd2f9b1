"""A change of a book in a thread, over a connection of its own, that the operator can take back as any other."""

from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.undo import UndoStack, UndoStep

T = TypeVar("T")


class MadeApart(Struct, Generic[T], frozen=True):
    """What the work came to, and the step that takes it back; None: it changed nothing."""

    result: T
    step: UndoStep | None


def change_apart(path: Path, label: str, work: Callable[[Book], T]) -> MadeApart[T]:
    """Do some work on a book as one change: all of it is kept, or nothing.

    Raises
    ------
    BookError : the book cannot be opened or written.
    PinchError : the work does not go.
    """
    book = open_book(path)
    try:
        stack = UndoStack(book)
        with stack.step(label):
            result = work(book)
        return MadeApart(result, stack.next_undo)
    finally:
        book.close()
