"""The core stands alone: it imports with the interface, SQL and tables packages out of reach."""

import subprocess
import sys
import unittest

from tests.waiting import PATIENCE_S

BLOCKED = """
import importlib, pkgutil, sys
class Block:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in ("PyQt6", "sqlite3", "pandas", "pydantic", "matplotlib", "pyqtgraph"):
            raise ImportError(name + " is out of reach")
sys.meta_path.insert(0, Block())
import pinch.core
names = [m.name for m in pkgutil.iter_modules(pinch.core.__path__)]
for name in names:
    importlib.import_module("pinch.core." + name)
print(len(names))
"""


class TestCoreAlone(unittest.TestCase):
    def test_every_core_module_imports_without_the_rest(self) -> None:
        done = subprocess.run([sys.executable, "-c", BLOCKED], capture_output=True, text=True, timeout=PATIENCE_S)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertGreater(int(done.stdout), 12)
