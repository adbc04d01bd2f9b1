"""Levels of sound: energetic sums and means, what the room adds, and what fan speed does.

Background correction K = −10 lg(1 − 10^(−ΔL/10)), by grade: survey (ISO 3746) and engineering (ISO 3744), clauses from
memory. A-weighted levels go in and come out; nothing is weighted here.
"""

import math
from collections.abc import Sequence
from enum import StrEnum

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.line import StraightLine, fit_line
from pinch.core.runlog import FloatArray
from pinch.language import tr


class Grade(StrEnum):
    """How carefully the room is taken off."""

    SURVEY = "survey grade, ISO 3746"
    ENGINEERING = "engineering grade, ISO 3744"


_RULES = {Grade.SURVEY: (10.0, 3.0, 3.0), Grade.ENGINEERING: (15.0, 6.0, 1.3)}
"""Above so many dB none is taken off; below so many it is an upper bound; and at most so much is taken off then."""


class Corrected(Struct, frozen=True):
    """A level with the room taken off, dB, what was taken off, and whether it is an upper bound."""

    level: float
    correction: float
    upper_bound: bool
    words: str


def level_sum(levels: Sequence[float] | FloatArray) -> float:
    """Levels together, dB."""
    return float(10.0 * np.log10(np.sum(10.0 ** (np.asarray(levels, dtype=float) / 10.0))))


def level_mean(levels: Sequence[float] | FloatArray) -> float:
    """Energetic mean, dB.

    Raises
    ------
    DataError : there are none.
    """
    if len(levels) == 0:
        raise DataError("levels", tr("there are none"))
    return level_sum(levels) - 10.0 * math.log10(len(levels))


def without_room(level: float, room: float, grade: Grade = Grade.SURVEY) -> Corrected:
    """The level of the machine alone, of one that was read with the room's in it."""
    none_above, bound_below, most = _RULES[grade]
    above = level - room
    if above > none_above:
        return Corrected(
            level,
            0.0,
            False,
            tr("{above:.1f} dB above the room: nothing is taken off ({grade})", above=above, grade=grade),
        )
    if above < bound_below:
        words = tr("only {above:.1f} dB above the room", above=above) if above > 0 else tr("not above the room")
        return Corrected(
            level - most,
            most,
            True,
            tr("{words}: at most this, at or near the room ({grade})", words=words, grade=grade),
        )
    k = -10.0 * math.log10(1.0 - 10.0 ** (-above / 10.0))
    return Corrected(
        level - k,
        k,
        False,
        tr("{above:.1f} dB above the room: {k:.1f} dB taken off ({grade})", above=above, k=k, grade=grade),
    )


def fan_line(speed: FloatArray, level: FloatArray) -> StraightLine:
    """Level over lg of the fan's speed: handbooks give 50 to 60 dB for ten times the speed.

    Raises
    ------
    DataError : fewer than three speeds.
    """
    return fit_line(np.log10(speed), level)
