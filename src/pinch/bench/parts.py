"""What a device is made of and what its maker claims. Every field may stay empty: not known is not zero."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from pinch.bench.fields import (
    Count,
    Day,
    Gigabytes,
    Hertz,
    Inches,
    Kelvin,
    Megahertz,
    Name,
    Part,
    Percent,
    Pixels,
    Seconds,
    Transfers,
    WattHours,
    Watts,
)
from pinch.core.accuracy import Accuracy
from pinch.core.metrics import Better
from pinch.language import tr


class CoreKind(StrEnum):
    """What a group of cores is made for."""

    PERFORMANCE = "performance"
    EFFICIENCY = "efficiency"
    LOW_POWER = "low-power"


class OwnMetric(Part):
    """A metric of the operator's own below a workload."""

    name: Name
    unit: str = Field(default="", max_length=20)
    better: Better = Better.MORE


class Need(StrEnum):
    """What it takes to change something on a device."""

    SWITCH = "switch"
    RESTART = "restart"
    FIRMWARE = "firmware visit"
    HANDS = "work by hand, the case open"


class Aspect(StrEnum):
    """What settings of a device can differ in."""

    MODE = "mode"
    LIMITS = "limits"
    SUPPLY = "supply"
    GRAPHICS_PATH = "graphics path"
    FAN = "fan profile"
    CLOCK_LOCK = "clock lock"
    GRAPHICS_LOCK = "graphics clock lock"
    UNDERVOLT = "undervolt"
    MEMORY_SPEED = "memory speed"
    GRAPHICS_MEMORY = "graphics memory"
    PROFILE = "platform profile"


class Cores(Part):
    """A group of equal cores."""

    kind: CoreKind = CoreKind.PERFORMANCE
    count: Count = 1
    threads: Count | None = Field(default=None, title=tr("Threads in all"))
    ceiling_mhz: Megahertz | None = Field(default=None, title=tr("Highest clock"))


class Graphics(Part):
    """Where frames are made."""

    name: str = ""
    shared: bool | None = Field(default=None, title=tr("Shares the chip's power"))
    compute_units: Count | None = Field(default=None, title=tr("Compute units"))


class Memory(Part):
    """Main memory."""

    kind: str = ""
    size_gb: Gigabytes | None = Field(default=None, title=tr("Size"))
    speed_mts: Transfers | None = Field(default=None, title=tr("Speed"))
    timings: str = ""
    modules: Count | None = None
    dual_channel: bool | None = Field(default=None, title=tr("Dual channel"))
    graphics_share_gb: Gigabytes | None = Field(default=None, title=tr("Share for graphics"))


class Cooling(Part):
    """What carries the heat away."""

    fans: Annotated[int, Field(ge=0, le=20)] | None = Field(default=None, title=tr("Fans (0: passive)"))
    heat_pipes: Annotated[int, Field(ge=0, le=40)] | None = Field(default=None, title=tr("Heat pipes"))


class Display(Part):
    """The built-in display."""

    size_in: Inches | None = Field(default=None, title=tr("Diagonal"))
    pixels: Pixels = ""
    shape: str = ""
    refresh_hz: Hertz | None = Field(default=None, title=tr("Refresh"))
    variable_refresh: bool | None = Field(default=None, title=tr("Variable refresh"))


class Battery(Part):
    """The battery as designed, and as it is now."""

    design_wh: WattHours | None = Field(default=None, title=tr("By design"))
    full_wh: WattHours | None = Field(default=None, title=tr("When full now"))
    charge_min: Annotated[float, Field(gt=0, le=1440, json_schema_extra={"unit": "min"})] | None = Field(
        default=None, title=tr("Empty to full")
    )

    @property
    def usable_wh(self) -> float | None:
        """What it holds now, else what it was designed for, Wh."""
        return self.full_wh or self.design_wh


