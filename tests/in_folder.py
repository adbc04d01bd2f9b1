"""A test case with a folder of its own, gone when it is over; and one that runs commands in this process."""

import contextlib
import io
import json
import tempfile
import unittest
import warnings
from pathlib import Path
from typing import Any

from pinch.cli.main import main


class InFolder(unittest.TestCase):
    """`folder` is empty at the start of each test."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class CommandCase(InFolder):
    """Runs `pinch …`."""

    def run_command(self, *words: str | Path) -> tuple[int, str, str]:
        """Exit status, standard output and standard error."""
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), warnings.catch_warnings():
            warnings.simplefilter("ignore", ResourceWarning)  # of what tests before left open
            try:
                status = main([str(w) for w in words])
            except SystemExit as end:
                status = int(end.code or 0)
        return status, out.getvalue(), err.getvalue()

    def json_of(self, *words: str | Path) -> dict[str, Any]:
        """The object that a command prints with `--json`."""
        status, out, err = self.run_command(*words, "--json")
        self.assertEqual((status, err), (0, ""))
        self.assertEqual(out.count("\n"), 1, "one object, one line")
        found: dict[str, Any] = json.loads(out)
        return found
