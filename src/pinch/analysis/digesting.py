"""All runs of a book judged in the background: what is new or has changed, and which figures a new method moved."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.analysis.log_figures import figures_of
from pinch.bench.digests import Digest, RundownDigest
from pinch.bench.records import Device, Run, scores_of
from pinch.bench.summaries import Summary
from pinch.core.causes import Cause
from pinch.core.errors import DataError
from pinch.core.figures import SettledState, finite
from pinch.core.judge import Judgement
from pinch.core.metrics import AVERAGE, SCORE
from pinch.core.printing import plain
from pinch.core.rundown import Rundown, judge_rundown
from pinch.core.runlog import RunLog
from pinch.core.sound import level_mean
from pinch.language import tr

HEAT_SHARE = 0.1
WALL = "wall.power"
BATTERY, CHARGE, LEFT = "battery.power", "battery.charge", "battery.energy"
NOISE, FAN = "noise.level", "fan.1.speed"
LEAST_FALL = 1.0
SCHOOLS = ("percentile", "mean_of_worst", "time_share")
MOVED_SHARE = 0.002
"""A figure that a new method moves by less is not worth a word."""
_NUMBERS = (
    *(("power_w", tr("sustained power"), "W"), ("clock_mhz", tr("clock"), "MHz"), ("temp_c", tr("temperature"), "°C")),
    *(("rate", tr("rate"), ""), ("r_th", tr("thermal resistance"), "K/W")),
)


class Moved(Struct, frozen=True):
    """A figure that another version of the methods changed."""

    run_id: int
    words: str


def told_digest(summary: Summary) -> Digest:
    """The digest of a score without a log."""
    return Digest(rate=summary.score, metric=SCORE, flags=("told",))


def unjudged_digest(run: Run, reason: str) -> Digest:
    """The digest of a run that cannot be judged."""
    return Digest(problem=reason, flags=tuple(_record_flags(run)))


def digest_of(run: Run, log: RunLog, j: Judgement, device: Device) -> Digest:
    """The digest of one judged run, without its finding."""
    scores, rundown = scores_of(run), _rundown(log, device, j.rate)
    logged, typed = _value(j, j.rate), not all(p.of_rate for p in run.passes if p.score is not None)
    rate = sum(scores) / len(scores) if scores else logged
    figures = figures_of(log, j)
    return Digest(
        state=j.settled.state,
        power_w=_value(j, j.power),
        clock_mhz=_value(j, j.clock),
        temp_c=_value(j, j.temp),
        rate=rate,
        whole_rate=None if scores or j.rate is None else finite(j.after_burst[j.rate]),
        whole_power_w=None if j.power is None else finite(j.after_burst[j.power]),
        seconds=j.settled.length_s * j.settled.active_share,
        burst_w=finite(j.limits.burst.value),
        hold=finite(j.figures[j.clock].hold) if j.clock else None,
        headroom_k=_headroom(j),
        idle_w=finite(j.limits.idle_w),
        wall_w=_logged(j, WALL),
        idle_wall_w=figures.get(f"{WALL}.idle_mean"),
        battery_w=_logged(j, BATTERY),
        cpu_w=_logged(j, "cpu.power"),
        gpu_w=_logged(j, "gpu.power"),
        gpu_load=_logged(j, "gpu.load"),
        noise_db=_noise(log, j),
        fan_rpm=_logged(j, FAN),
        surfaces=_surfaces(j),
        rundown=rundown,
        lows=_lows(j),
        metric=SCORE if typed else AVERAGE,
        figures=figures | _lasting(rundown, device) | ({AVERAGE: logged} if typed and logged else {}),
        shares={str(cause): share for cause, share in j.limiter_share.items()},
        r_th=j.heat.r_th.value if j.heat else None,
        flags=(*_flags(j), *_record_flags(run)),
    )


def _logged(j: Judgement, channel: str) -> float | None:
    return _value(j, channel if channel in j.figures else None)


def _headroom(j: Judgement) -> float | None:
    """K between the settled temperature and its limit."""
    value = _value(j, j.temp)
    return None if value is None else finite(j.temp_limit_c - value)


def _noise(log: RunLog, j: Judgement) -> float | None:
    """The energetic mean of the level in the settled window."""
    series = log.series.get(NOISE)
    if series is None:
        return None
    inside = series.values[(series.t >= j.settled.start_s) & (series.t <= j.settled.end_s)]
    known = inside[np.isfinite(inside)]
    return level_mean(known) if len(known) else None


def _surfaces(j: Judgement) -> dict[str, float]:
    """Settled temperatures of surfaces by place."""
    found = {}
    for channel in j.figures:
        if channel.startswith("skin.") and (value := _value(j, channel)) is not None:
            found[channel.removeprefix("skin.").removesuffix(".temp")] = value
    return found


def _rundown(log: RunLog, device: Device, rate: str | None) -> RundownDigest | None:
    """What the battery did, where it ran down."""
    charge = log.series.get(CHARGE)
    if charge is None or len(charge.t) < 3 or charge.values[0] - charge.values[-1] < LEAST_FALL:
        return None
    others = (log.series.get(LEFT), log.series.get(BATTERY), log.series.get(rate or ""))
    try:
        found = judge_rundown(charge, *others, device.battery.full_wh, device.battery.design_wh)
    except DataError:
        return None
    return rundown_digest(found)


def _lasting(rundown: RundownDigest | None, device: Device) -> dict[str, float]:
    """Minutes of a full battery, and minutes for each Wh that it holds, by the keys of core/metrics."""
    if rundown is None or rundown.runtime_h is None:
        return {}
    minutes, holds = 60.0 * rundown.runtime_h, device.battery.usable_wh
    return {"minutes": minutes} | ({"minutes_wh": minutes / holds} if holds else {})


def rundown_digest(found: Rundown) -> RundownDigest:
    """What a list keeps of a rundown."""
    low, high = found.runtime_interval
    return RundownDigest(
        from_charge=found.from_charge,
        to_charge=found.to_charge,
        draw_w=finite(found.draw_w.value),
        power_w=finite(found.power_w.value),
        runtime_h=finite(found.runtime_h.value),
        low_h=finite(low),
        high_h=finite(high),
        wear=finite(found.wear),
        sag=finite(found.sag),
        notes=tuple(n.text for n in found.notes),
    )


def _lows(j: Judgement) -> dict[str, float]:
    """The lows of all schools, by low and school."""
    if j.frames is None:
        return {}
    both = (("low_1", j.frames.low_1), ("low_0_1", j.frames.low_01))
    return {f"{name}.{school}": float(getattr(lows, school)) for name, lows in both for school in SCHOOLS}


def moved_words(old: Digest, new: Digest) -> Sequence[str]:
    """What differs between two digests of the same log."""
    found = (
        [tr("window {before} → {after}", before=tr(old.state), after=tr(new.state))] if old.state != new.state else []
    )
    before, after = (max(d.shares, key=lambda c: d.shares[c], default="") for d in (old, new))
    if before != after and before and after:
        found.append(tr("held by {before} → {after}", before=before, after=after))
    for field, name, unit in _NUMBERS:
        before, after = getattr(old, field), getattr(new, field)
        if before != after and (None in (before, after) or abs(after - before) > MOVED_SHARE * abs(before)):
            found.append(f"{name} {_number(before, unit)} → {_number(after, unit)}")
    return found


def _number(value: float | None, unit: str) -> str:
    return tr("none") if value is None else f"{plain(value, 5)} {unit}".rstrip()


def _value(j: Judgement, channel: str | None) -> float | None:
    if channel is None or not j.figures[channel].sustained.known:
        return None
    return j.figures[channel].sustained.value


def _flags(j: Judgement) -> list[str]:
    there = {
        "drifting": j.settled.state == SettledState.DRIFTING,
        "short": j.settled.state == SettledState.TOO_SHORT,
        "heat": j.limiter_share.get(Cause.HEAT, 0.0) >= HEAT_SHARE,
        "gap": bool(j.gaps),
        "fault": bool(j.collapses),
    }
    return [flag for flag, is_so in there.items() if is_so]


def _record_flags(run: Run) -> list[str]:
    unfair = bool(run.in_spite_of)
    by_hand = run.window is not None
    return [flag for flag, so in (("void", bool(run.void)), ("unfair", unfair), ("by hand", by_hand)) if so]
