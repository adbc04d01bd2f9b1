"""The records of the bench, checked on the way in. Watts, seconds, °C and MHz throughout."""

import re
from collections.abc import Iterable
from datetime import UTC, date, datetime
from enum import StrEnum
from typing import Annotated, Any, Self, TypeVar

from pydantic import ConfigDict, Field, ValidationError, field_validator, model_validator

from pinch.bench.fields import (
    Celsius,
    Count,
    Day,
    Decibels,
    FramesPerSecond,
    Gigabytes,
    Kelvin,
    Kilograms,
    Megahertz,
    Millimetres,
    Millivolts,
    Minutes,
    Name,
    Nits,
    Part,
    Percent,
    Pixels,
    Seconds,
    Transfers,
    Watts,
)
from pinch.bench.parts import (
    Battery,
    Build,
    ChangeNeed,
    Claims,
    Cooling,
    Cores,
    Display,
    Exclusion,
    Graphics,
    LineProgram,
    Memory,
    Offer,
    OwnMetric,
    ReadWith,
    Sensors,
)
from pinch.bench.refused import problem_of
from pinch.bench.summaries import Origin, Summary
from pinch.core.errors import NotKeptError, PinchError
from pinch.core.extent import Extent
from pinch.language import moment, tr


class Form(StrEnum):
    """What kind of machine it is."""

    LAPTOP = "laptop"
    MINI_PC = "mini PC"
    HANDHELD = "handheld"
    OTHER = "other"


class Status(StrEnum):
    """How near to what is sold the unit is; follows every figure."""

    RETAIL = "retail"
    PRE_PRODUCTION = "pre-production"
    SAMPLE = "engineering sample"


class Came(StrEnum):
    """How the unit came to the reviewer; follows every figure."""

    UNKNOWN = "not noted"
    BOUGHT = "bought"
    LENT = "lent"
    GIVEN = "given"
    PAID = "paid for"


class WorkKind(StrEnum):
    """What a workload is."""

    ALL_CORE = "all-core"
    ONE_CORE = "one-core"
    COMBINED = "combined"
    GAME = "game scene"
    TASK = "timed task"
    IDLE = "idle"
    RUNDOWN = "rundown"
    OTHER = "other"


class Counts(StrEnum):
    """What of a run counts."""

    BY_KIND = "as is usual for its kind"
    SCENE = "all of the run"
    SOAK = "the settled window"


class LoadKind(StrEnum):
    """Which part of the built-in load a workload is."""

    CORES = "cores"
    MEMORY = "memory"
    LIGHT = "light"
    SCENE = "scene"
    IDLE = "idle"


class Runner(StrEnum):
    """What starts a workload on this computer; a simulated device runs its own."""

    HAND = "by hand"
    LOAD = "built-in load"
    COMMAND = "a command"


class ScoreFrom(StrEnum):
    """Where the score of a command comes from."""

    NONE = "no score"
    PATTERN = "a pattern in its output"
    TIME = "the time it takes"


class Repeatable(StrEnum):
    """How alike two passes are; shown with the result."""

    UNKNOWN = "not noted"
    BUILT_IN = "built-in scene"
    WALKED = "walked route"
    FREE = "free play"


class CoolRule(StrEnum):
    """When a device counts as cool again."""

    REST = "back near its idle temperature"
    FIXED = "a fixed wait"


class WindowRule(StrEnum):
    """Where sustained figures are taken from."""

    SETTLED = "the settled window, found by its own rule"
    LAST_THIRD = "the last third of the load"


class LowSchool(StrEnum):
    """What a 1 % low is."""

    PERCENTILE = "percentile"
    WORST = "mean of worst"
    TIME = "time share"


class ExitStatus(StrEnum):
    """How a run ended; a run without a stop was cut off."""

    COMPLETE = "complete"
    STOPPED = "stopped by the operator"
    FAILED = "failed"


MOST_NAME = 120


class Record(Part):
    """Common to all: immutable, unknown fields refused. `kept_id` is None until the book has kept it; in files it is
    called `id`."""

    model_config = ConfigDict(validate_by_name=True, validate_by_alias=True, serialize_by_alias=True)

    kept_id: int | None = Field(default=None, alias="id")

    @property
    def id(self) -> int:
        """The number under which the book keeps it.

        Raises
        ------
        NotKeptError : no book has kept it yet.
        """
        if self.kept_id is None:
            raise NotKeptError(type(self).__name__)
        return self.kept_id

    def as_new(self, **changes: object) -> Self:
        """A copy that no book has kept yet, with other values in some fields."""
        return self.model_copy(update={"kept_id": None, **changes})


