"""`pinch import PATH… --book FILE`: logs in any dialect become runs, the rows of tables results, the books of others
join. What is asked in the window is answered by `--map`, or left open: then nothing of that file is taken."""

import argparse
import sys
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from pinch.bench.book import Book
from pinch.bench.entry import read_day
from pinch.bench.summaries import Origin
from pinch.cli.books import changed_whole
from pinch.cli.convert_command import mapping_of
from pinch.cli.heard import ENDED, heard_until_ended
from pinch.cli.numbers import print_json
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.core.progress import CancelledError
from pinch.intake.arrivals import Arrival, add_arrivals, arrivals_of, files_in, read_batch
from pinch.intake.book_folder import is_book_folder, opened_book, read_book_folder
from pinch.intake.completing import Completion, read_completion
from pinch.intake.filing import Filed, NamePattern
from pinch.intake.joining import join_book
from pinch.intake.packages import is_run_package
from pinch.intake.shelf import known_names
from pinch.intake.table_roles import Role, RoleMapping, guess_roles, key_of, open_questions, read_roles
from pinch.intake.told_results import add_told
from pinch.intake.told_rows import told_rows
from pinch.intake.what_file import holds_results
from pinch.sources.archive import opened
from pinch.sources.logs.memory import recall
from pinch.sources.sheets import read_sheet

ORIGINS = {"own": Origin.OWN, "maker": Origin.MAKER, "other": Origin.THIRD, "archive": Origin.ARCHIVE}
BOOK = ".pinch"
OF_RUNS = ("ambient", "day", "protocol", "builds", "meters", "note")


class Imported(Struct):
    """What became of all files: runs by number, results, what was there already, what was asked, what is wrong."""

    runs: list[int] = field(default_factory=list)
    results: int = 0
    skipped: int = 0
    replaced: int = 0
    left: int = 0
    questions: list[dict[str, Any]] = field(default_factory=list)
    warnings: list[dict[str, str]] = field(default_factory=list)
    refused: bool = False

    def warn(self, code: str, text: str, file: str) -> None:
        """Something to be known of a file."""
        self.warnings.append({"code": code, "text": text, "file": file})

    def refuse(self, text: str, file: str) -> None:
        """A file that cannot be read."""
        self.refused = True
        self.warn("unreadable", text, file)

    def ask(
        self,
        path: Path,
        columns: Sequence[str],
        asked: Sequence[str],
        of_columns: Sequence[str],
        of_last: Sequence[str],
    ) -> None:
        """Questions of a file with the choices there are: first one of each of `columns`, then of the whole file."""
        for number, why in enumerate(asked):
            of_one = number < len(columns)
            column, choices = (columns[number], of_columns) if of_one else ("", of_last)
            self.questions.append({"file": str(path), "column": column, "why": why, "choices": list(choices)})

    @property
    def status(self) -> int:
        """The exit status: 130: it was ended; 2: something cannot be read; 1: something was left open."""
        if self.left:
            return ENDED
        left_out = any(w["code"] == "left-out" for w in self.warnings)
        return 2 if self.refused else 1 if self.questions or left_out else 0


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("paths", type=Path, nargs="+", metavar="PATH", help="logs, tables, folders, ZIP archives")
    parser.add_argument("--book", type=Path, required=True, help="the book; it is made where there is none")
    parser.add_argument("--device", default="", help="the device, where the file does not say; a new name makes one")
    parser.add_argument("--setting", default="", help="its setting; a new name makes one")
    parser.add_argument("--workload", default="", help="what was run; a new name makes one")
    parser.add_argument("--variant", default="", help="how the workload was set; a new name makes one")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")
    parser.add_argument(
        "--names",
        default="",
        metavar="PATTERN",
        help="how the files are named, such as {device}_{setting}_{workload}_{repeat}; without it the names in the "
        "book are looked for",
    )
    parser.add_argument("--map", type=Path, metavar="FILE", help="how the columns are to be understood, as JSON")
    parser.add_argument(
        "--scores", action="store_true", help="the files are tables of results, whatever they look like"
    )
    parser.add_argument("--ambient", default="", metavar="C", help="the room of the runs, °C")
    parser.add_argument("--day", default="", metavar="YYYY-MM-DD", help="the day of the runs, or of the results")
    parser.add_argument("--protocol", default="", metavar="NAME", help="the protocol that the runs were made under")
    parser.add_argument("--builds", default="", metavar="TEXT", help="such as 'graphics driver 31.4; OS 6.12'")
    parser.add_argument("--meters", default="", metavar="NAMES", help="instruments of the bench that the logs are of")
    parser.add_argument("--note", default=None, metavar="TEXT", help="a note to every run or result")
    parser.add_argument("--score", default="", metavar="VALUE", help="the score of the one log named")
    parser.add_argument("--origin", choices=ORIGINS, default="", help="whose figures the results are")
    parser.add_argument("--author", default="", metavar="NAME", help="who tells the results")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    if args.day:
        read_day(args.day)
    outcome = Imported()
    folders, tables, logs = _by_kind(args)
    if args.score and (len(logs) != 1 or tables or folders):
        raise PinchError("--score belongs to the run of one log; name that log alone.")
    for source in folders:
        _add_book(args, source, outcome)
    if tables:
        _add_tables(args, tables, outcome)
    if logs:
        _add_logs(args, logs, outcome)
    _tell(args, outcome)
    return outcome.status


