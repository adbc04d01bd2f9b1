"""The record of a question: what a reviewer wants to know, how sure, and of which devices, settings and work."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from pinch.bench.fields import Celsius, Watts
from pinch.bench.records import Listed, now
from pinch.core.sweetspots import NEARLY_ALL, RULES
from pinch.language import tr

MOST_LOCKS = 12


class Asks(StrEnum):
    """What can be asked. `cells` are the settings that it needs, (least, most)."""

    cells: tuple[int, int]

    FASTER = "which is faster", (2, 2)
    HOLDS = "does it hold its watts in a room", (1, 1)
    LEAST_WATTS = "least watts for a rate", (0, 0)
    SWEET_SPOT = "sweet spot", (0, 0)
    CROSSES = "where do two trade places", (0, 0)
    BATTERY = "how long on battery", (1, 1)
    BUILD = "what does the new build change", (1, 1)
    LOCK = "which setting is best", (2, MOST_LOCKS)

    def __new__(cls, value: str, cells: tuple[int, int]) -> "Asks":
        member = str.__new__(cls, value)
        member._value_, member.cells = value, cells
        return member


OF_CURVES = {Asks.LEAST_WATTS: 1, Asks.SWEET_SPOT: 1, Asks.CROSSES: 2}
"""What is read off curves, with the number of devices."""


class ReviewQuestion(Listed):
    """A question. `delta` is the smallest difference that matters, a share; `within` how exact an answer has to be: W
    of a curve, min of a battery; `fps` is the wanted rate, of which its low has to reach `low_share`; `watts` are to be
    held in a room of `room_c`; `certainty` is that of an answer in spite of looking after every run."""

    asks: Asks
    workload_id: int
    setting_ids: tuple[int, ...] = ()
    device_ids: tuple[int, ...] = ()
    delta: Annotated[float, Field(gt=0, le=0.5)] = 0.03
    within: Annotated[float, Field(gt=0, le=1000)] = 2.0
    fps: Annotated[float, Field(gt=0, le=100_000)] | None = None
    low_share: Annotated[float, Field(ge=0, le=1)] = 0.0
    rule: str = NEARLY_ALL
    watts: Watts | None = None
    room_c: Celsius | None = None
    certainty: Annotated[float, Field(ge=0.5, le=0.999)] = 0.95
    asked: datetime = Field(default_factory=now)

    @model_validator(mode="after")
    def _is_whole(self) -> "ReviewQuestion":
        least, most = self.asks.cells
        if not least <= len(self.setting_ids) <= most or len(set(self.setting_ids)) != len(self.setting_ids):
            raise ValueError(
                tr("“{asks}” needs {least} to {most} different settings", asks=self.asks, least=least, most=most)
            )
        devices = OF_CURVES.get(self.asks, 0)
        if len(set(self.device_ids)) != devices:
            raise ValueError(tr("“{asks}” needs {devices} different devices", asks=self.asks, devices=devices))
        if self.asks is Asks.LEAST_WATTS and self.fps is None:
            raise ValueError(tr("“{asks}” needs the rate that is wanted", asks=self.asks))
        if self.rule not in RULES:
            raise ValueError(tr("there is no rule of that name"))
        return self
