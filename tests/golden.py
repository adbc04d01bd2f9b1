"""The golden file: what Pinch made of about sixty logs when the version of its methods was last raised."""

import io
import json
import math
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from pinch.cli.judge_command import judgement_json
from pinch.core.frames import with_frame_rate
from pinch.core.judge import judge
from pinch.core.known import Known
from pinch.core.runlog import RunLog
from pinch.sources.runlog_csv import read_run_log_text

FOLDER = Path(__file__).parent / "data" / "golden"
LOGS, FIGURES = FOLDER / "logs.zip", FOLDER / "figures.json"
SAME = 2e-6
"""Figures are kept to six digits; another machine may round the last one otherwise."""
WORDS = {"text", "evidence", "unit"}

Figure = str | float | bool | None


@dataclass(frozen=True)
class GoldenLog:
    """A log of the set, and what the operator knew of it."""

    name: str
    log: RunLog
    known: Known


def golden_logs() -> Iterator[GoldenLog]:
    """All logs of the set by name."""
    with zipfile.ZipFile(LOGS) as logs:
        known = json.loads(logs.read("known.json"))
        for name, fields in known.items():
            series = dict(_read(logs, f"{name}.csv").series)
            if f"{name}-frames.csv" in logs.namelist():
                series.update(_read(logs, f"{name}-frames.csv").series)
            yield GoldenLog(name, with_frame_rate(RunLog(series)), Known(**fields))


def _read(logs: zipfile.ZipFile, name: str) -> RunLog:
    return read_run_log_text(io.TextIOWrapper(logs.open(name), "utf-8").read(), name)


def figures_of(golden: GoldenLog) -> dict[str, Figure]:
    """All judged figures of a log by their path in the JSON of `pinch judge`, words aside."""
    return dict(_flat(judgement_json(judge(golden.log, golden.known)), ""))


def _flat(value: object, path: str) -> Iterator[tuple[str, Figure]]:
    if isinstance(value, Mapping):
        for key, inner in value.items():
            if key not in WORDS:
                yield from _flat(inner, f"{path}.{key}" if path else key)
    elif isinstance(value, list):
        for number, inner in enumerate(value):
            yield from _flat(inner, f"{path}[{number}]")
    else:
        assert value is None or isinstance(value, str | float | bool | int)
        yield path, value


def moved(before: Mapping[str, Figure], after: Mapping[str, Figure]) -> list[str]:
    """What differs between two judgements of one log."""
    return [
        f"{key}: {before.get(key, 'absent')} → {after.get(key, 'absent')}"
        for key in dict.fromkeys((*before, *after))
        if key not in before or key not in after or not _same(before[key], after[key])
    ]


def _same(a: Figure, b: Figure) -> bool:
    numbers = isinstance(a, float | int) and isinstance(b, float | int)
    return math.isclose(a, b, rel_tol=SAME) if numbers else a == b  # type: ignore[arg-type]