class Listed(Record):
    """A record with a name that stands in a list of the bench; an archived one is kept, but not offered."""

    name: Name
    notes: str = ""
    archived: bool = False


class Device(Listed):
    """A unit under test. `rig` is the key of a simulated device, `local` marks this computer; `untold` lists what
    this computer could not know about itself. `reach` is a command that runs Python on another computer from its
    standard input, such as `ssh HOST python3 -`; `shown` are the channels that stand large on the Run page."""

    form: Form = Form.OTHER
    chip: str = ""
    cores: tuple[Cores, ...] = ()
    graphics: Graphics = Graphics()
    memory: Memory = Memory()
    storage: str = ""
    cooling: Cooling = Cooling()
    mass_kg: Kilograms | None = Field(default=None, title=tr("Mass"))
    width_mm: Millimetres | None = Field(default=None, title=tr("Width"))
    depth_mm: Millimetres | None = Field(default=None, title=tr("Depth"))
    height_mm: Millimetres | None = Field(default=None, title=tr("Height"))
    display: Display = Display()
    battery: Battery = Battery()
    adapter_w: Watts | None = Field(default=None, title=tr("Adapter"))
    temp_limit_c: Annotated[float, Field(gt=20, le=150, json_schema_extra={"unit": "°C"})] | None = Field(
        default=None, title=tr("Temperature limit")
    )
    claims: Claims = Claims()
    sensors: Sensors = Sensors()
    builds: tuple[Build, ...] = ()
    ports: str = ""
    serial: str = Field(default="", max_length=120, title=tr("Serial number"))
    status: Status = Status.RETAIL
    came: Came = Field(default=Came.UNKNOWN, title=tr("How it came"))
    offers: tuple[Offer, ...] = ()
    alarm_temp_c: Celsius | None = Field(default=None, title=tr("Processor above"))
    alarm_surface_c: Celsius | None = Field(default=None, title=tr("Any surface above"))
    alarm_battery_c: Celsius | None = Field(default=None, title=tr("Battery above"))
    alarm_charge: Percent | None = Field(default=None, title=tr("Charge below"))
    reach: str = Field(default="", max_length=1000, title=tr("Command that reaches its Python"))
    programs: tuple[LineProgram, ...] = Field(default=(), title=tr("Programs that print lines"))
    shown: tuple[str, ...] = ()
    change_needs: tuple[ChangeNeed, ...] = ()
    exclusions: tuple[Exclusion, ...] = ()
    rig: str | None = None
    local: bool = False
    untold: tuple[str, ...] = ()


class Setting(Listed):
    """A power state of a device, with what its label claims."""

    device_id: int
    mode: str = ""
    sustained_w: Watts | None = Field(default=None, title=tr("Sustained limit"))
    burst_w: Watts | None = Field(default=None, title=tr("Burst limit"))
    window_s: Annotated[float, Field(gt=0, le=3600, json_schema_extra={"unit": "s"})] | None = Field(
        default=None, title=tr("Burst window")
    )
    clock_ceiling_mhz: Megahertz | None = Field(default=None, title=tr("Clock lock"))
    graphics_ceiling_mhz: Megahertz | None = Field(default=None, title=tr("Graphics clock lock"))
    undervolt_mv: Millivolts | None = Field(default=None, title=tr("Voltage offset"))
    mains: bool = Field(default=True, title=tr("On mains"))
    graphics_path: str = Field(default="", title=tr("Graphics path"))
    fan: str = Field(default="", title=tr("Fan profile"))
    memory_speed_mts: Transfers | None = Field(default=None, title=tr("Memory speed"))
    graphics_memory_gb: Gigabytes | None = Field(default=None, title=tr("Graphics memory"))
    platform_profile: str = Field(default="", title=tr("Platform profile"))
    governor: str = Field(default="", title=tr("Clock governor"))

    @model_validator(mode="after")
    def _burst_not_below_sustained(self) -> "Setting":
        if self.burst_w is not None and self.sustained_w is not None and self.burst_w < self.sustained_w:
            raise ValueError(tr("the burst limit is below the sustained limit"))
        return self


