"""Questions that a review of a device usually has, by what its settings and the work allow."""

from collections.abc import Sequence

from pinch.bench.bench_questions import Asks, ReviewQuestion
from pinch.bench.records import MOST_NAME, Device, Setting, WorkKind, Workload
from pinch.core.errors import PinchError
from pinch.language import tr

MOST_HELD = 3
LEAST_LIMITS = 3
EXACT_MIN = 10.0


def usual_questions(
    device: Device, settings: Sequence[Setting], work: Workload, all_work: Sequence[Workload]
) -> list[ReviewQuestion]:
    """The sweet spot of a device under a workload, whether its highest limits are held, which of its locks is best, and
    how long it lasts: each where there are settings for it."""
    limits = sorted((s for s in settings if s.mains and s.sustained_w), key=lambda s: -(s.sustained_w or 0.0))
    found = []
    if len(limits) >= LEAST_LIMITS:
        found.append(_asked(Asks.SWEET_SPOT, work, device_ids=(device.id,)))
    found += [_asked(Asks.HOLDS, work, setting_ids=(s.id,)) for s in limits[:MOST_HELD]]
    locked = [s.id for s in settings if s.clock_ceiling_mhz or s.graphics_ceiling_mhz]
    if len(locked) > 1:
        found.append(_asked(Asks.LOCK, work, setting_ids=tuple(locked[: Asks.LOCK.cells[1]])))
    for rundown in (w for w in all_work if w.kind is WorkKind.RUNDOWN):
        found += [
            _asked(Asks.BATTERY, rundown, setting_ids=(s.id,), within=EXACT_MIN) for s in settings if not s.mains
        ][:1]
    return found


def pair_question(setting_ids: tuple[int, int], work: Workload, delta: float) -> ReviewQuestion:
    """Which of two settings is faster at a workload, by what matters as a share.

    Raises
    ------
    PinchError : they are one setting.
    """
    if setting_ids[0] == setting_ids[1]:
        raise PinchError(tr("A question compares two different settings; these are one."))
    return _asked(Asks.FASTER, work, setting_ids=setting_ids, delta=delta)


def _asked(asks: Asks, work: Workload, **more: object) -> ReviewQuestion:
    fields = {"name": f"{tr(asks)}, {work.name}"[:MOST_NAME], "asks": asks, "workload_id": work.id, **more}
    return ReviewQuestion.model_validate(fields)
