"""Processes that work on a book beside this one."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path


def workers_on(path: Path, take_book: Callable[[Path], None], count: int) -> ProcessPoolExecutor:
    """So many processes, each of which begins with `take_book` of the file; a process of a window must not be copied,
    so they begin anew."""
    return ProcessPoolExecutor(count, get_context("spawn"), take_book, (path,))
