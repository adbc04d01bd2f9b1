"""Runs the tests and ends with a line `N passed, N failed`. Arguments name test modules; without any, all are shared
out among as many processes as there are cores, the longest files first."""

import os
import sys
import tempfile
from pathlib import Path

from tests.sharing import Outcome, at_home, run_module, run_shared

HERE = Path(__file__).parent


def main() -> int:
    asked = [f"tests.{name.removeprefix('tests.')}" for name in sys.argv[1:]]
    files = sorted(HERE.glob("test_*.py"), key=lambda path: -path.stat().st_size)
    processes = os.cpu_count() or 1
    with tempfile.TemporaryDirectory(prefix="pinch-tests-") as folder:
        if asked or processes == 1:
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