class Workload(Listed):
    """What is run. `rate_channel` carries the work done each second; `length_s` is one pass; `score_is_rate`: a score
    that is typed or told is the same quantity as the rate that is logged.

    A variant of a workload (`variant_of` is that one's number, `variant` its own name) is the same work set otherwise:
    it has what is set of its own (OF_VARIANT), and all else from its workload."""

    kind: WorkKind = WorkKind.OTHER
    rate_channel: str = Field(default="score.rate", title=tr("Rate channel"))
    score_unit: str = Field(default="1/s", title=tr("Score unit"))
    higher_is_better: bool = Field(default=True, title=tr("Higher is better"))
    length_s: Seconds = Field(default=600.0, title=tr("Length of a pass"))
    passes: Count = 1
    warm_up_pass: bool = Field(default=False, title=tr("Warm-up pass first"))
    repeatable: Repeatable = Field(default=Repeatable.UNKNOWN, title=tr("How repeatable"))
    counts: Counts = Field(default=Counts.BY_KIND, title=tr("What counts"))
    score_is_rate: bool = Field(default=False, title=tr("A typed score is its logged rate"))
    metrics: tuple[OwnMetric, ...] = ()
    variant_of: int | None = None
    variant: Annotated[str, Field(max_length=120)] = Field(default="", title=tr("Variant"))
    resolution: Pixels = ""
    preset: str = ""
    upscaling: str = ""
    inner_resolution: Pixels = Field(default="", title=tr("Inner resolution"))
    frame_generation: str = Field(default="", title=tr("Frame generation"))
    frame_cap_fps: FramesPerSecond | None = Field(default=None, title=tr("Frame cap"))
    path: str = Field(default="", max_length=120, title=tr("Path, such as graphics encoder"))
    one_core: bool = False
    runner: Runner = Field(default=Runner.HAND, title=tr("Started"))
    command: str = Field(default="", max_length=4000, title=tr("Command with its arguments"))
    folder: str = Field(default="", title=tr("Working folder"))
    timeout_s: Seconds | None = Field(default=None, title=tr("Longest time of a pass"))
    pause_s: Annotated[float, Field(ge=0, le=86400, json_schema_extra={"unit": "s"})] = Field(
        default=0.0, title=tr("Wait between passes")
    )
    score_from: ScoreFrom = Field(default=ScoreFrom.NONE, title=tr("Score of a command"))
    score_pattern: str = Field(default="", max_length=1000, title=tr("Pattern with {group}", group="(?P<score>…)"))
    frame_log: str = Field(default="", max_length=1000, title=tr("Frame log to follow"))
    frame_column: str = Field(default="", max_length=120, title=tr("Its column of frame times"))
    graphics: bool = Field(default=False, title=tr("Graphics kept busy too"))
    load: LoadKind = Field(default=LoadKind.CORES, title=tr("What the built-in load does"))

    @field_validator("score_pattern")
    @classmethod
    def _names_the_score(cls, pattern: str) -> str:
        if pattern:
            try:
                named = re.compile(pattern).groupindex
            except re.error as error:
                raise ValueError(tr("the pattern cannot be read: {msg}", msg=error.msg)) from None
            if "score" not in named:
                raise ValueError("the pattern names no group (?P<score>…)")
        return pattern

    @property
    def root_id(self) -> int:
        """The number of the workload that it is a variant of, or its own."""
        return self.variant_of or self.id

    def below(self, workload: "Workload") -> "Workload":
        """This variant with everything else as its workload has it."""
        own = {name: getattr(self, name) for name in OF_VARIANT}
        name = f"{workload.name}, {self.variant}" if self.variant else self.name
        return workload.model_copy(update={**own, "name": name[:MOST_NAME], "kept_id": self.kept_id})

    @property
    def extent(self) -> Extent:
        """What of a run counts: all of what has an end of its own, as a game's scene, a timed task, or a command with a
        score; the settled window of what goes on until it is stopped."""
        if self.counts is Counts.BY_KIND:
            ends = self.kind in (WorkKind.GAME, WorkKind.TASK) or self.score_from is not ScoreFrom.NONE
            return Extent.SCENE if ends else Extent.SOAK
        return Extent.SCENE if self.counts is Counts.SCENE else Extent.SOAK

    @property
    def all_passes(self) -> int:
        """Passes of one run with the warm-up pass."""
        return self.passes + int(self.warm_up_pass)

    @property
    def run_s(self) -> float:
        """Time of one run: every pass, with the warm-up pass where there is one, and the waits between them, s."""
        return self.length_s * self.all_passes + self.pause_s * (self.all_passes - 1)


