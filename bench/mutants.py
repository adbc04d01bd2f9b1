#!/usr/bin/env python3
"""Which small mistakes no test notices: .venv/bin/python bench/mutants.py LAYER [COUNT] [SEED]

Changes one thing at a time in a copy of the sources (a comparison, a sign, a number, a condition) and runs the tests
that come by the changed line, those named after the file first, then what sets all against what it was, then those
that come by most of the file, the quickest first, until one fails or two processor minutes are over: what is noticed
later than that counts as not noticed, so the share is a lower bound. A test of the others has to fail twice, as one may
fail once for a busy machine. LAYER is a package such as `core`, or `all` for every package but core. The lines that
each test module comes by are measured once and kept in the cache folder until a source or a test changes. Prints each
change that nothing noticed as it is found, and at the end the share that was.
"""

import ast
import hashlib
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import platformdirs
from coverage import CoverageData

ROOT = Path(__file__).resolve().parent.parent
SOURCES = ROOT / "src" / "pinch"
PROCESSES = os.cpu_count() or 1
PATIENCE_TIMES, PATIENCE_S = 8.0, 120.0
"""So many times as long as a test module usually takes, and this at least; then it never ends."""
ENOUGH_S = 240.0
"""Of a processor. A change that nothing notices would take every test that comes by it, up to nine minutes."""
DEMO_OF = {"core", "rig", "bench"}
"""What is changed in these makes another demo book, which is then made anew; else all tests take one that is there."""
SHOWS_DEMO = {"test_told", "test_shown"}
"""Tests that say all that is shown of the demo book."""
LAID_OUT = {"setContentsMargins", "setSpacing", "addSpacing"}
"""What these are given is seen by eye: fonts differ by two points between machines, and so much is let pass."""
WAITED = {"wait", "join", "wait_for"}
"""What these are given is how long somebody waits at the most: only a test that waits as long could tell."""
RELATIONS: tuple[type[ast.cmpop], ...] = (ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.Eq, ast.NotEq)
"""A comparison becomes any other of these: where numbers are measured, `<` and `<=` alone hardly ever differ."""
FEW = 10
"""A whole number below is one of a count, or a place in a list, and becomes the next; else it is a size."""
SWAPPED: dict[type[ast.AST], type[ast.AST]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.And: ast.Or,
    ast.Or: ast.And,
}


@dataclass(frozen=True)
class Mutant:
    """One change: the file, its line, what stood there and what stands there now, and the whole new source."""

    path: Path
    line: int
    before: str
    after: str
    source: str

    @property
    def words(self) -> str:
        """Where it is, and what it changes."""
        return f"{self.path.relative_to(SOURCES)}:{self.line}: {self.before}  →  {self.after}"


@dataclass(frozen=True)
class Reach:
    """The lines of each source file that a test module comes by, and how long the module takes, s."""

    module: str
    seconds: float
    lines: dict[str, set[int]]


def mutants_of(path: Path) -> Iterator[Mutant]:
    """All changes of a file."""
    text = path.read_text(encoding="utf-8")
    lines = text.splitlines()
    tree = ast.parse(text)
    without_effect = {
        id(inner)
        for node in ast.walk(tree)
        for outer in (
            getattr(node, "annotation", None),
            getattr(node, "returns", None),
            *getattr(node, "decorator_list", ()),  # a record that may be written to is read just so
            node if isinstance(node, ast.keyword) and node.arg == "strict" else None,  # a check that never speaks
            node if isinstance(node, ast.Call) and getattr(node.func, "attr", "") in LAID_OUT | WAITED else None,
            node.values[-1] if _is_fallback(node) else None,
        )
        if outer is not None
        for inner in ast.walk(outer)
    }
    for node in ast.walk(tree):
        if id(node) in without_effect:
            continue
        for undo in _changed(node):
            source = ast.unparse(ast.fix_missing_locations(tree))
            after = ast.unparse(node)
            undo()
            yield Mutant(path, node.lineno, lines[node.lineno - 1].strip(), after, source)  # type: ignore[attr-defined]


