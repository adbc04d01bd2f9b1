"""Instruments and what is read from them: by hand, or over a line by the recorder."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from pinch.bench.fields import Millimetres, Percent, Seconds
from pinch.bench.records import Listed, Record
from pinch.core.accuracy import Accuracy
from pinch.language import marked, numeral, tr


class Quantity(StrEnum):
    """What is read."""

    WALL = "wall power"
    NOISE = "noise level"
    SURFACE = "surface temperature"
    ROOM = "room temperature"
    CHARGE = "battery charge"


ROOM_PLACE = "room"
"""A noise reading of this place is of the room alone."""
PLACES = (
    *(marked("palm rest"), marked("keys"), marked("back"), marked("grip left"), marked("grip right")),
    *(marked("screen edge"), marked("exhaust"), marked("adapter"), marked("room")),
)
"""Usual places in words; a record has `_` for the spaces, and may have others."""


def place_words(place: str) -> str:
    """A place as it is shown."""
    return tr(place.replace("_", " "))


def place_of(words: str) -> str:
    """The place that was typed, by its usual name or another."""
    typed = words.strip().casefold()
    usual = next((place for place in PLACES if tr(place).casefold() == typed), typed)
    return usual.replace(" ", "_")


class ReadAt(StrEnum):
    """When in a run something was read; untold counts as under load."""

    UNTOLD = ""
    IDLE = "idle"
    LOAD = "load"
    END = "end"


UNITS = {Quantity.WALL: "W", Quantity.NOISE: "dB(A)", Quantity.SURFACE: "°C", Quantity.ROOM: "°C", Quantity.CHARGE: "%"}
_CHANNELS = {
    Quantity.WALL: "wall.power",
    Quantity.NOISE: "noise.level",
    Quantity.ROOM: "ambient.temp",
    Quantity.CHARGE: "battery.charge",
}
Positive = Annotated[float, Field(ge=0, le=1e6)]
Place = Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")]


class Instrument(Listed):
    """A meter, with what its maker says of its accuracy: ± (% of reading + % of range + a fixed part), and the steps
    that it shows. One without a profile is read by hand; `place` is where a surface is touched."""

    measures: Quantity = Quantity.WALL
    place: Place = Field(default="", title=tr("Place of the surface, one word"))
    profile: str = Field(default="", title=tr("Spoken to by profile"))
    address: str = Field(default="", max_length=300, title=tr("Address"))
    serial: str = Field(default="", max_length=120, title=tr("Serial number"))
    every_s: Annotated[Seconds, Field(ge=0.1)] = Field(default=1.0, title=tr("Read every"))
    of_reading: Percent | None = Field(default=None, title=tr("± of the reading"))
    of_range: Percent | None = Field(default=None, title=tr("± of the range"))
    range: Positive | None = Field(default=None, title=tr("Range, in its own unit"))
    resolution: Positive | None = Field(default=None, title=tr("Steps shown, in its own unit"))
    fixed: Positive | None = Field(default=None, title=tr("± fixed, in its own unit"))

    @model_validator(mode="after")
    def _a_range_for_its_share(self) -> "Instrument":
        if self.of_range and not self.range:
            raise ValueError(tr("a share of the range needs the range"))
        return self

    @property
    def channel(self) -> str:
        """The channel that it is kept under."""
        return _CHANNELS.get(self.measures) or f"skin.{self.place or 'case'}.temp"

    @property
    def unit(self) -> str:
        """Unit of what it measures."""
        return UNITS[self.measures]

    @property
    def accuracy(self) -> Accuracy:
        """Its accuracy."""
        stated = (self.of_reading, self.of_range, self.range, self.resolution, self.fixed)
        return Accuracy(*(part or 0.0 for part in stated))


class Reading(Record):
    """A value taken by hand during a run: at `t_s` of the run, with the lowest and highest seen where they were noted.
    `u` is the standard uncertainty by the instrument's accuracy, None where nothing is known of it."""

    run_id: int
    taken: datetime
    t_s: Annotated[float, Field(ge=0)]
    quantity: Quantity
    value: Annotated[float, Field(ge=-1e6, le=1e6)]
    low: float | None = None
    high: float | None = None
    place: Place = ""
    phase: ReadAt = ReadAt.UNTOLD
    distance_mm: Millimetres | None = None
    instrument: str = ""
    u: Annotated[float, Field(ge=0)] | None = None
    note: str = ""

    @model_validator(mode="after")
    def _within_what_was_seen(self) -> "Reading":
        if self.low is not None and self.low > self.value:
            raise ValueError(tr("the lowest seen is above the value"))
        if self.high is not None and self.high < self.value:
            raise ValueError(tr("the highest seen is below the value"))
        return self

    @property
    def channel(self) -> str:
        """The channel that it belongs to."""
        return _CHANNELS.get(self.quantity) or f"skin.{self.place or 'case'}.temp"

    @property
    def at_rest(self) -> bool:
        """Whether it was read before the load."""
        return self.phase is ReadAt.IDLE

    @property
    def value_words(self) -> str:
        """The value with its unit, and the range that was seen where one was."""
        low, high = self.low, self.high
        seen = f" ({'…' if low is None else numeral(low, 'g')}–{'…' if high is None else numeral(high, 'g')})"
        return f"{numeral(self.value, 'g')} {UNITS[self.quantity]}" + (
            seen if low is not None or high is not None else ""
        )
