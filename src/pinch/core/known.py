"""What the operator knows about a run that its log does not tell."""

from msgspec import Struct, field

from pinch.core.extent import Extent
from pinch.core.sensor_classes import SensorClasses


class Known(Struct, frozen=True):
    """What the operator knows about the run; None where nobody said. `first_pass`: this work has not run before on this
    device; `window_s` is a settled window that the operator chose, from and to in s of the log. `extent` is what of the
    run counts, `passes_s` are the passes that do, and `waits` says that the work pauses between its passes.
    `shares_budget`: whether processor and graphics share one budget of power; `sensors` how far they may be off."""

    temp_limit_c: float | None = None
    clock_ceiling_mhz: float | None = None
    ambient_c: float | None = None
    frame_cap_fps: float | None = None
    first_pass: bool = False
    window_s: tuple[float, float] | None = None
    extent: Extent = Extent.SOAK
    passes_s: tuple[tuple[float, float], ...] = ()
    waits: bool = False
    shares_budget: bool | None = None
    graphics_ceiling_mhz: float | None = None
    sensors: SensorClasses = field(default_factory=SensorClasses)

    @property
    def is_scene(self) -> bool:
        """Whether all of the run counts; a window that the operator chose counts before that."""
        return self.extent is Extent.SCENE and self.window_s is None

    @property
    def has_pauses(self) -> bool:
        """Whether seconds without work are pauses between passes; else it stood still in them."""
        return self.is_scene or self.waits