def _changed(node: ast.AST) -> Iterator["object"]:
    """Change a node; gives what takes the change back."""
    if isinstance(node, ast.Compare | ast.BinOp | ast.BoolOp):
        if isinstance(node, ast.Compare):
            kept = list(node.ops)
            if type(kept[0]) in RELATIONS:
                place = random.Random(f"{node.lineno} {node.col_offset}")
                node.ops[0] = place.choice([r for r in RELATIONS if r is not type(kept[0])])()
                yield lambda: node.ops.__setitem__(slice(None), kept)
        elif type(node.op) in SWAPPED and not _is_text(node):
            old = node.op
            node.op = SWAPPED[type(old)]()  # type: ignore[assignment]
            yield lambda: setattr(node, "op", old)
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        node.value = not node.value
        yield lambda: setattr(node, "value", not node.value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, int | float):
        value = node.value
        node.value = (value + 1 if abs(value) < FEW else 2 * value) if isinstance(value, int) else value * 1.5 or 1.0
        yield lambda: setattr(node, "value", value)
    elif isinstance(node, ast.If | ast.IfExp):
        test = node.test
        node.test = ast.UnaryOp(ast.Not(), test)
        yield lambda: setattr(node, "test", test)


def _is_fallback(node: ast.AST) -> bool:
    """Whether a sum ends in a number for what the types allow to be missing and the line before has looked for."""
    is_or = isinstance(node, ast.BoolOp) and isinstance(node.op, ast.Or)
    return is_or and isinstance(node.values[-1], ast.Constant) and node.values[-1].value in (0, 0.0)


def _is_text(node: ast.BinOp | ast.BoolOp) -> bool:
    """Whether a sum joins texts, which cannot be subtracted."""
    parts = (node.left, node.right) if isinstance(node, ast.BinOp) else ()
    return any(isinstance(p, ast.JoinedStr) or isinstance(getattr(p, "value", None), str) for p in parts)


def measured_reach() -> list[Reach]:
    """What each test module comes by, measured where it is not known yet."""
    stamp = hashlib.sha256()
    for path in sorted([*SOURCES.rglob("*.py"), *(ROOT / "tests").glob("*.py")]):
        stamp.update(path.read_bytes())
    folder = Path(platformdirs.user_cache_dir("pinch")) / "mutants" / stamp.hexdigest()[:16]
    folder.mkdir(parents=True, exist_ok=True)
    modules = sorted(path.stem for path in (ROOT / "tests").glob("test_*.py"))
    in_making = make_demo(folder)
    with ThreadPoolExecutor(PROCESSES) as pool:
        reach = list(pool.map(lambda module: _reach_of(module, folder), modules))
    for each in reach:
        if each.module in SHOWS_DEMO:  # another demo is made when its makers are changed, and shown
            for name, lines in in_making.items():
                each.lines[name] = each.lines.get(name, set()) | lines
    return reach


def make_demo(folder: Path) -> dict[str, set[int]]:
    """Make the demo book of the tests in a folder, where all of them find it; returns the lines that it comes by."""
    data = folder / "demo"
    if not data.exists():
        code = "from tests.window_case import demo_book; demo_book()"
        environment = {**os.environ, "COVERAGE_FILE": str(data), "PINCH_TESTS": str(folder)}
        script = folder / "make_demo.py"
        script.write_text(f"import sys; sys.path.insert(0, {str(ROOT)!r})\nif __name__ == '__main__': {code}\n")
        command = [sys.executable, "-m", "coverage", "run", f"--source={SOURCES}", str(script)]
        subprocess.run(command, cwd=ROOT, env=environment, check=True, capture_output=True)
    return _lines_in(data)


def _lines_in(data: Path) -> dict[str, set[int]]:
    found = CoverageData(str(data))
    found.read()
    return {name: set(found.lines(name) or ()) for name in found.measured_files()}


def _reach_of(module: str, folder: Path) -> Reach:
    data, took = folder / module, folder / f"{module}.seconds"
    if not took.exists():
        begun = time.monotonic()
        command = [sys.executable, "-m", "coverage", "run", f"--source={SOURCES}", "-m", "tests", module]
        environment = {**os.environ, "COVERAGE_FILE": str(data), "PINCH_TESTS": str(folder)}
        if all(subprocess.run(command, cwd=ROOT, env=environment, capture_output=True).returncode for _ in range(2)):
            raise SystemExit(f"{module} fails as it is, and would seem to notice everything.")
        took.write_text(f"{time.monotonic() - begun:.1f}")
    return Reach(module, float(took.read_text()), _lines_in(data))


