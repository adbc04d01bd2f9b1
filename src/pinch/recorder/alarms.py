"""Bounds of a device that end the load."""

import fnmatch
from collections.abc import Sequence

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.language import tr

ALARM_SAMPLES = 3
"""A bound must be passed by so many samples of a channel in a row: one odd reading ends nothing."""


class AlarmError(PinchError):
    """A bound was passed."""


class Alarm(Struct, frozen=True):
    """A bound on a channel, or on all that a pattern such as `skin.*` matches, that ends the load: `above` or below a
    limit, in the channel's unit."""

    channel: str
    limit: float
    above: bool = True

    def rings(self, value: float) -> bool:
        """Whether a value is beyond the bound; one that is not known never is."""
        return value > self.limit if self.above else value < self.limit

    def matches(self, channel: str) -> bool:
        """Whether it watches a channel."""
        return fnmatch.fnmatchcase(channel, self.channel)

    def words(self, channel: str, value: float) -> str:
        """What it says when it rings."""
        return tr(
            "alarm: {channel} is {value:.1f}, {what} {limit:g}",
            channel=channel,
            value=value,
            what=tr("above") if self.above else tr("below"),
            limit=self.limit,
        )


class AlarmWatch:
    """Watches values come; answers what rang, in words, empty while nothing does."""

    def __init__(self, alarms: Sequence[Alarm]) -> None:
        self._alarms = tuple(alarms)
        self._passed: dict[tuple[Alarm, str], int] = {}

    def see(self, values: dict[str, float]) -> str:
        """Samples by channel."""
        for alarm in self._alarms:
            for channel in filter(alarm.matches, values):
                key = (alarm, channel)
                self._passed[key] = self._passed.get(key, 0) + 1 if alarm.rings(values[channel]) else 0
                if self._passed[key] >= ALARM_SAMPLES:
                    return alarm.words(channel, values[channel])
        return ""

    def heed(self, channel: str, value: float) -> str:
        """A value that was read by hand counts at once."""
        rings = (a for a in self._alarms if a.matches(channel) and a.rings(value))
        return next((a.words(channel, value) for a in rings), "")
