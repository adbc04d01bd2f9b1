"""Result objects: a number with its unit, its uncertainty, and where it came from. Every field is always there."""

import math
from collections.abc import Mapping
from enum import StrEnum

from msgspec import Struct, field

from pinch.core.causes import Cause
from pinch.language import tr


class Note(Struct, frozen=True):
    """Something the reader of a result must know. `code` is stable, `text` is for people."""

    code: str
    text: str


class Estimate(Struct, frozen=True):
    """A value with its standard uncertainty (NaN where none can be had)."""

    value: float
    u: float
    unit: str

    @property
    def known(self) -> bool:
        """Whether there is a value at all."""
        return math.isfinite(self.value)


class Contribution(Struct, frozen=True):
    """A part of an uncertainty: its source, its own part in the unit of the figure, and its share of the variance."""

    name: str
    u: float
    share: float


def unknown(unit: str) -> Estimate:
    """An estimate that could not be had."""
    return Estimate(math.nan, math.nan, unit)


def finite(value: float) -> float | None:
    """The value, or None where it is not a number that can be had."""
    return value if math.isfinite(value) else None


class ChannelFigures(Struct, frozen=True):
    """What one channel did in a run.

    `sustained` is the time-weighted mean over the active seconds of the settled window; `median`, `p05`
    and `p95` are of its 1 s means; `n` of them were used and are worth `n_effective` independent ones.
    `burst` is the mean of the burst plateau, or of the first 10 s of load where there is none.
    `hold` = sustained / burst, NaN for temperatures, whose zero is arbitrary. `parts` are what the uncertainty of
    `sustained` is made of; `sampling_u` is the part of this record alone.
    """

    channel: str
    unit: str
    sustained: Estimate
    median: float
    p05: float
    p95: float
    burst: float
    hold: float
    n: int
    n_effective: float
    sampling_u: float
    parts: tuple[Contribution, ...] = ()


class SettledState(StrEnum):
    """Whether a run settled, where it had to; `phrase` says so of its window, `ending` ends a finding ('' where nothing
    speaks against it)."""

    phrase: str
    ending: str

    SETTLED = "settled", "settled", ""
    DRIFTING = "drifting", "not settled: drifting", "It had not settled."
    SCENE = "scene", "a scene: all of it counts", ""
    TOO_SHORT = "too-short", "too short to settle", "The run is too short to settle."

    def __new__(cls, value: str, phrase: str, ending: str) -> "SettledState":
        member = str.__new__(cls, value)
        member._value_ = value
        member.phrase, member.ending = tr(phrase), tr(ending)
        return member


ARGUABLE = 0.6
"""A second whose likeliest cause has less is arguable between its two likeliest."""
UNSETTLED = (SettledState.DRIFTING, SettledState.TOO_SHORT)
"""States of which a longer run may give less."""
WHOLE_OFF = 0.02
"""A figure over all of the load stands beside the settled one where it differs by that. Common practice, no source."""
ALL_OF_IT = tr("all of it")


class Settled(Struct, frozen=True):
    """The settled window [start_s, end_s] of a run.

    `slopes` gives per channel the drift over the whole
    window as a share of the mean (temperature: in K); `decided_by` is the channel that settled last;
    `active_share` is the part of the window spent under load.
    """

    state: SettledState
    start_s: float
    end_s: float
    decided_by: str
    slopes: Mapping[str, float] = field(default_factory=dict)
    drifting: tuple[str, ...] = ()
    active_share: float = 1.0

    @property
    def is_whole(self) -> bool:
        """Whether it is all of the load, so that nothing of it is called held."""
        return self.decided_by == ALL_OF_IT

    @property
    def length_s(self) -> float:
        """Length of the window, s."""
        return self.end_s - self.start_s


class PowerLimits(Struct, frozen=True):
    """The limits that were really in force. `bounded`: heat ended the burst, so `burst_s` and `window_s` are
    lower bounds. NaN inside an estimate where a limit did not show."""

    idle_w: float
    burst: Estimate
    sustained: Estimate
    burst_s: Estimate
    window_s: Estimate
    bounded: bool


class Segment(Struct, frozen=True):
    """A stretch of the load held back by one cause, with the evidence in words and its probability; `part` is what was
    held, and `second` the cause that is next to it in likelihood."""

    start_s: float
    end_s: float
    cause: Cause
    evidence: str
    p: float = 1.0
    part: str = "cpu"
    second: Cause = Cause.UNKNOWN
    second_p: float = 0.0

    @property
    def length_s(self) -> float:
        """Length, s."""
        return self.end_s - self.start_s

    @property
    def is_arguable(self) -> bool:
        """Whether another cause is so near that a careful reader may name it."""
        return self.p < ARGUABLE


class Plateau(Struct, frozen=True):
    """A level that power was held at: from and to, s, the power, W, and by what."""

    start_s: float
    end_s: float
    power_w: float
    kind: Cause = Cause.SUSTAINED_POWER


class Span(Struct, frozen=True):
    """A stretch of time, s."""

    start_s: float
    end_s: float


class Throttle(Struct, frozen=True):
    """Heat limiting as events: seconds of load before the first one (NaN: none), and how many."""

    first_heat_s: float
    events: int
