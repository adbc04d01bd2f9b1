"""The simulated devices of the rig, their settings and their work. All data are invented."""

from collections.abc import Mapping
from enum import Enum
from typing import TypeVar

from msgspec import Struct, field

from pinch.core.errors import PinchError
from pinch.rig.hardware import Chip, Cooler, HeatControl
from pinch.rig.rig_graphics import RigGraphics

Named = TypeVar("Named")
SCENE_S = 15.0
"""How long a scene of a game lasts before the next."""

TARN_T8 = Chip("Tarn T8", 8, 0.6, 4.7, 5.0, switching=9.2)
TARN_T6 = Chip("Tarn T6", 6, 0.6, 4.3, 4.7, switching=8.4, temp_limit_c=97.0)
FELL_F12 = Chip("Fell F12", 6, 0.6, 4.0, 4.4, switching=6.6, idle_w=1.9, leak_w=0.8, temp_limit_c=92.0)
T8_GRAPHICS = RigGraphics(Chip("Tarn T8 graphics", 1, 0.3, 2.4, 2.4, switching=20.0, idle_w=0.4, leak_w=0.5), 7.5, 2.9)
F12_GRAPHICS = RigGraphics(
    Chip("Fell F12 graphics", 1, 0.3, 2.2, 2.2, switching=16.0, idle_w=0.3, leak_w=0.4), 4.6, 2.2, temp_limit_c=85.0
)


class RigSetting(Struct, frozen=True):
    """A power state: limits in W, burst window in s; `clock_lock_ghz` caps the clock; `fan` scales the sink's
    resistance (1 = full fan); `faulty` lets the heat governor collapse; `sustained_trim_w` is what the
    firmware really holds above or below its label; `stairs` are levels by the clock, (W, until s of load), in place of
    a running average; `graphics_lock_ghz` caps the clock of graphics."""

    name: str
    sustained_w: float
    burst_w: float
    window_s: float = 28.0
    mains: bool = True
    clock_lock_ghz: float | None = None
    fan: float = 1.0
    faulty: bool = False
    sustained_trim_w: float = 0.0
    stairs: tuple[tuple[float, float], ...] = ()
    graphics_lock_ghz: float | None = None


class RigWork(Struct, frozen=True):
    """A workload: share of the chip at work, its score `per_ghz` and how fast the score saturates with the clock
    (`half_ghz`: clock at which half of the linear gain is lost), `one_core`, and `cap` for a frame cap. With
    `scenes` it is work of graphics: how heavy each is, in turn, for SCENE_S."""

    name: str
    channel: str = "score.rate"
    activity: float = 1.0
    per_ghz: float = 10.0
    half_ghz: float = 30.0
    one_core: bool = False
    cap: float | None = None
    noise: float = 0.004
    scenes: tuple[float, ...] = ()


class Tells(Enum):
    """How a chip tells its power: by a counter that anybody may read or root alone, or by its firmware's table."""

    COUNTER = 1
    LOCKED = 2
    FIRMWARE = 3


class RigDevice(Struct, frozen=True):
    """A device of the rig: `memory_gain` is its own speed beyond clock and cores, `tells` how it tells its power."""

    key: str
    name: str
    form: str
    chip: Chip
    cooler: Cooler
    control: HeatControl
    settings: tuple[RigSetting, ...]
    fan_rpm: tuple[float, float] = (1400.0, 5200.0)
    memory_gain: float = 1.0
    graphics: RigGraphics | None = None
    battery_wh: float | None = None
    status: str = "retail"
    notes: str = ""
    tells: Tells = Tells.COUNTER
    noise: Mapping[str, float] = field(default_factory=lambda: {"clock": 6.0, "temp": 0.15})

    def setting(self, name: str) -> RigSetting:
        """The setting of that name.

        Raises
        ------
        PinchError : there is none.
        """
        return _named(self.settings, name, f"{self.name} has no setting", "name")


TILE = RigWork("Tile Render, all cores", per_ghz=1.6)
TILE_ONE = RigWork("Tile Render, one core", activity=0.16, per_ghz=2.0, one_core=True)
DECODE = RigWork("Signal Decode", activity=0.85, per_ghz=2.4, half_ghz=18.0)
SKERRY = RigWork("Skerry Run", channel="frame.rate", activity=0.9, per_ghz=24.0, half_ghz=9.0, noise=0.012)
SKERRY_CAPPED = RigWork(
    "Skerry Run, capped at 40",
    channel="frame.rate",
    activity=0.9,
    per_ghz=24.0,
    half_ghz=9.0,
    cap=40.0,
    noise=0.002,
)
LANTERN = RigWork(
    "Lantern Deep",
    channel="frame.rate",
    per_ghz=38.0,
    half_ghz=7.0,
    noise=0.008,
    scenes=(1.0, 0.98, 1.01, 0.97, 1.0, 0.96),
)
LOOP = RigWork("Cabin loop rundown", activity=0.5, per_ghz=1.0)
PACK_ICE = RigWork("Pack Ice", channel="frame.rate", activity=0.7, per_ghz=19.0, half_ghz=14.0, noise=0.015)
WORK = (TILE, TILE_ONE, DECODE, SKERRY, SKERRY_CAPPED, PACK_ICE, LANTERN, LOOP)