def is_noticed_in(copy: Path, mutant: Mutant, reach: list[Reach]) -> bool:
    """Whether a test module fails with a change in the copy, in time."""
    name = str(mutant.path)
    coming_by = [r for r in reach if mutant.line in r.lines.get(name, ())]
    target = copy / "src" / "pinch" / mutant.path.relative_to(SOURCES)
    kept = target.read_text(encoding="utf-8")
    target.write_text(mutant.source, encoding="utf-8")
    environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    if not DEMO_OF & set(mutant.path.parts):
        environment["PINCH_TESTS"] = str(copy.parent)
    spent_s = 0.0
    try:
        of_all = {"test_golden"} if "core" in mutant.path.parts else SHOWS_DEMO
        most = max((len(r.lines[name]) for r in coming_by), default=0)

        def place(r: Reach) -> tuple[bool, bool, bool, float]:
            only_passes_by = (
                len(r.lines[name]) < most / 2
            )  # such as the lines of a module that is no more than imported
            return mutant.path.stem not in r.module, r.module not in of_all, only_passes_by, r.seconds

        for r in sorted(coming_by, key=place):
            if spent_s > ENOUGH_S:
                break
            for _ in range(1 if r.module in of_all else 2):
                failed, seconds = _fails(r, copy, environment)
                spent_s += seconds
                if not failed:
                    break
            else:
                return True
    finally:
        target.write_text(kept, encoding="utf-8")
    return False


def _fails(reach: Reach, copy: Path, environment: dict[str, str]) -> tuple[bool, float]:
    """Whether a test module fails in a copy, or never ends, and the seconds of a processor that it took."""
    command = [sys.executable, "-m", "tests", reach.module]
    nowhere = subprocess.DEVNULL
    child = subprocess.Popen(command, cwd=copy, env=environment, stdout=nowhere, stderr=nowhere)
    until = time.monotonic() + max(PATIENCE_S, PATIENCE_TIMES * reach.seconds)
    while True:
        ended, status, used = os.wait4(child.pid, os.WNOHANG)
        if ended:
            child.returncode = os.waitstatus_to_exitcode(status)
            return status != 0, used.ru_utime + used.ru_stime
        if time.monotonic() > until:
            child.kill()
            child.wait()
            return True, 0.0
        time.sleep(0.05)


def main() -> None:
    layer, count, seed = [*sys.argv[1:], *("core", "80", "1")[len(sys.argv) - 1 :]][:3]
    reach = measured_reach()
    files = [p for p in SOURCES.rglob("*.py") if (p.parent.name == layer if layer != "all" else "core" not in p.parts)]
    everything = [m for path in sorted(files) for m in mutants_of(path)]
    reached = {name: set().union(*(r.lines.get(name, set()) for r in reach)) for r in reach for name in r.lines}
    running = [m for m in everything if m.line in reached.get(str(m.path), ())]
    chosen = random.Random(int(seed)).sample(running, min(int(count), len(running)))
    print(f"{len(everything)} changes in {layer}, {len(running)} of them in lines that a test comes by", flush=True)
    with tempfile.TemporaryDirectory(prefix="pinch-mutants-") as folder:
        copies = [Path(folder) / str(number) for number in range(PROCESSES)]
        for copy in copies:
            for part in ("src", "tests", "docs", "scripts", "bench", "packaging"):
                shutil.copytree(ROOT / part, copy / part)
            for path in ROOT.glob("*.*"):
                if path.is_file():
                    shutil.copy(path, copy)
        make_demo(Path(folder))
        free, tried = list(copies), list[bool]()

        def is_noticed(mutant: Mutant) -> bool:
            copy = free.pop()
            try:
                noticed = is_noticed_in(copy, mutant, reach)
            finally:
                free.append(copy)
            if not noticed:
                print(mutant.words, flush=True)
            tried.append(noticed)
            print(f"\r{sum(tried)} of {len(tried)} noticed", end="", file=sys.stderr, flush=True)
            return noticed

        with ThreadPoolExecutor(PROCESSES) as pool:
            caught = sum(pool.map(is_noticed, chosen))
    print(f"{caught} of {len(chosen)} were noticed ({100 * caught / max(1, len(chosen)):.0f} %), seed {seed}")


if __name__ == "__main__":
    main()