OF_VARIANT = (
    *("variant_of", "variant", "resolution", "preset", "upscaling", "inner_resolution", "frame_generation"),
    *("frame_cap_fps", "path", "length_s", "notes", "archived"),
)
"""What a variant has of its own."""


class Acceptance(Record):
    """A difference of conditions between two settings that the operator accepts, with the reason. It holds while the
    difference is the one that was accepted: `key` names its kind, `first_value` and `second_value` what it was."""

    first_setting: int
    second_setting: int
    key: Name
    first_value: str
    second_value: str
    reason: Annotated[str, Field(min_length=1, max_length=400)]
    day: Day = ""

    def accepts(self, first: int, second: int, key: str, values: tuple[str, str]) -> bool:
        """Whether it is of this difference, whichever of the two comes first."""
        own = (self.first_setting, self.second_setting, self.first_value, self.second_value)
        return key == self.key and own in ((first, second, *values), (second, first, *reversed(values)))


class Reference(Record):
    """Another book laid beside this one, to be compared with and cited by its name."""

    name: Name
    path: Annotated[str, Field(min_length=1, max_length=4000)]


class Protocol(Listed):
    """The conditions held constant over a test."""

    ambient_c: Celsius | None = Field(default=None, title=tr("Room temperature"))
    ambient_within_k: Kelvin | None = Field(default=None, title=tr("Within"))
    brightness_nits: Nits | None = Field(default=None, title=tr("Display brightness"))
    volume_percent: Percent | None = Field(default=None, title=tr("Volume"))
    room_noise_db: Decibels | None = Field(default=None, title=tr("Room noise"))
    radios: str = ""
    background: str = Field(default="", title=tr("Background work"))
    builds: tuple[Build, ...] = ()
    warm_up_min: Minutes = Field(default=0.0, title=tr("Warm-up"))
    cool_rule: CoolRule = Field(default=CoolRule.REST, title=tr("Cool again"))
    cool_within_k: Kelvin = Field(default=2.0, title=tr("Within this of idle"))
    cool_min: Minutes = Field(default=10.0, title=tr("Wait without a time constant"))
    repeats: Count = 3
    window_rule: WindowRule = Field(default=WindowRule.SETTLED, title=tr("Sustained figures from"))
    low_school: LowSchool = Field(default=LowSchool.PERCENTILE, title=tr("School of 1 % lows"))
    readings_min: Minutes = Field(default=0.0, title=tr("Readings after each run"))


class Pass(Part):
    """One pass of a run: from and to in the run's time, s; its score (`of_rate`: the mean of the logged rate of work),
    and how a command ended."""

    start_s: float
    end_s: float
    warm_up: bool = False
    score: float | None = None
    of_rate: bool = False
    exit_status: int | None = None


class WindowByHand(Part):
    """A settled window that the operator chose: from and to in the run's time, s, and why."""

    start_s: float
    end_s: float
    reason: Annotated[str, Field(min_length=1, max_length=400)]

    @model_validator(mode="after")
    def _goes_forward(self) -> "WindowByHand":
        if self.end_s - self.start_s < 5.0:
            raise ValueError(tr("a window has at least five seconds"))
        return self


class Result(Record):
    """One value of one metric at one cell that nobody's log gives: typed by the operator or told by somebody.

    `metric` is the name of one of the workload's own or the key of one that is built in; a range that was read has
    `low` and `high` instead of a `value`. `n` runs stand behind it on each of `units` machines, `spread` is their
    standard deviation: that of the units where there are several. `run_id` is the run that it belongs to; `power_w` are
    the settled package watts told with it, `builds` those it was found under, `source` the table and line it came
    from."""

    device_id: int
    setting_id: int
    workload_id: int
    run_id: int | None = None
    metric: Name
    value: float | None = None
    low: float | None = None
    high: float | None = None
    n: Count = 1
    spread: Annotated[float, Field(ge=0)] | None = None
    units: Count = 1
    origin: Origin = Origin.OWN
    told_by: Annotated[str, Field(max_length=200)] = ""
    day: Day = ""
    note: Annotated[str, Field(max_length=2000)] = ""
    power_w: Watts | None = None
    builds: tuple[Build, ...] = ()
    source: Annotated[str, Field(max_length=400)] = ""

    @model_validator(mode="after")
    def _has_a_value(self) -> "Result":
        ranged = self.low is not None and self.high is not None
        if (self.value is None) != ranged or (self.low is None) != (self.high is None):
            raise ValueError(tr("a result has either a value, or both ends of a range"))
        if ranged and self.low > self.high:  # type: ignore[operator]
            raise ValueError(tr("the range ends below where it begins"))
        return self

    @property
    def behind(self) -> int:
        """How many values the spread is of: machines where there are several, else runs."""
        return self.units if self.units > 1 else self.n

    @property
    def middle(self) -> float:
        """The value, or the middle of the range."""
        return self.value if self.value is not None else (self.low + self.high) / 2.0  # type: ignore[operator]


