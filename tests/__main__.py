"""Runs the tests and ends with a line `N passed, N failed`. Arguments name test modules."""

import os
import sys
import tempfile
import unittest
from pathlib import Path

HERE = Path(__file__).parent


def main() -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory(prefix="pinch-tests-") as home:
        for name in ("CACHE", "DATA", "CONFIG", "STATE"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(home) / name.lower())
        loader = unittest.defaultTestLoader
        names = [f"tests.{name.removeprefix('tests.')}" for name in sys.argv[1:]]
        suite = (
            loader.loadTestsFromNames(names) if names else loader.discover(str(HERE), top_level_dir=str(HERE.parent))
        )
        result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(
        f"{passed} passed, {failed} failed, {len(result.skipped)} skipped"
        if result.skipped
        else f"{passed} passed, {failed} failed"
    )
    return 1 if failed or not passed else 0


sys.exit(main())
