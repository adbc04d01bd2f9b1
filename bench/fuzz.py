#!/usr/bin/env python3
"""Feeds broken input to every reader, led by which lines it reaches: .venv/bin/python bench/fuzz.py [READER…] [OPTIONS]

    --seconds S   for each reader (60); two readers at a time, each a process of its own
    --seed N      go the same way each time (0: another each time)
    --found DIR   where an input goes that a reader did not bear, as READER-crash-… (fuzz/ in the cache folder)
    --keep        put the inputs that reach something new into the corpus

Begins with the corpus that is kept in bench/corpus.zip. A reader may refuse its input with a sentence, and nothing
else: any other exception, five seconds over one input, or 1 GB of memory ends the reader's turn.
"""

import argparse
import os
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import platformdirs

MOST_INPUT, MOST_S, MOST_MB = 4096, 5, 1024
MEMORY = Path("/dev/shm")
CORPUS = Path(__file__).with_name("corpus.zip")


def _as_file(read: Callable[[Path], object], ending: str) -> Callable[[bytes], object]:
    path = Path(tempfile.mkdtemp()) / f"input{ending}"

    def feed(data: bytes) -> object:
        path.write_bytes(data)
        return read(path)

    return feed


def _book(path: Path) -> None:
    from pinch.bench import runlogs
    from pinch.bench.opening import open_book

    book = open_book(path)
    try:
        for run in book.runs():
            runlogs.read_log(book, run.id)
    finally:
        book.close()


def _sheet_text(data: bytes) -> object:
    from pinch.intake.table_roles import guess_roles
    from pinch.intake.told_rows import told_rows
    from pinch.sources.sheets import sheet_of_text

    sheet = sheet_of_text(data.decode("utf-8", "replace"), "fuzz")
    return told_rows(sheet, guess_roles(sheet), {})


def _rows(data: bytes) -> object:
    from pinch.recorder.child_rows import RowReader

    reader = RowReader("fuzz")
    reader.width = 2
    return reader.samples(data.decode("utf-8", "replace").splitlines())


def _frame_log(path: Path) -> object:
    from pinch.sources.frame_log import FrameLog

    log = FrameLog(str(path), "", lambda: 0.0)
    log._take_up(str(path), at_end=False)
    try:
        return log.read()
    finally:
        log.close()


def reader_of(name: str) -> Callable[[bytes], object]:
    """What takes an input, by the name of a reader."""
    from pinch.bench import chunks
    from pinch.bench.exchange import read_exchange
    from pinch.bench.files import read_model
    from pinch.bench.waiting import _operations
    from pinch.intake.book_folder import BookIndex
    from pinch.sources.archive import check_archive
    from pinch.sources.logs.read import read_any_log
    from pinch.sources.runlog_csv import read_run_log_text
    from pinch.sources.scpi import read_numbers

    return {
        "chunk": lambda data: chunks.unpack(data, "fuzz"),
        "run-log": lambda data: read_run_log_text(data.decode("utf-8", "replace"), "fuzz"),
        "any-log": _as_file(read_any_log, ".csv"),
        "sheet-text": _sheet_text,
        "exchange": _as_file(read_exchange, ".json"),
        "book-folder": _as_file(lambda path: read_model(path, BookIndex, 10_000_000), ".json"),
        "book": _as_file(_book, ".pinch"),
        "waiting": _as_file(lambda path: list(_operations(path)), ".waiting"),
        "archive": _as_file(check_archive, ".zip"),
        "rows": _rows,
        "frame-log": _as_file(_frame_log, ".csv"),
        "numbers": lambda data: read_numbers(data.decode("utf-8", "replace")),
    }[name]


NAMES = ("chunk", "run-log", "any-log", "sheet-text", "exchange", "book-folder", "book", "waiting", "archive", "rows")
NAMES = (*NAMES, "frame-log", "numbers")


