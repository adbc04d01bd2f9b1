"""How slow work is told of, and ended."""

from collections.abc import Callable

from pinch.core.errors import PinchError
from pinch.language import tr

Progress = Callable[[float], bool]
"""Hears the share of some work that is done, and answers whether to go on."""


class CancelledError(PinchError):
    """The operator wanted no more of it."""


def unheard(share: float) -> bool:
    """The progress of work that nobody watches: it goes on."""
    return True


def tell(progress: Progress, share: float) -> None:
    """Tell a share of some work.

    Raises
    ------
    CancelledError : nobody wants the rest.
    """
    if not progress(share):
        raise CancelledError(tr("It was ended before it was done."))


def part_of(progress: Progress, start: float, end: float) -> Progress:
    """Progress of work that is the part of a larger one from `start` to `end`."""
    return lambda share: progress(start + (end - start) * share)