class Sensors(Part):
    """How far the sensors of a device may be off, as standard uncertainties, where somebody knows better than usual."""

    power_percent: Annotated[float, Field(gt=0, le=50, json_schema_extra={"unit": "%"})] | None = Field(
        default=None, title=tr("Power it tells, ±")
    )
    temp_k: Kelvin | None = Field(default=None, title=tr("Temperature it tells, ±"))


class Claims(Part):
    """Power limits as the maker gives them, and the range that the device lets the operator set."""

    sustained_w: Watts | None = Field(default=None, title=tr("Sustained"))
    burst_w: Watts | None = Field(default=None, title=tr("Burst"))
    window_s: Seconds | None = Field(default=None, title=tr("Burst window"))
    lowest_w: Watts | None = Field(default=None, title=tr("Lowest to set"))
    highest_w: Watts | None = Field(default=None, title=tr("Highest to set"))
    step_w: Watts | None = Field(default=None, title=tr("In steps of"))

    @model_validator(mode="after")
    def _in_order(self) -> "Claims":
        if self.burst_w is not None and self.sustained_w is not None and self.burst_w < self.sustained_w:
            raise ValueError(tr("the burst limit is below the sustained limit"))
        if self.lowest_w is not None and self.highest_w is not None and self.highest_w < self.lowest_w:
            raise ValueError(tr("the highest limit to set is below the lowest"))
        return self


class ReadWith(Part):
    """An instrument that a run was read with: the channel that it told, and its accuracy as it was stated then."""

    name: Name
    channel: Annotated[str, Field(pattern=r"^[a-z0-9_.]{1,80}$")]
    of_reading: Percent = 0.0
    of_range: Percent = 0.0
    range: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    resolution: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    fixed: Annotated[float, Field(ge=0, le=1e6)] = 0.0

    @property
    def accuracy(self) -> Accuracy:
        """Its accuracy."""
        return Accuracy(self.of_reading, self.of_range, self.range, self.resolution, self.fixed)


class Build(Part):
    """A version of firmware, operating system or driver."""

    what: Name = "OS"
    version: str = ""
    date: Day = ""


class Offer(Part):
    """What it cost where, so that a price can be quoted with its date."""

    price: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    currency: Annotated[str, Field(pattern=r"^([A-Za-z]{3})?$")] = ""
    date: Day = ""
    region: str = ""
    seller: str = Field(default="", title=tr("Kind of seller"))
    tax_in: bool | None = Field(default=None, title=tr("Tax in the price"))
    members: bool = Field(default=False, title=tr("For members only"))
    configuration: str = ""
    allowance: Annotated[float, Field(ge=-100_000, le=100_000)] = Field(default=0.0, title=tr("To equal configuration"))
    tested: bool = Field(default=False, title=tr("The one tested"))


class PriceOf(StrEnum):
    """Which of the prices of a device stands for it."""

    TESTED = "as tested"
    CHEAPEST = "the cheapest"
    MEDIAN = "the median"


class Rate(Part):
    """What one of a currency is worth in another, as somebody typed it, of a day where it is noted."""

    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")]
    worth: Annotated[float, Field(gt=0, le=1_000_000)]
    into: Annotated[str, Field(pattern=r"^[A-Z]{3}$")]
    day: Day = ""


class LineProgram(Part):
    """A program of this computer that prints lines of numbers while a run is recorded: CSV with a header, name=value,
    or a JSON object a line. `meant` says what its names are, such as `pwr = gpu.power*0.001; t = gpu.temp`."""

    name: Name = tr("Program")
    command: str = Field(default="", max_length=1000)
    meant: str = Field(default="", max_length=2000, title=tr("What its names are"))


class ChangeNeed(Part):
    """What changing one aspect takes on this device, where it is not the usual."""

    aspect: Aspect = Aspect.LIMITS
    need: Need = Need.FIRMWARE


class Exclusion(Part):
    """Two things that cannot be had together. A `limits` value such as `> 25` means a sustained limit above 25 W."""

    aspect: Aspect = Aspect.MODE
    value: Name = "…"
    never_with: Aspect = Field(default=Aspect.SUPPLY, title=tr("Never with"))
    other: Name = Field(default="battery", title=tr("Value"))