def seeds(name: str, folder: Path) -> None:
    """Something honest to begin with."""
    folder.mkdir(parents=True, exist_ok=True)
    log = b"t_s,cpu.power,cpu.temp\n1,35.5,60\n2,36,61\n3,,62\n"
    other = b"Time;Power [W];Temp (C)\n2026-01-02 10:00:00;35,5;60\n2026-01-02 10:00:01;36,1;61\n" * 3
    words = {
        "run-log": [log],
        "any-log": [log, other, other.decode().encode("utf-16")],
        "sheet-text": [b"Device;Test;Run 1;Run 2\nA;B;1,5;2\n", b"Device,Score\nA,7\n"],
        "exchange": [b'{"pinch": "exchange", "version": 1, "devices": [{"name": "A", "settings": [{"name": "S"}]}]}'],
        "book-folder": [b'{"pinch": "book", "version": 1, "devices": [{"id": 1, "name": "A"}], "marks": []}'],
        "waiting": [b'{"kind":"begin","stream":0,"channels":["cpu.power"]}\n{"kind":"mark","t_s":1.0,"text":"x"}\n'],
        "rows": [b"1.0,2.0,3\n2,,\n"],
        "frame-log": [b"t_s,frame_ms\n1,16.6\n2,17\n", b"frame_ms\n16\n17\n"],
        "numbers": [b"+1.5E+3;#HFF,9.91E37\n"],
    }.get(name, [])
    if name == "chunk":
        import numpy as np

        from pinch.bench import chunks

        words = [chunks.pack(np.arange(5.0), [np.array([1.0, np.nan, 2.5, 1e300, 0.1])])]
    if name == "book":
        from pinch.bench.opening import create_book

        with tempfile.TemporaryDirectory() as made:
            create_book(Path(made) / "a.pinch").close()
            words = [(Path(made) / "a.pinch").read_bytes()]
    if name == "archive":
        import io

        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("a/b.csv", log)
        words = [packed.getvalue()]
    for number, seed in enumerate(words):
        (folder / f"seed-{number}").write_bytes(seed)


def feed(name: str, options: list[str]) -> None:
    """In a process of its own: feed one reader until its time is over or something is found."""
    import atheris

    with atheris.instrument_imports(include=["pinch"]):
        read = reader_of(name)
    from pinch.core.errors import PinchError

    def one(data: bytes) -> None:
        try:
            read(data)
        except PinchError as error:
            assert "\n" not in str(error)[:-1] and str(error), "not one sentence"

    atheris.Setup([sys.argv[0], *options], one)
    atheris.Fuzz()


def _limits(name: str) -> list[str]:
    return [f"-timeout={MOST_S}", f"-rss_limit_mb={MOST_MB}", f"-max_len={65536 if name == 'book' else MOST_INPUT}"]


def _fed(name: str, folder: Path, *options: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, __file__, "--feed", name, str(folder), *map(str, options), *_limits(name)]
    return subprocess.run(command, capture_output=True, text=True, env={**os.environ, "TMPDIR": str(folder.parent)})


def fuzz(name: str, folder: Path, ways: list[str], found: Path) -> bool:
    """Feed one reader, beginning with what lies in its folder; whether it bore everything."""
    done = _fed(name, folder, *ways, f"-artifact_prefix={found}/{name}-", "-print_final_stats=1")
    told = done.stderr.splitlines()
    runs = next((line.split()[-1] for line in told if "number_of_executed_units" in line), "0")
    memory = next((line.split()[-1] for line in told if "peak_rss_mb" in line), "?")
    print(f"{name}: {int(runs):,} inputs, at most {memory} MB, {'FOUND' if done.returncode else 'nothing found'}")
    if done.returncode:
        print("\n".join(line for line in (*done.stdout.splitlines(), *told) if line)[-1500:])
    return done.returncode == 0


def keep(folder: Path) -> None:
    """Pack all inputs that once reached something new; the same inputs make the same bytes."""
    with zipfile.ZipFile(CORPUS, "w") as packed:
        for path in sorted(p for name in NAMES for p in (folder / name).iterdir() if p.is_file()):
            packed.writestr(zipfile.ZipInfo(f"{path.parent.name}/{path.name}"), path.read_bytes(), zipfile.ZIP_DEFLATED)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("readers", nargs="*", metavar="READER", help=", ".join(NAMES))
    parser.add_argument("--seconds", type=int, default=60)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--found", type=Path, default=platformdirs.user_cache_path("pinch") / "fuzz")
    parser.add_argument("--keep", action="store_true")
    parser.add_argument("--feed", nargs=argparse.REMAINDER, help=argparse.SUPPRESS)
    args = parser.parse_args()
    if args.feed:
        feed(args.feed[0], args.feed[1:])
        return 0
    args.found.mkdir(parents=True, exist_ok=True)
    shared = MEMORY if MEMORY.is_dir() else None
    with tempfile.TemporaryDirectory(prefix="fuzz-", dir=shared) as made, ThreadPoolExecutor(2) as pool:
        folder = Path(made)
        if CORPUS.exists():
            zipfile.ZipFile(CORPUS).extractall(folder)
        for name in NAMES:
            seeds(name, folder / name)
        chosen = args.readers or NAMES
        ways = [f"-max_total_time={args.seconds}", f"-seed={args.seed}"]
        borne = list(pool.map(lambda name: fuzz(name, folder / name, ways, args.found), chosen))
        if args.keep:
            keep(folder)
    return 0 if all(borne) else 1


if __name__ == "__main__":
    sys.exit(main())
