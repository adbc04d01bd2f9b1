"""What runs drew from the wall or from the battery, beside the watts of their package."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.analysis.points import RunPoint
from pinch.language import tr


class Draw(Struct, frozen=True):
    """A settled run, or its rest before the load: W of the package and W drawn for it."""

    of: RunPoint
    package_w: float
    drawn_w: float
    at_rest: bool = False


def wall_draws(points: Sequence[RunPoint]) -> list[Draw]:
    """Of every run on mains that counts, and of its rest before the load; the wall as logged, else as read by hand."""
    found = []
    for p in points:
        d = p.digest
        if not p.setting.mains or p.why_unusable:
            continue
        wall = d.wall_w if d.wall_w is not None else p.read.get("wall.power.load_mean")
        if d.power_w is not None and wall is not None:
            found.append(Draw(p, d.power_w, wall))
        rest = d.idle_wall_w if d.idle_wall_w is not None else p.read.get("wall.power.idle_mean")
        if d.idle_w is not None and rest is not None:
            found.append(Draw(p, d.idle_w, rest, at_rest=True))
    return found


def battery_draws(points: Sequence[RunPoint]) -> list[Draw]:
    """Of every run on battery that counts and has both."""
    found = []
    for p in points:
        d = p.digest
        drawn = d.battery_w if d.battery_w is not None else d.rundown.draw_w if d.rundown else None
        if not (p.setting.mains or p.why_unusable) and d.power_w is not None and drawn is not None and drawn > 0:
            found.append(Draw(p, d.power_w, drawn))
    return found


def draw_names(draws: Sequence[Draw]) -> tuple[str, ...]:
    """What each is called among the others: with its workload where there are several."""
    several = len({d.of.run.workload_id for d in draws}) > 1
    return tuple(
        ", ".join([*([d.of.workload.name] if several else []), d.of.name, *([tr("at rest")] if d.at_rest else [])])
        for d in draws
    )
