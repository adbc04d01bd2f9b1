"""Makes a book of as many runs as are asked for, out of the demo's: `python bench/big_book.py FILE RUNS [judged]`.

Each copy of the demo's runs is a month older than the one before, with its logs, marks and readings; `judged`: with
what each was judged to be, else all is still to do.
"""

import contextlib
import sqlite3
import sys
import time
from pathlib import Path

from pinch.rig.demo import make_demo_book
from pinch.runs.whole_book import digest_book

STEP = 1_000
"""Numbers of one copy are this far from those of the next."""
TABLES = {
    "run": "id + :by, device_id, setting_id, workload_id, datetime(started, :back), repeat + :times, removed, record",
    "stream": "id + :by, run_id + :by, channels",
    "chunk": "id + :by, stream_id + :by, samples, data",
    "mark": "id + :by, run_id + :by, t_s, text",
    "reading": "id + :by, run_id + :by, record",
}


def make_big_book(path: Path, runs: int, judged: bool) -> None:
    """Write the book."""
    make_demo_book(path)
    if judged:
        digest_book(path)
    with contextlib.closing(sqlite3.connect(path)) as book:
        own = int(book.execute("SELECT COUNT(*) FROM run").fetchone()[0])
        most = max(int(book.execute(f"SELECT MAX(id) FROM {table}").fetchone()[0] or 0) for table in TABLES)
        assert most < STEP, most
        # SQLite writes a time with a space and no zone; a book has it as ISO 8601 has it.
        started = "strftime('%Y-%m-%dT%H:%M:%S+00:00', started, :back)"
        tables = TABLES | {"run": TABLES["run"].replace("datetime(started, :back)", started)}
        tables |= {"judged": "run_id + :by, key, method, record, ''"} if judged else {}
        for copy in range(1, -(-runs // own)):
            values = {"by": copy * STEP, "back": f"-{copy} months", "times": 10 * copy}
            for table, columns in tables.items():
                first = "run_id" if table == "judged" else "id"
                book.execute(f"INSERT INTO {table} SELECT {columns} FROM {table} WHERE {first} < {STEP}", values)
        book.commit()
    if judged:
        digest_book(path)


if __name__ == "__main__":
    begun = time.perf_counter()
    make_big_book(Path(sys.argv[1]), int(sys.argv[2]), "judged" in sys.argv)
    print(f"{sys.argv[1]}: {Path(sys.argv[1]).stat().st_size / 1e6:.0f} MB, {time.perf_counter() - begun:.0f} s")
