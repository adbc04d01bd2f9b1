"""What the commands tell of the demo book, and what is understood of logs and tables as others write them, pinned.

It says that nothing has moved, not that it is right: the other tests do.
"""

import contextlib
import csv
import io
import json
import re
import shlex
import shutil
import warnings
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.cli.main import main
from pinch.core.errors import DataError, PinchError
from pinch.intake.arrivals import read_batch
from pinch.intake.table_headers import read_header
from pinch.intake.table_roles import Role, guess_roles, open_questions
from pinch.intake.told_rows import told_rows
from pinch.sources.logs.mapping import ShownColumn, guess
from pinch.sources.sheets import sheet_of_text
from pinch.sources.table_cells import read_cell
from tests.golden import Figure
from tests.pinned import flat
from tests.strangers import write_strangers
from tests.window_case import demo_book

NOON = datetime(2026, 11, 29, 12, tzinfo=UTC)
"""When logs without a time of their own come in."""
TOLD = Path(__file__).parent / "data" / "golden" / "told.json.gz"
HEADERS = Path(__file__).parent / "data" / "headers.csv"
MOST_ROWS = 250
"""Of a table that are kept: there are thousands."""
TILE, GAME, LOWS = "Tile Render, all cores", "Skerry Run", "average+low_1.percentile"
AXES = ("device", "watts", "field", "setting", "supply", "graphics-path", "builds", "memory", "day")
OF_BOOK: tuple[tuple[str, ...], ...] = (
    ("results", "--device", "Gannet", "--json"),
    *(("compare", "--along", axis, "--workload", TILE) for axis in AXES),
    ("compare", "--along", "variant", "--workload", GAME, "--where", "device=Gannet", "--json"),
    ("compare", "--along", "field", "--workload", TILE, "--workload", GAME, "--delta", "5", "--json"),
    *(("scale", "--workload", work, "--json") for work in (TILE, GAME)),
    ("compare", "--along", "setting", "--workload", GAME, "--where", "device=Gannet", "--metric", LOWS, "--json"),
    ("scale", "--workload", GAME, "--target", "45", "--low", "60"),
    ("scale", "--workload", TILE),
    ("card", "list"),
)
WORK = """
import --json --book B --names {device}_{setting}_{workload} --ambient 21 --day 2026-09-13 F/strangers/Limpet
import --book B --device Limpet --setting 54W --watts 54 --workload Skerry --variant high --protocol twice F/strangers
import --book B --device Limpet --setting Stock --workload Tile --score 812 --note again F/strangers/hall_a.csv
import --book B --device Limpet --setting 54W --watts 54 --workload Skerry --variant high F/strangers/hall_b.csv --json
import --book B --device Limpet --setting 54W --workload Tile --meters plug --day 2026-09-15 F/commas.csv F/far.csv
import --book B --device Limpet --setting 54W --workload Tile --day 2026-09-15 F/commas.csv F/far.csv F/zoned.csv
import --book B --device Limpet --setting 54W --workload Tile --ambient 21,5 F/either_way.csv F/gigahertz.csv --json
import --json --book B --scores --day 2026-09-20 --origin other --author Ada --workload Tile F/typed.csv
set run 1 2 3 ambient=22.5 day=2026-09-14 builds='graphics driver 31.4; OS 6.12' score=812 --book B
set run 4 void='wrong charger' note=second --book B --json
set run 5 cpu.power=gpu.power*0.5 --book B
set run 5 ambient=warm --book B
set run 77 score=8 --book B
reading --book B --run 1 --quantity wall.power --value '88 W' --low 86 --high 91 --phase load --json
reading --book B --run 1 --quantity skin.temp --value 41.6–42 --place palm_rest --distance-mm 5 --u 0.4
reading --book B --run 2 --quantity noise.level --value 38,5 --distance-mm 400 --phase load
reading --book B --run 2 --quantity noise.level --value loud --phase end
results --book B
results --book B --json
compare --book B --along field --workload Tile --json
compare --book B --along device --workload Tile --delta 2
card add --book B --kind bars --workload Tile --along device --title 'How fast' --json
card add --book B --kind timeline --run 1
card add --book B --kind frames --run 77
card list --book B --json
report --book B --check --json
report --book B --check
report --book D --check --json
scale F/ladder.csv --target 60 --low 50 --json
scale F/ladder.csv --target 500
convert F/strangers/hall_a.csv F/hall.csv --write-map F/hall.json
frames F/strangers/hall_b.csv
frames F/strangers/hall_a.csv
judge F/strangers/hall_a.csv --frames F/strangers/hall_b.csv --ambient 21 --temp-limit 90 --clock-ceiling 4400
judge F/strangers/hall_a.csv --extent scene --json
plan F/plan.json --at 2026-09-21T09:00 --hours 3
plan F/plan.json --json
plan F/bench.json
reference add D --name Earlier --book B
reference list --book B --json
"""
"""What somebody does with logs and a table of others; F is the folder, D the demo book, B a new one."""
TYPED = "Device;Mode;Score;Runs;SD\nLimpet;Stock;801;3;6,5\nGannet;20 W;744,5;4;3,1\nTern;;690;1;\n"
LADDER = "device,power_W,score,low_1\n" + "".join(
    f"{name},{w},{k * w**0.6:.2f},{0.7 * k * w**0.6:.2f}\n"
    for name, k in (("A", 8.0), ("B", 8.4))
    for w in range(8, 41, 4)
)
CELLS = """
12|12.5|12,5|1.234|1,234|1.234,5|1,234.5|1'234|12 345|.5|-3|−3.5|1e3|1,5e-2|41–42|41.6 - 42.1|3 to 5|12 of 20|1:02
1:02:03|2 min|1 h 5 min|90 s|55 fps|12 W|≥ 5|~7|< 3|n/a|-||abc|12abc|50 %|0,5 %|#DIV/0!|1..2|5-|TRUE|12;5
"""
COLUMNS = """
Device|Mode|Game|Preset|Average [fps]|Average fps|1 % low|0.1 % low (fps)|Whose|Units|Watts|Package W|Driver|Date|Runs
SD|Notes|Score|Points run 2|Time [s]|Median|Max
"""


