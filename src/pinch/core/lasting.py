"""What is made in one go and stays: modules, all points of a large book. Nobody looks for garbage among it."""

import contextlib
import gc
from collections.abc import Iterator


@contextlib.contextmanager
def lasting() -> Iterator[None]:
    """What is made within it stays. To look through all of it for garbage, while it is made and ever after, would take
    a sixth of the start and hold the window for half a second with 30,000 runs."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
