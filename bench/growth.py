"""How a book grows on one: `python bench/growth.py [300 3000 30000]` makes books of so many judged runs and prints for
each how long it takes to open, and how long the window is held at most until its list, the list filtered and the
pages of many runs are shown whole, of that the time on a processor, which a busy host adds nothing to, and what memory
that takes; `docs/growth.svg` draws it."""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

SIZES = ("300", "3000", "30000")
WAIT_S = 300.0
REST_S, LEAST_S = 1.0, 0.001
"""A person looks at what is shown for so long at least; and what no chart of decades shows less of."""


def memory_mb() -> float:
    """Resident memory of this process."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def measure(path: Path) -> None:
    """Print the times of one book, in s: how long the call held the window, and until all was there."""
    from PyQt6.QtWidgets import QApplication

    from pinch.bench.opening import open_book
    from pinch.ui.app import make_application
    from pinch.ui.background import at_work
    from pinch.ui.compare.page import ComparePage
    from pinch.ui.judge.page import JudgePage
    from pinch.ui.modes.page import ModesPage
    from pinch.ui.scale.page import ScalePage
    from pinch.ui.session import Session
    from pinch.ui.window import MainWindow

    app: QApplication = make_application()
    begun, own = time.perf_counter(), time.thread_time()
    window = MainWindow(Session(open_book(path)))
    window.show()
    app.processEvents()
    times = {"opens": time.perf_counter() - begun}
    told, held = {"opens": f"opens {times['opens']:.2f}"}, {"opens": time.thread_time() - own}

    def piece(name: str, work: Callable[[], object]) -> None:
        now, own = time.perf_counter(), time.thread_time()
        work()
        held[name] = max(held.get(name, 0.0), time.thread_time() - own)
        times[name] = max(times.get(name, 0.0), time.perf_counter() - now)

    def step(name: str, work: Callable[[], object]) -> None:
        start = busy = time.perf_counter()
        piece(name, lambda: (work(), app.processEvents()))
        while time.perf_counter() < min(busy + REST_S, start + WAIT_S):
            piece(name, app.processEvents)
            time.sleep(0.002)
            if at_work():
                busy = time.perf_counter()
        told[name] = f"{name} {times[name]:.2f}, on a processor {held[name]:.2f} ({busy - start:.1f})"

    judge = window.page(JudgePage)
    step("ahead", lambda: window._before_long.timeout.emit())
    while window._ahead._timer.isActive():
        step("ahead", lambda: None)
    step("judge", lambda: window.show_page(judge))
    step("list", judge.show_runs)
    step("filter", lambda: judge.view.runs.filter.setText("gannet 20"))
    step("all again", lambda: judge.view.runs.filter.setText(""))
    for name, page in (("scale", ScalePage), ("compare", ComparePage), ("modes", ModesPage)):
        step(name, lambda page=page: window.show_page(window.page(page)))  # type: ignore[misc]
    for name, page, box in (("scale toggled", ScalePage, "second"), ("compare toggled", ComparePage, "unit")):
        window.show_page(window.page(page))
        app.processEvents()
        choice = getattr(window.page(page).view, box)
        choice.setCurrentIndex(1)
        step(name, lambda choice=choice: choice.activated.emit(1))  # type: ignore[misc]
    print(f"{path.stem} runs: {', '.join(told.values())}; {memory_mb():.0f} MB", file=sys.stderr, flush=True)
    print(json.dumps(held), flush=True)
    os._exit(0)


def draw(found: dict[int, dict[str, float]]) -> None:
    """How long each held the window, on a processor, over the number of runs, both in decades, with a line of what
    grows alike."""
    import matplotlib

    matplotlib.use("svg")
    import matplotlib.pyplot as plt

    figure, axis = plt.subplots(figsize=(7.5, 4.5), layout="constrained")
    sizes = sorted(found)
    for name in found[sizes[0]]:
        axis.loglog(sizes, [max(found[size][name], LEAST_S) for size in sizes], "o-", label=name)
    axis.loglog(sizes, [0.02 * size / sizes[0] for size in sizes], "--", color="grey", label="ten times the runs")
    axis.set(xlabel="runs in the book", ylabel="s of a processor for one piece", xticks=sizes, xticklabels=sizes)
    axis.legend(ncols=2, fontsize=8)
    figure.savefig(Path(__file__).parents[1] / "docs" / "growth.svg", metadata={"Date": None})


def main() -> None:
    if len(sys.argv) > 2 and sys.argv[1] == "measure":
        measure(Path(sys.argv[2]))
    from big_book import make_big_book

    found = {}
    with tempfile.TemporaryDirectory() as folder:
        for size in sys.argv[1:] or SIZES:
            path = Path(folder) / f"{size}.pinch"
            make_big_book(path, int(size), judged=True)
            run = subprocess.run([sys.executable, __file__, "measure", str(path)], check=True, stdout=subprocess.PIPE)
            found[int(size)] = json.loads(run.stdout)
            path.unlink()
    if len(found) > 1:
        draw(found)


if __name__ == "__main__":
    main()
