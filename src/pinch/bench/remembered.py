"""What rows of a book were read as, so that reading them again parses only those that are not as they were.

It is shared by all connections of a process to a book: records are never changed, only replaced.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

from pydantic import BaseModel

T = TypeVar("T", bound=BaseModel)
MOST_BOOKS = 3


class Remembered(Generic[T]):
    """By book and row: the text of a row and what it was read as; of the books that were read last."""

    def __init__(self) -> None:
        self._books: dict[Path, dict[int, tuple[int, T]]] = {}

    def read(self, path: Path, key: int, text: str, parse: Callable[[str], T]) -> T:
        """What a row is, parsed where its text is another than before; `parse` may raise."""
        rows = self._books.get(path)
        if rows is None:
            rows = self._books[path] = {}
            while len(self._books) > MOST_BOOKS:
                del self._books[next(iter(self._books))]
        mark = hash(text)
        known = rows.get(key)
        if known is not None and known[0] == mark:
            return known[1]
        made = parse(text)
        # Which fields a text names nobody asks, and a set a record would weigh as much as the record.
        object.__setattr__(made, "__pydantic_fields_set__", _NAMED.setdefault(type(made), set(type(made).model_fields)))
        rows[key] = (mark, made)
        return made


_NAMED: dict[type[BaseModel], set[str]] = {}