def _add_book(args: argparse.Namespace, source: Path, outcome: Imported) -> None:
    """Another book, as its file or as open files: it joins this one; open files alone become that very book."""
    if is_book_folder(source) and not args.book.exists():
        runs = read_book_folder(source, args.book)
        outcome.runs += list(range(1, runs + 1))
        _say(args, f"{args.book}: {counted(runs, 'run')}")
        return
    with opened_book(source) as other, changed_whole(args.book) as book:
        done = join_book(book, other)
    outcome.runs += done.runs
    outcome.results += done.results
    outcome.skipped += done.skipped
    for note in done.notes:
        outcome.warn("noticed", note, str(source))
    _say(args, done.words)


def _by_kind(args: argparse.Namespace) -> tuple[list[Path], list[Path], list[Path]]:
    """The books as open files, the tables of results and the logs among the paths."""
    folders = [path for path in args.paths if path.suffix == BOOK or is_book_folder(path) or is_run_package(path)]
    files = [path for path in args.paths if path not in folders]
    tables = [path for path in files if args.scores or (path.is_file() and holds_results(path))]
    return folders, tables, [path for path in files if path not in tables]


def _tell(args: argparse.Namespace, outcome: Imported) -> None:
    """What became of all files, as JSON or as lines for a person."""
    if args.json:
        print_json(
            {
                "runs": outcome.runs,
                "results": outcome.results,
                "skipped_same": outcome.skipped,
                "replaced": outcome.replaced,
                "left": outcome.left,
                "questions": outcome.questions,
                "warnings": outcome.warnings,
            }
        )
        return
    for question in outcome.questions:
        how = " Say it with --map." if question["column"] or question["choices"] else ""
        print(f"pinch: {question['file']}: {question['why']}{how}", file=sys.stderr)
    for text, times in Counter(warning["text"] for warning in outcome.warnings).items():
        print(f"pinch: {text}{f' (of {times} files)' if times > 1 else ''}", file=sys.stderr)


def _say(args: argparse.Namespace, words: str) -> None:
    if not args.json:
        print(words)


def _add_tables(args: argparse.Namespace, paths: Sequence[Path], outcome: Imported) -> None:
    """Add the results of tables, all of it or nothing."""
    said = {
        Role.DEVICE: args.device,
        Role.SETTING: args.setting,
        Role.WORKLOAD: args.workload,
        Role.VARIANT: args.variant,
        Role.ORIGIN: str(ORIGINS[args.origin]) if args.origin else "",
        Role.BY: args.author,
        Role.DATED: args.day,
        Role.NOTE: args.note or "",
    }
    common = {role: text for role, text in said.items() if text}
    with changed_whole(args.book) as book:
        for path in paths:
            try:
                _add_table(args, book, path, common, outcome)
            except PinchError as error:
                outcome.refuse(str(error), str(path))


