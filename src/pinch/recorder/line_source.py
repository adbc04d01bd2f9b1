"""Any program that prints lines, as a source beside the probe. What it lacks never ends a run."""

import logging
import math
import time
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.recorder.clock import local_s
from pinch.recorder.lines import LineProcess
from pinch.recorder.side import SideSample, ThreadedSource
from pinch.sources.line_values import LineValues

log = logging.getLogger(__name__)
LEARN_LINES, LEARN_S = 8, 4.0
"""Names are those of the first lines: of so many, or of so long."""
RETRY_S, LONGEST_RETRY_S, SILENT_S = 1.0, 15.0, 15.0
MOST_PER_S = 100
"""Rows a second that are kept; what floods is thinned out, and that is said."""


class NamedColumn(Struct, frozen=True):
    """What a name of the program is: a channel, and what makes its unit of the number."""

    channel: str
    factor: float = 1.0
    offset: float = 0.0


Naming = Callable[[Mapping[str, Sequence[float]]], tuple[Mapping[str, NamedColumn], Sequence[str]]]
"""From what each name showed at first to what it is, and what is to be said of that."""


class LineSource(ThreadedSource):
    """A program that runs as long as the recording. One that dies is started again, later each time; what lies between
    is a gap. `naming` says what its names are, once the first lines have come."""

    def __init__(self, name: str, command: Sequence[str], naming: Naming) -> None:
        super().__init__(name)
        self._command, self._naming = command, naming
        self._columns: dict[str, NamedColumn] = {}
        self._known: set[str] = set()
        self._told: set[str] = set()

    def _work(self) -> None:
        wait_s, begun_before = RETRY_S, False
        while not self._stop.is_set():
            process = None
            try:
                process = LineProcess(self._command)
                if begun_before:
                    self._events.put(tr("{name} is started again", name=self._name))
                begun = time.monotonic()
                self._follow(process)
                wait_s = RETRY_S if time.monotonic() - begun > LONGEST_RETRY_S else min(LONGEST_RETRY_S, 2 * wait_s)
                reason = process.notes[-1].rstrip(".") if process.notes else tr("it gave no reason")
            except PinchError as error:
                reason = str(error).rstrip(".")
            except Exception as error:
                log.error(f"Reading {self._name}", exc_info=error)
                reason = tr("by a mistake in Pinch")
            finally:
                if process is not None:
                    process.close()
            if not self._stop.is_set():
                self._events.put(
                    tr(
                        "{name} has ended: {reason}; it is started again in {wait_s:.0f} s",
                        name=self._name,
                        reason=reason,
                        wait_s=wait_s,
                    )
                )
                begun_before = True
                self._stop.wait(wait_s)

    def _follow(self, process: LineProcess) -> None:
        """Take lines until the program ends."""
        values, first, heard = LineValues(), list[tuple[float, dict[str, float]]](), time.monotonic()
        kept, second, silent = 0, int(heard), False
        while not self._stop.is_set():
            lines = process.lines(0.2)
            now = time.monotonic()
            if process.damage:
                self._say_once(tr("{name}: {damage}; it is left out", name=self._name, damage=process.damage))
            for told in filter(None, map(self._read(values), lines)):
                heard, kept, second = now, kept + 1 if int(now) == second else 1, int(now)
                if kept > MOST_PER_S:
                    self._say_once(
                        tr(
                            "{name} prints more than {most_per_s} lines a second; others are left out",
                            name=self._name,
                            most_per_s=MOST_PER_S,
                        )
                    )
                elif self._columns:
                    self._keep(local_s(), told)
                else:
                    first.append((local_s(), told))
            if first and not self._columns and (len(first) >= LEARN_LINES or now - heard > LEARN_S or process.ended):
                self._learn([told for _, told in first])
                for moment, told in first:
                    self._keep(moment, told)
            if silent != (now - heard > SILENT_S):
                silent = not silent
                self._events.put(f"{self._name} {(tr('says nothing more') if silent else tr('speaks again'))}")
            if process.ended:
                return

    def _read(self, values: LineValues) -> Callable[[str], dict[str, float] | None]:
        def read(line: str) -> dict[str, float] | None:
            told = values.read(line)
            if told is None:
                self._say_once(
                    tr("{name} printed lines that hold no numbers by name; they are left out", name=self._name)
                )
            return told

        return read

    def _learn(self, lines: Sequence[Mapping[str, float]]) -> None:
        """What the names are, from what they showed at first."""
        shown: dict[str, list[float]] = {}
        for told in lines:
            for name, value in told.items():
                shown.setdefault(name, []).append(value)
        columns, said = self._naming(shown)
        self._columns, self._known = dict(columns), set(shown)
        for words in said:
            self._notes.put(f"{self._name}: {words}")
        if not columns:
            self._say_once(tr("{name} tells nothing that can be kept", name=self._name))
        self.channels = tuple(column.channel for column in self._columns.values())

    def _keep(self, moment: float, told: Mapping[str, float]) -> None:
        if unknown := told.keys() - self._known:
            self._say_once(
                tr(
                    "{name} told of {unknown} later only; that is left out",
                    name=self._name,
                    unknown=", ".join(sorted(unknown)),
                )
            )
        values = tuple(
            told[name] * column.factor + column.offset if name in told else math.nan
            for name, column in self._columns.items()
        )
        if any(map(math.isfinite, values)):
            self._samples.put(SideSample(moment, values))

    def _say_once(self, words: str) -> None:
        if words not in self._told:
            self._told.add(words)
            self._notes.put(words)
