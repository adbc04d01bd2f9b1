"""The demo book: kept as it was made, and opened as a copy in which the operator may change whatever there is."""

import contextlib
import shutil
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import platformdirs

from pinch.bench.opening import open_book
from pinch.bench.staging import remove_with_beside, staged
from pinch.rig import demo, demo_bench


def demo_copy() -> Path:
    """The operator's copy of the demo, in the user's cache."""
    return Path(platformdirs.user_cache_dir("pinch")) / f"demo-{demo.VERSION}" / "cabin-test.pinch"


def demo_as_made() -> Path:
    """The demo as it was made; nobody opens it to change it."""
    return demo_copy().with_name("as-made.pinch")


def ready_demo() -> Path | None:
    """The copy of the demo, made where there is none yet, its plans of today; None where the demo has to be made."""
    copy = demo_copy()
    if not copy.exists():
        if not demo_as_made().exists():
            return None
        with staged(copy) as part:
            shutil.copyfile(demo_as_made(), part)
    with contextlib.closing(open_book(copy)) as book:
        if not book.read_only:
            demo_bench.date_plans_anew(book, datetime.now().astimezone().date())
    return copy


def forget_changes() -> None:
    """The copy of the demo goes, with all that was changed in it; the next one is as the demo was made."""
    remove_with_beside(demo_copy())


def make_demo(path: Path, progress: Callable[[float], bool]) -> None:
    """Write the demo book to `path`; where `progress` answers False, nothing is left behind."""
    path.parent.mkdir(parents=True, exist_ok=True)
    demo.make_demo_book(path, progress, datetime.now().astimezone().date())
