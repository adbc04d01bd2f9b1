"""Waiting for what must come, without guessing how fast a machine is."""

import time
from collections.abc import Callable

PATIENCE_S = 240.0
"""Longer than anything here takes, also on a machine whose processors are lent to others most of the time."""


def wait_until(condition: Callable[[], object], meanwhile: Callable[[], object] = lambda: None) -> None:
    """Wait for a condition, doing something over and over; fails where it does not come."""
    until = time.monotonic() + PATIENCE_S
    while not condition():
        if time.monotonic() >= until:
            raise AssertionError("it did not come")
        meanwhile()
        time.sleep(0.005)
