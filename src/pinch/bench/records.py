"""The records of the bench, checked on the way in. Watts, seconds, °C and MHz throughout."""

from datetime import UTC, datetime
from enum import StrEnum
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from pinch.core.errors import PinchError

Watts = Annotated[float, Field(gt=0, le=2000)]
Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]


class Form(StrEnum):
    """What kind of machine it is."""

    LAPTOP = "laptop"
    MINI_PC = "mini PC"
    HANDHELD = "handheld"
    OTHER = "other"


class ExitStatus(StrEnum):
    """How a run ended; a run without a stop was cut off."""

    COMPLETE = "complete"
    STOPPED = "stopped by the operator"
    FAILED = "failed"


class Record(BaseModel):
    """Common to all: immutable, unknown fields refused, `id` None until the book has kept it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, str_strip_whitespace=True)

    id: int | None = None


class Device(Record):
    """A unit under test. `rig` is the key of a simulated device, `local` marks this computer."""

    name: Name
    form: Form = Form.OTHER
    chip: str = ""
    status: str = "retail"
    temp_limit_c: Annotated[float, Field(gt=20, le=150)] | None = None
    rig: str | None = None
    local: bool = False
    notes: str = ""


class Setting(Record):
    """A power state of a device, with what its label claims."""

    device_id: int
    name: Name
    sustained_w: Watts | None = None
    burst_w: Watts | None = None
    window_s: Annotated[float, Field(gt=0, le=3600)] | None = None
    clock_ceiling_mhz: Annotated[float, Field(gt=0, le=20000)] | None = None
    mains: bool = True
    notes: str = ""

    @model_validator(mode="after")
    def _burst_not_below_sustained(self) -> "Setting":
        if self.burst_w is not None and self.sustained_w is not None and self.burst_w < self.sustained_w:
            raise ValueError("the burst limit is below the sustained limit")
        return self


class Workload(Record):
    """What is run. `rate_channel` carries the work done each second."""

    name: Name
    rate_channel: str = "score.rate"
    score_unit: str = "1/s"
    frame_cap_fps: Annotated[float, Field(gt=0, le=2000)] | None = None
    one_core: bool = False


class Run(Record):
    """One execution. `status`, `reason` and `samples` are those of its stop, None while it runs or where it was cut."""

    device_id: int
    setting_id: int
    workload_id: int
    repeat: Annotated[int, Field(ge=1)] = 1
    started: datetime
    ambient_c: Annotated[float, Field(ge=-40, le=80)] | None = None
    source: str = ""
    notes: str = ""
    status: ExitStatus | None = None
    reason: str = ""
    samples: int | None = None
    void: str = ""
    removed: bool = False

    @property
    def cut_off(self) -> bool:
        """Whether the run has no stop: it is still growing, or its recorder died."""
        return self.status is None


def now() -> datetime:
    """The present, in UTC, to the second."""
    return datetime.now(UTC).replace(microsecond=0)


def checked(record: type[Any], what: str, **fields: Any) -> Any:
    """Build a record from what a person typed.

    Raises
    ------
    PinchError : one sentence naming the field and what is wrong with it.
    """
    try:
        return record(**fields)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]).replace("_", " ")
        reason = first["msg"].removeprefix("Value error, ")
        given = "" if not field else f" (it is {first['input']!r})"
        raise PinchError(f"{what}: {field + ': ' if field else ''}{reason}{given}.") from None