def all_told(folder: Path) -> dict[str, dict[str, Figure]]:
    """Everything, by what it is of; `folder` is empty."""
    return {
        "book": dict(_of_book(folder)),
        "logs": dict(_of_logs(folder)),
        "work": dict(_of_work(folder)),
        "cells": dict(_of_cells()),
        "tables": dict(_of_tables()),
    }


def _split(text: str) -> list[str]:
    return [part for line in text.strip().splitlines() for part in line.split("|")]


def _said(*words: str) -> str:
    out, err = io.StringIO(), io.StringIO()
    quiet = warnings.catch_warnings(action="ignore", category=ResourceWarning)  # of what tests before left open
    with quiet, contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), contextlib.suppress(SystemExit):
        main(list(words))
    return out.getvalue() + err.getvalue()


def _of_book(folder: Path) -> Iterator[tuple[str, Figure]]:
    book = str(demo_book())
    for words in OF_BOOK:
        said = _said(*words, "--book", book)
        yield from (
            flat(json.loads(said), " ".join(words)) if said.startswith("{") else _lines(" ".join(words), said, folder)
        )
    records = folder / "bench.json"
    _said("records", book, "--out", str(records), "--with", "notes,serials,hosts,marks,checks,sellers")
    yield from flat(json.loads(records.read_text(encoding="utf-8")), "records")
    for name in ("all.json", "all.csv"):
        _said("export", "--book", book, "--to", str(folder / name))
    tables = json.loads((folder / "all.json").read_text(encoding="utf-8"))
    yield from flat({name: table["rows"][:MOST_ROWS] for name, table in tables.items()}, "tables")
    for number in (5, 47, 102):
        _said("export", "--book", book, "--run", str(number), "--to", str(folder / str(number)))
        log = next((folder / str(number)).glob("run-*.csv"))
        package = (folder / str(number) / "datapackage.json").read_text(encoding="utf-8")
        yield from _lines(f"package {number}", package, folder)
        yield from _lines(f"judge {number}", _said("judge", str(log), "--ambient", "22", "--shared", "yes"), folder)


def _lines(name: str, text: str, folder: Path) -> Iterator[tuple[str, Figure]]:
    """The lines of a text, without what differs from one making to the next."""
    text = text.replace(str(folder), "FOLDER").replace(str(demo_book().parent), "FOLDER")
    text = re.sub(r'"(created|bytes|hash|version)": [^,\n]+|\d{4}-\d\d-\d\dT[\d:.+Z-]+', "", text)
    for number, line in enumerate(text.splitlines()):
        yield f"{name}: {number}", line


def _of_logs(folder: Path) -> Iterator[tuple[str, Figure]]:
    place = folder / "strangers"
    place.mkdir()
    write_strangers(place)
    batch = read_batch(sorted(path for path in place.rglob("*") if path.is_file()))
    for path, read in batch.read.items():
        found = [(n, s.t - s.t[0], s.values) for n, s in read.log.series.items()]
        uses = [(use.channel, use.factor, use.offset, round(use.score, 3)) for use in read.mapping.columns]
        yield from flat([found, read.notes, read.questions, uses], path.name)
    yield from flat([text.replace(str(folder), "FOLDER") for text in batch.refused], "refused")


