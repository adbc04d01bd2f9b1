"""The house itself: one name for one thing, arrows without circles, small functions. Type-checking imports count."""

import ast
import unittest
from collections import defaultdict
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

from pinch.charts.theme import FONTS
from pinch.ui.registry import PAGES

SOURCES = Path(__file__).resolve().parents[1] / "src"
ROLES = {"__init__", "__main__", "page", "view", "state", "control", "actions"}
"""What the files of a page's folder may be called; everywhere else a name stands for one module."""
MOST_BRANCHES = 21
WRITING = {"save", "delete", "change", "restore", "commit", "write_text", "write_bytes", "mkdir", "unlink"}


class Module:
    """A source file."""

    def __init__(self, path: Path) -> None:
        self.path, self.tree = path, ast.parse(path.read_text(encoding="utf-8"))
        parts = path.relative_to(SOURCES).with_suffix("").parts
        self.name = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)

    @cached_property
    def imports(self) -> set[str]:
        """What it imports from the package, also within functions and for type checking."""
        found = set()
        for node in ast.walk(self.tree):
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("pinch"):
                found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
            elif isinstance(node, ast.Import):
                found |= {alias.name for alias in node.names if alias.name.startswith("pinch")}
        return found


MODULES = [Module(path) for path in sorted(SOURCES.rglob("*.py"))]
BY_NAME = {module.name: module for module in MODULES}


def branches(function: ast.FunctionDef) -> int:
    """Ways through a function: conditions, loops, handlers and what joins conditions."""
    count = 1
    for node in ast.walk(function):
        count += isinstance(node, ast.If | ast.For | ast.While | ast.IfExp | ast.ExceptHandler | ast.Assert)
        count += 1 + len(node.ifs) if isinstance(node, ast.comprehension) else 0
        count += len(node.values) - 1 if isinstance(node, ast.BoolOp) else 0
    return count


class TestStructure(unittest.TestCase):
    def test_no_module_imports_itself_by_way_of_others(self) -> None:
        graph = {m.name: {n for n in m.imports if n in BY_NAME and n != m.name} for m in MODULES}
        packages = {m.name for m in MODULES if m.path.name == "__init__.py"}
        try:
            TopologicalSorter({name: used - packages for name, used in graph.items()}).prepare()
        except CycleError as error:
            self.fail(" → ".join(error.args[1]))

    def test_a_name_stands_for_one_module_and_a_class_for_one_thing(self) -> None:
        stems, classes = defaultdict(list), defaultdict(list)
        for module in MODULES:
            stems[module.path.stem].append(module.name)
            for node in module.tree.body:
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    classes[node.name].append(module.name)
        self.assertEqual({s: names for s, names in stems.items() if len(names) > 1 and s not in ROLES}, {})
        self.assertEqual({c: names for c, names in classes.items() if len(names) > 1}, {})

    def test_no_function_has_too_many_ways_through_it(self) -> None:
        found = [
            f"{module.name}.{node.name}: {branches(node)}"
            for module in MODULES
            for node in ast.walk(module.tree)
            if isinstance(node, ast.FunctionDef) and branches(node) > MOST_BRANCHES
        ]
        self.assertEqual(found, [])

    def test_pages_and_parts_see_a_shell_and_never_the_window_or_each_other(self) -> None:
        window = {"pinch.ui.app", "pinch.cli.show_window"}
        self.assertEqual({m.name for m in MODULES if "pinch.ui.window" in m.imports} - window, set())
        for page in PAGES:
            folder = page.__module__.rpartition(".")[0]
            others = {other.__module__ for other in PAGES} - {page.__module__}
            used = {n for m in MODULES if m.name.startswith(f"{folder}.") for n in m.imports}
            self.assertEqual(used & others, set(), folder)

    def test_analysis_writes_nothing(self) -> None:
        for module in MODULES:
            if module.name.startswith("pinch.analysis."):
                calls = {
                    n.func.attr
                    for n in ast.walk(module.tree)
                    if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute)
                }
                self.assertEqual(calls & WRITING, set(), module.name)

    def test_charts_carry_their_own_fonts(self) -> None:
        self.assertEqual(FONTS.parent, SOURCES / "pinch" / "charts")
        self.assertGreaterEqual(len(list(FONTS.glob("*.otf"))), 4)

    def test_no_number_of_a_record_is_made_up(self) -> None:
        """A record without a number is a mistake; `id or 0` would hide it."""
        for module in MODULES:
            for node in ast.walk(module.tree):
                if isinstance(node, ast.BoolOp) and isinstance(node.op, ast.Or):
                    first = node.values[0]
                    self.assertFalse(isinstance(first, ast.Attribute) and first.attr == "id", module.name)
