"""What a machine tells, from where and to whom: asked of the probe, here or wherever a command reaches."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

from msgspec import Struct

from pinch.core.channels import unit_of
from pinch.core.errors import PinchError
from pinch.core.printing import UNKNOWN, plain
from pinch.language import tr
from pinch.narrative.ways_to_sensors import way_lines, ways_to
from pinch.recorder.lines import command_words
from pinch.recorder.processes import PROBE
from pinch.recorder.remote import REACHES
from pinch.sources.probe.bundle import program

ANSWER_WITHIN_S = 60.0
"""Somebody may have to type a password first."""


class ToldChannel(Struct, frozen=True):
    """A channel that is read: its files, the label that stands beside them, its value just now, who may read it."""

    channel: str
    files: tuple[str, ...]
    label: str
    value: float | None
    readable_by: str

    @property
    def value_words(self) -> str:
        """The value with its unit."""
        return UNKNOWN if self.value is None else f"{plain(self.value, 5)} {unit_of(self.channel)}".strip()

    @property
    def place_words(self) -> str:
        """Where it is read."""
        more = tr(" and {files} more", files=len(self.files) - 1) if len(self.files) > 1 else ""
        return f"{self.files[0]}{more}" if self.files else tr("the probe itself")


class ToldState(Struct, frozen=True):
    """How the machine is set, in words of the kernel."""

    what: str
    file: str
    value: str
    readable_by: str


class RefusedFile(Struct, frozen=True):
    """A file that is there and may not be read."""

    file: str
    why: str
    readable_by: str


class LackingQuantity(Struct, frozen=True):
    """What a judgement rests on and nothing here tells; `refused` where only rights are wanting."""

    what: str
    place: str
    why: str
    refused: bool


class MachineSensors(Struct, frozen=True):
    """Everything that a machine tells to whoever asked."""

    channels: tuple[ToldChannel, ...]
    states: tuple[ToldState, ...]
    refused: tuple[RefusedFile, ...]
    lacking: tuple[LackingQuantity, ...]
    notes: tuple[str, ...] = ()


def read_sensors(root: Path | None = None, reach: str = "") -> MachineSensors:
    """What the machine at hand, the tree at `root`, or the computer that a command reaches tells.

    Raises
    ------
    PinchError : the probe cannot be started there, or does not answer.
    """
    options = ["--list", *(["--root", str(root)] if root is not None else [])]
    words = command_words(reach, REACHES)
    command = words or [sys.executable, "-I", "-S", str(PROBE), *options]
    given = program(options) if words else None
    try:
        done = subprocess.run(command, input=given, capture_output=True, text=True, timeout=ANSWER_WITHIN_S)
    except OSError as error:
        raise PinchError(
            tr("{command} cannot be started: {strerror}.", command=command[0], strerror=error.strerror)
        ) from None
    except subprocess.TimeoutExpired:
        raise PinchError(
            tr(
                "{command} did not answer within {answer_within_s:.0f} s.",
                command=command[0],
                answer_within_s=ANSWER_WITHIN_S,
            )
        ) from None
    notes = [line.removeprefix("pinch probe: ") for line in done.stderr.splitlines()]
    line = next((line for line in done.stdout.splitlines() if line.startswith("{")), "")
    try:
        return _of_answer(json.loads(line), tuple(notes))
    except (ValueError, TypeError, KeyError):
        reason = notes[-1].rstrip(".") if notes else tr("it gave no list")
        raise PinchError(tr("What this machine tells cannot be had: {reason}.", reason=reason)) from None


def lacking_lines(told: MachineSensors) -> list[str]:
    """What is lacking and why, and the ways to it, each told once, in lines of text."""
    lines, ways = list[str](), dict[str, list[str]]()
    for lack in told.lacking:
        lines.append(tr("No {what}: {place} {why}.", what=lack.what, place=lack.place, why=lack.why))
        ways |= {way.title: way_lines(way) for way in ways_to(lack.place, lack.refused)}
    return [*lines, *(line for way in ways.values() for line in ["", *way])]


def _of_answer(told: dict[str, Any], notes: tuple[str, ...]) -> MachineSensors:
    """The records of an answer.

    Raises
    ------
    KeyError, TypeError : it is none.
    """
    return MachineSensors(
        tuple(ToldChannel(**{**each, "files": tuple(each["files"])}) for each in told["channels"]),
        tuple(ToldState(**each) for each in told["states"]),
        tuple(RefusedFile(**each) for each in told["refused"]),
        tuple(LackingQuantity(**each) for each in told["lacking"]),
        notes,
    )