def _of_work(folder: Path) -> Iterator[tuple[str, Figure]]:
    (folder / "typed.csv").write_text(TYPED)
    (folder / "ladder.csv").write_text(LADDER)
    for name in ("commas", "far", "zoned", "either_way", "gigahertz"):
        shutil.copy(next(folder.rglob(f"{name}.csv")), folder)
    plans = json.loads((folder / "bench.json").read_text(encoding="utf-8"))
    (folder / "plan.json").write_text(json.dumps(plans | {"plans": plans["plans"][:1]}))
    places = {"B": f"{folder}/new.pinch", "D": str(demo_book())}
    for line in WORK.strip().splitlines():
        words = [places.get(word, word.replace("F/", f"{folder}/", 1)) for word in shlex.split(line)]
        with mock.patch(
            "pinch.bench.new_runs.now", return_value=NOON
        ):  # runs of one day are in the order of their hours
            said = _said(*words)
        yield from _lines(line, said, folder)


def _of_cells() -> Iterator[tuple[str, Figure]]:
    def read(text: str, mark: str, unit: str) -> object:
        try:
            return read_cell(text, mark, unit)
        except PinchError as error:
            return str(error)

    for mark in ".,":
        yield from flat(
            [read(text, mark, unit) for text in _split(CELLS) for unit in ("", "fps", "s")], f"cells {mark}"
        )
    with HEADERS.open(encoding="utf-8", newline="") as file:
        names = [row["header"] for row in csv.DictReader(file)]
    yield from flat([read_header(name) for name in (*names, *_split(COLUMNS))], "headers")
    for middle in (0.8, 55.0, 3200.0, float("nan")):
        shown = [ShownColumn(0.5 * middle, middle, 1.2 * middle)] * len(names)
        found = guess(names, [""] * len(names), shown)
        yield from flat(
            [(use.channel, use.factor, use.offset, round(use.score, 3)) for use in found], f"columns {middle}"
        )


def _of_tables() -> Iterator[tuple[str, Figure]]:
    for seed in range(60):
        sheet = None
        try:
            sheet = sheet_of_text(_table(np.random.default_rng(seed)), f"table {seed}")
            roles = guess_roles(sheet)
            yield from flat([sheet.names, [use.role for use in roles.columns], open_questions(sheet, roles)], str(seed))
            common = {Role.SETTING: "Stock", Role.WORKLOAD: "Tile Render"}
            missing = {role: name for role, name in common.items() if role not in [use.role for use in roles.columns]}
            yield from flat(told_rows(sheet, roles, missing), f"{seed} told")
        except DataError as error:
            yield f"{seed} refused", str(error)


def _table(rng: np.random.Generator) -> str:
    """A table of results, one of the many that people write."""

    def pick(*of: str) -> str:
        return of[int(rng.integers(0, len(of)))]

    delimiter, mark = pick(";", "\t", ",", ";"), pick(".", ",")
    mark = "." if delimiter == "," else mark
    kept = [name for name in _split(COLUMNS) if rng.random() < 0.45]
    names = list(dict.fromkeys(["Device", *kept, pick("Average [fps]", "Score", "Result", "Points")]))
    games = ("Pack Ice", "Lantern Deep", "Skerry Run")
    if rng.random() < 0.3:  # wide: games beside each other, over average and low
        names = [
            "Device",
            "Mode",
            *[f"{game}{pick(' ', ', ', ' – ')}{what}" for game in games for what in ("avg", "1% low")],
        ]
    rows = [[_cell(rng, name, mark, games) for name in names] for _ in range(int(rng.integers(2, 7)))]
    if rng.random() < 0.25:
        rows.append(["Mean", *[pick("", "12") for _ in names[1:]]])
    title = pick("", "", "Results of the bench\n")
    return title + "\n".join(delimiter.join(row) for row in (names, *rows)) + "\n"


def _cell(rng: np.random.Generator, name: str, mark: str, games: Sequence[str]) -> str:
    texts = {
        "Device": (*["Gannet", "Limpet"] * 5, ""),
        "Mode": ("20 W", "Stock"), "Game": games, "Preset": ("low", "high"),
        "Whose": ("own test", "maker", "other"), "Driver": ("31.4", "32.0"), "Notes": ("", "again"),
        "Date": ("2026-09-14", "14.09.2026"), "Units": ("1", "2"), "Runs": ("3", "5"),
    }  # fmt: skip
    if name in texts:
        return texts[name][int(rng.integers(0, len(texts[name])))]
    number = f"{rng.uniform(8.0, 1500.0):.{int(rng.integers(0, 3))}f}".replace(".", mark)
    return number if rng.random() < 0.9 else ("n/a", "-", f"{number} fps")[int(rng.integers(0, 3))]
