"""Energy counters: microjoules that only go up, wrap at a stated range, and sometimes restart.

Source of the units and of the range: the kernel's `Documentation/ABI/testing/sysfs-class-powercap`.
The wrap rule itself is common practice, no source.
"""

import math

MICROJOULES = 1e-6


def energy_step_j(before_uj: float, after_uj: float, range_uj: float) -> float:
    """Energy between two readings in J, the wrap undone; NaN where the counter was reset.

    A reading below the one before it is a wrap where the counter stood in the upper half of its range
    and came out in the lower half, else a restart.
    """
    if after_uj >= before_uj:
        return (after_uj - before_uj) * MICROJOULES
    if range_uj > 0 and before_uj > range_uj / 2 > after_uj:
        return (after_uj - before_uj + range_uj) * MICROJOULES
    return math.nan


def longest_safe_gap_s(range_uj: float, power_w: float) -> float:
    """Longest time between two readings in which the counter wraps at most once, s."""
    return range_uj * MICROJOULES / power_w
