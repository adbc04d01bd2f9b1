"""What the kernel itself says of throttling.

Sources: the kernel's drivers/gpu/drm/i915/gt/intel_gt_sysfs_pm.c and drivers/gpu/drm/xe/xe_gt_throttle.c (a file a
reason, 0 or 1), arch/x86/kernel/cpu/mce/therm_throt.c (counts, and milliseconds in all).
"""

from pinch.sources.probe.kernel_files import Tree
from pinch.sources.probe.kernel_numbers import Columns, Extreme, Grown, Scaled, Sensor, Sum

REASONS = {
    "power": ("pl1",),
    "burst": ("pl2", "pl4"),
    "heat": ("thermal", "ratl", "vr_thermalert"),
    "current": ("vr_tdc",),
    "outside": ("prochot",),
}
PLACES = ("gt/gt0/throttle_reason_{}", "device/tile0/gt0/freq0/throttle/reason_{}")


def find_throttle(tree: Tree, columns: Columns) -> None:
    """Add counts, shares and reasons of throttling."""
    counts: list[Sensor] = []
    times: list[Sensor] = []
    for folder in tree.cpus():
        of_package = folder == "cpu0"
        for scope in ("core", "package") if of_package else ("core",):
            place = f"sys/devices/system/cpu/{folder}/thermal_throttle/{scope}_throttle"
            count, total = tree.open(f"{place}_count"), tree.open(f"{place}_total_time_ms")
            counts += [Scaled(count, 1.0)] if count is not None else []
            times += [Grown(Scaled(total, 1.0), 1e-3, most=1.0)] if total is not None else []
    if counts:
        columns.add("cpu.throttle.count", Sum(counts))
    if times:
        columns.add("cpu.throttle.heat", Extreme(times, max))
    for card in tree.cards():
        for cause, names in REASONS.items():
            found = [tree.open(f"sys/class/drm/{card}", place.format(n)) for n in names for place in PLACES]
            flags: list[Sensor] = [Scaled(file, 1.0) for file in found if file is not None]
            if flags:
                columns.add(f"gpu.throttle.{cause}", Extreme(flags, max))
