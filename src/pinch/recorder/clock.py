"""One time for several sources: the clock of the device, as seen from this computer, and what happens to ours."""

import time
from collections import deque

from pinch.language import tr

REMEMBERED = 60
STEP_S = 1.0


def local_s() -> float:
    """Seconds since this computer was started, with the time that it slept."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


class SharedClock:
    """The device's clock at a moment of this computer's. A sample arrives some time after its stamp; the one that came
    with the least delay tells best how far the clocks are apart. `pace` is the device's seconds in one of ours."""

    def __init__(self, pace: float = 1.0) -> None:
        self._pace = pace
        self._apart: deque[float] = deque(maxlen=REMEMBERED)
        self.last_seen_s: float | None = None

    def saw(self, clock_s: float, now: float) -> None:
        """A sample of the device with this stamp arrived just now."""
        self._apart.append(clock_s - now * self._pace)
        self.last_seen_s = now

    def at(self, now: float) -> float | None:
        """The device's clock at a moment of ours, None before the first sample."""
        return max(self._apart) + now * self._pace if self._apart else None


class ClockWatch:
    """Notices when this computer sleeps and when its wall clock is set."""

    def __init__(self) -> None:
        self._slept, self._set = self._offsets()

    def news(self) -> list[str]:
        """What happened since the last call, in words."""
        slept, wall = self._offsets()
        words = []
        if slept - self._slept > STEP_S:
            words.append(tr("this computer slept for {slept:.0f} s", slept=slept - self._slept))
        if abs(wall - self._set) > STEP_S:
            words.append(
                tr("the wall clock was set by {wall:+.1f} s; samples keep their own clock", wall=wall - self._set)
            )
        self._slept, self._set = slept, wall
        return words

    @staticmethod
    def _offsets() -> tuple[float, float]:
        boot = local_s()
        return boot - time.monotonic(), time.time() - boot