def _ladder(steps: tuple[float, ...], burst: float, window: float, fan: float = 1.0) -> tuple[RigSetting, ...]:
    return tuple(RigSetting(f"{w:g} W", w, max(burst, w), window, fan=fan) for w in steps)


SANDPIPER = RigDevice(
    "sandpiper",
    "Sandpiper 14",
    "laptop",
    TARN_T8,
    Cooler(0.42, 0.98, 14.0, 95.0),
    HeatControl(),
    (
        RigSetting("Hush", 15.0, 28.0, 28.0, fan=1.5, sustained_trim_w=0.9),
        RigSetting("Even", 28.0, 45.0, 28.0, fan=1.15),
        RigSetting("Full", 45.0, 64.0, 28.0),
        RigSetting("Hush on battery", 12.0, 20.0, 28.0, mains=False, fan=1.5),
        RigSetting("18 W on battery", 18.0, 28.0, 28.0, mains=False, fan=1.3),
        RigSetting("Even on battery", 28.0, 45.0, 28.0, mains=False, fan=1.15),
        *_ladder((18.0, 22.0, 35.0), 64.0, 28.0),
        RigSetting("Firmware 1.10, stairs", 30.0, 45.0, 28.0, stairs=((45.0, 28.0), (36.0, 100.0))),
    ),
    graphics=T8_GRAPHICS,
    battery_wh=62.0,
)
SANDPIPER_OLD = RigDevice(
    "sandpiper-old",
    "Sandpiper 14, last year's",
    "laptop",
    TARN_T6,
    Cooler(0.45, 1.05, 13.0, 90.0),
    HeatControl(),
    (
        RigSetting("Hush", 15.0, 25.0, 28.0, fan=1.4),
        RigSetting("Full", 35.0, 50.0, 28.0),
        *_ladder((20.0, 25.0, 30.0), 50.0, 28.0),
    ),
    memory_gain=0.98,
    battery_wh=58.0,
    notes="Comparison unit with an older driver.",
    tells=Tells.LOCKED,
)
LIMPET = RigDevice(
    "limpet",
    "Limpet",
    "mini PC",
    TARN_T8,
    Cooler(0.55, 1.18, 34.0, 62.0),
    HeatControl(smooth=False, band_k=7.0, drop=0.55),
    (
        RigSetting("Stock", 35.0, 65.0, 8.0),
        RigSetting("Firmware 54, faulty", 54.0, 65.0, 8.0, faulty=True),
        RigSetting("Firmware 54, clock lock 3.1", 54.0, 65.0, 8.0, clock_lock_ghz=3.1, faulty=True),
        *_ladder((20.0, 28.0, 45.0, 54.0), 65.0, 8.0),
        RigSetting("45 W, graphics lock 1.8", 45.0, 65.0, 8.0, graphics_lock_ghz=1.8),
    ),
    graphics=T8_GRAPHICS,
    fan_rpm=(1800.0, 4200.0),
    memory_gain=1.06,
)
GANNET = RigDevice(
    "gannet",
    "Gannet",
    "handheld",
    FELL_F12,
    Cooler(0.6, 1.45, 8.0, 48.0),
    HeatControl(),
    (
        *_ladder((7.0, 10.0, 13.0, 16.0, 20.0, 25.0, 30.0), 30.0, 5.0),
        *(RigSetting(f"{w:g} W at anchor", w, 30.0, 5.0, mains=False) for w in (10.0, 15.0, 20.0, 25.0, 30.0)),
    ),
    fan_rpm=(2200.0, 6800.0),
    tells=Tells.FIRMWARE,
    memory_gain=1.06,
    graphics=F12_GRAPHICS,
    battery_wh=48.0,
    status="pre-production",
    notes="Noisy at 30 W.",
)
DEVICES = (SANDPIPER, SANDPIPER_OLD, LIMPET, GANNET)


def device(key: str) -> RigDevice:
    """The rig device of that key or name.

    Raises
    ------
    PinchError : there is none.
    """
    by_name = next((d for d in DEVICES if d.name == key), None)
    return by_name or _named(DEVICES, key, "The rig has no device", "key")


def work(name: str) -> RigWork:
    """The workload of that name.

    Raises
    ------
    PinchError : there is none.
    """
    return _named(WORK, name, "The rig has no workload", "name")


def _named(things: tuple[Named, ...], name: str, none: str, attribute: str) -> Named:
    for thing in things:
        if getattr(thing, attribute) == name:
            return thing
    known = ", ".join(getattr(thing, attribute) for thing in things)
    raise PinchError(f"{none} called {name}; it has {known}.")