class Run(Record):
    """One execution. `status`, `reason` and `samples` are those of its stop, None while it runs or where it was cut;
    `before` is what was checked before it began, `in_spite_of` the warnings that it was started all the same with;
    `summary` is all there is of a run without a log; `window` a settled
    window that the operator chose; `builds` are those that the device had then, `meters` what it was read with. Of one
    that is `undated` nobody knows the day: its log has no clock, and `started` is when it was added."""

    device_id: int
    setting_id: int
    workload_id: int
    repeat: Annotated[int, Field(ge=1)] = 1
    started: datetime
    undated: bool = False
    ambient_c: Annotated[float, Field(ge=-40, le=80)] | None = None
    source: str = ""
    notes: str = ""
    before: tuple[str, ...] = ()
    in_spite_of: tuple[str, ...] = ()
    status: ExitStatus | None = None
    reason: str = ""
    samples: int | None = None
    passes: tuple[Pass, ...] = ()
    summary: Summary | None = None
    window: WindowByHand | None = None
    builds: tuple[Build, ...] = ()
    meters: tuple[ReadWith, ...] = ()
    protocol_id: int | None = None
    void: str = ""
    removed: bool = False

    @property
    def day(self) -> date | None:
        """The day that it was made on; None where nobody knows."""
        return None if self.undated else self.started.date()

    @property
    def cut_off(self) -> bool:
        """Whether the run has no stop: it is still growing, or its recorder died."""
        return self.status is None


def when_words(run: Run) -> str:
    """When a run began, as it stands beside others."""
    return tr("no day") if run.undated else moment(run.started, "%-d %b %H:%M")


L = TypeVar("L", bound=Listed)


def live(records: Iterable[L]) -> list[L]:
    """Those that are not archived."""
    return [r for r in records if not r.archived]


def free_name(name: str, taken: Iterable[str]) -> str:
    """The name, with a number where it is taken."""
    used, number, free = set(taken), 1, name
    while free in used:
        number += 1
        free = f"{name} ({number})"
    return free


def standing(device: Device) -> str:
    """Status of the unit and how it came, as they follow a figure into charts and reports; empty where it is a retail
    unit of which nothing is noted."""
    words = [] if device.status is Status.RETAIL else [tr("{status} unit", status=device.status)]
    if device.came is not Came.UNKNOWN:
        words.append(
            {Came.GIVEN: tr("given by the maker"), Came.PAID: tr("review paid for")}.get(device.came, tr(device.came))
        )
    return ", ".join(words)


def scores_of(run: Run) -> list[float]:
    """The scores of the passes that count; of a run without a log the one that is told."""
    if run.summary is not None:
        return [run.summary.score]
    return [p.score for p in run.passes if p.score is not None and not p.warm_up]


def workload_words(workload: Workload) -> str:
    """A workload with how alike its passes are, as it stands beside a result."""
    known = workload.repeatable is not Repeatable.UNKNOWN
    return f"{workload.name} ({tr(workload.repeatable)})" if known else workload.name


def now() -> datetime:
    """The present, in UTC, to the second."""
    return datetime.now(UTC).replace(microsecond=0)


MOST_TOLD = 200
"""Signs of a wrong value in the sentence that names it."""


def checked(record: type[Any], what: str, /, **fields: Any) -> Any:
    """Build a record from what a person typed.

    Raises
    ------
    PinchError : one sentence naming the field and what is wrong with it.
    """
    try:
        return record(**fields)
    except ValidationError as error:
        field, reason = problem_of(error)
        told = repr(error.errors()[0]["input"])
        given = (
            "" if not field else tr(" (it is {what})", what=told if len(told) <= MOST_TOLD else told[:MOST_TOLD] + " …")
        )
        raise PinchError(f"{what}: {field.replace('_', ' ') + ': ' if field else ''}{reason}{given}.") from None
