"""How far slow work of a command is, on a line of its own for whoever watches a terminal; and that it shall end."""

import signal
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from pinch.core.progress import Progress, unheard

ENDED = 130
"""By an interrupt of the operator: 128 and the number of the signal, as shells have it (POSIX leaves it at > 128)."""
SOON_S, EVERY_S = 1.0, 0.2
"""Nothing is told of what is done sooner, and no more often than this."""
CLEAR = "\r\x1b[K"
"""To the start of the line, and what stood there away (ECMA-48, EL)."""


@contextmanager
def heard(what: str) -> Iterator[Progress]:
    """A progress that says on standard error how much of `what` is done, where that is a terminal; the line is gone at
    the end."""
    if not sys.stderr.isatty():
        yield unheard
        return
    last = time.monotonic() + SOON_S - EVERY_S
    told = False

    def tell(share: float) -> bool:
        nonlocal last, told
        now = time.monotonic()
        if now - last >= EVERY_S:
            print(f"{CLEAR}{what}: {share:.0%}", end="", file=sys.stderr, flush=True)
            last, told = now, True
        return True

    try:
        yield tell
    finally:
        if told:
            print(CLEAR, end="", file=sys.stderr, flush=True)


@contextmanager
def heard_until_ended(what: str) -> Iterator[Progress]:
    """The same, which answers that it is enough once Ctrl+C was pressed, so that what is under way comes to a good end;
    pressed again, it ends at once."""
    pressed = False

    def press(number: int, frame: object) -> None:
        nonlocal pressed
        pressed = True
        signal.signal(signal.SIGINT, before)

    before = signal.signal(signal.SIGINT, press)
    try:
        with heard(what) as progress:
            yield lambda share: progress(share) and not pressed
    finally:
        signal.signal(signal.SIGINT, before)
