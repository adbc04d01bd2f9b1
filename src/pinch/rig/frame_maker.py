"""The rig's frames: how long each one took, for a rate that the simulated device reaches. Invented."""

import numpy as np

STUTTER_EVERY_S, STUTTER = 23.0, 3.2


class FrameMaker:
    """Makes frames as simulated time goes on: a slow wobble, a little noise, and now and then a long one."""

    def __init__(self, seed: int) -> None:
        self._rng = np.random.default_rng(seed)
        self._wobble = self._left_s = self.t_s = 0.0
        self._under_way: float | None = None

    def advance(self, rate: float, seconds: float) -> list[tuple[float, float]]:
        """End in s and time in ms of each frame that is over within the next `seconds`, at a mean `rate`."""
        made = []
        self._left_s += seconds
        while rate > 0.0:
            ms = self._under_way if self._under_way is not None else self._begin(rate)
            self._under_way = ms
            if ms / 1000.0 > self._left_s:
                break
            self._under_way = None
            self._left_s -= ms / 1000.0
            self.t_s += ms / 1000.0
            made.append((self.t_s, ms))
        return made

    def go_to(self, t_s: float) -> None:
        """Work goes on at this moment; after a pause the frame that was under way is forgotten."""
        if t_s - self.t_s - self._left_s > 0.5:
            self.t_s, self._left_s, self._under_way = t_s, 0.0, None

    def _begin(self, rate: float) -> float:
        """How long the next frame takes, ms."""
        self._wobble += -0.05 * self._wobble + 0.01 * self._rng.standard_normal()
        ms = 1000.0 / rate * (1.0 + self._wobble + 0.03 * self._rng.standard_normal())
        return ms * STUTTER if self._rng.random() < 1.0 / (rate * STUTTER_EVERY_S) else ms