def _add_table(args: argparse.Namespace, book: Book, path: Path, common: dict[Role, str], outcome: Imported) -> None:
    sheet = read_sheet(path)
    roles = read_roles(args.map, sheet) if args.map else recall(key_of(sheet), RoleMapping)
    roles = roles or guess_roles(sheet, known_names(book))
    choices = [str(role) for role in Role if role is not Role.UNKNOWN]
    asked = open_questions(sheet, roles)
    if asked:
        columns = [use.column for use in roles.columns if use.doubtful]
        outcome.ask(path, columns, asked, choices, [".", ","])
        return
    for note in sheet.notes:
        outcome.warn("noticed", f"{path}: {note}", str(path))
    table = told_rows(sheet, roles, common)
    done = add_told(book, table.rows, path.name)
    outcome.results += len(done.added)
    outcome.replaced += len(done.replaced)
    outcome.skipped += done.skipped
    for problem in (*table.problems, *done.problems):
        outcome.warn("left-out", problem, str(path))
    for line in done.lines:
        _say(args, f"{path.name}, {line}")
    _say(args, f"{path.name}: {done.words}")


def _add_logs(args: argparse.Namespace, there: Sequence[Path], outcome: Imported) -> None:
    """Add logs that can be read and say where they belong: all of those, or nothing; of an import that is ended those
    that were done."""
    pattern, mapping = NamePattern(args.names), mapping_of(args.map)
    said = read_completion({key: text for key in OF_RUNS if (text := getattr(args, key))})
    if args.score:
        said = replace(said, score=read_completion({"score": args.score}).score)
    with opened(there) as paths:
        files = files_in(paths)
        try:
            with heard_until_ended(f"{counted(len(files), 'log')} read") as progress:
                batch = read_batch(files, mapping, progress)
        except CancelledError:
            outcome.left = len(files)
            words = "pinch: Ended: nothing is in the book yet; the same command goes on with what is not read."
            print(words, file=sys.stderr)
            return
        for reason in batch.refused:
            outcome.refuse(reason, reason.partition(":")[0])
        if batch.read:
            with changed_whole(args.book) as book:
                _add_read(args, book, arrivals_of(batch.read, book, pattern), said, outcome)
            if outcome.left and batch.before is not None:
                batch.before.keep()


def _add_read(
    args: argparse.Namespace, book: Book, arrivals: Sequence[Arrival], said: Completion, outcome: Imported
) -> None:
    names = Filed(args.device, args.setting, args.workload)
    placed = []
    for arrival in (replace(a, filed=names.over(a.filed), claimed_w=args.watts) for a in arrivals):
        logs = [log for log in (arrival.read, arrival.beside) if log is not None]
        for warning in (w for log in logs for w in log.warnings):
            outcome.warn("noticed", str(warning), str(arrival.path))
        if not arrival.filed.whole:
            why = f"{arrival.open[0]} Its name does not say; use --device, --setting, --workload or --names."
            outcome.ask(arrival.path, [], [why], [], [])
        elif any(log.questions for log in logs):
            for log in logs:
                columns = [use.column for use in log.mapping.doubtful]
                outcome.ask(arrival.path, columns, log.questions, [], ["day", "month"])
        else:
            placed.append(arrival)
    if args.variant:
        said = replace(said, variant=args.variant)
    with heard_until_ended(f"{counted(len(placed), 'run')} added") as progress:
        found = add_arrivals(book, placed, said, progress)
    for added in found.added:
        outcome.runs.append(added.run.id)
        _say(args, f"run {added.run.id}: {added.words}, {added.run.samples} values")
    outcome.skipped += len(found.skipped)
    for words in found.skipped:
        _say(args, words)
    if found.left:
        outcome.left = len(found.left)
        done = f"{len(placed) - outcome.left:,} of {counted(len(placed), 'log')}"
        words = f"pinch: Ended: {done} are done and stay in the book; the same command goes on with the rest."
        print(words, file=sys.stderr)
    for problem in found.problems:
        outcome.warn("left-out", problem, "")
