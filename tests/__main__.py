"""Runs the tests and ends with a line `N passed, N failed`. Arguments name test modules; without any, all are shared
out among one process more than there are cores, since some tests wait for what they record; the longest first."""

import os
import sys
import tempfile
from pathlib import Path

from tests.sharing import Outcome, at_home, run_module, run_shared

HERE = Path(__file__).parent
FIRST = ("test_shown", "test_golden", "test_told", "test_families")
"""Short files of long tests."""


def main() -> int:
    asked = [f"tests.{name.removeprefix('tests.')}" for name in sys.argv[1:]]
    files = sorted(HERE.glob("test_*.py"), key=lambda path: (path.stem not in FIRST, -path.stat().st_size))
    processes = (os.cpu_count() or 1) + 1
    with tempfile.TemporaryDirectory(prefix="pinch-tests-") as folder:
        if asked:
            at_home(Path(folder))
            total = Outcome()
            for name in asked or [f"tests.{path.stem}" for path in files]:
                total.add(run_module(name, sys.stderr))  # type: ignore[arg-type]
        else:
            total = run_shared([f"tests.{path.stem}" for path in files], processes, Path(folder))
    passed = total.ran - total.failed - total.skipped
    skipped = f", {total.skipped} skipped" if total.skipped else ""
    print(f"{passed} passed, {total.failed} failed{skipped}")
    return 1 if total.failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
