"""Clock locks: of settings that differ in nothing else, which holds the most."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.analysis.modes import ModeRow
from pinch.analysis.points import mean_share
from pinch.bench.parts import Aspect
from pinch.bench.setting_differences import differences
from pinch.core.causes import Cause

LOCKS = {Aspect.CLOCK_LOCK, Aspect.GRAPHICS_LOCK}


class LockChoice(Struct, frozen=True):
    """The row that holds the most among `tried` with a lock and the one without (`free`, None: never run)."""

    best: ModeRow
    free: ModeRow | None
    tried: int

    @property
    def is_locked(self) -> bool:
        """Whether it is a lock that holds the most."""
        return self.best is not self.free


def best_locks(rows: Sequence[ModeRow], higher_is_better: bool = True) -> list[LockChoice]:
    """The best of each group of settings that differ in their clock locks alone and ran in the same rooms, by what they
    held; nothing where there is no other to choose from."""
    left, found = [r for r in rows if r.score is not None], list[LockChoice]()
    while any(_has_lock(r) for r in left):
        group = [r for r in left if _is_alike(left[0], r)]
        left = [r for r in left if r not in group]
        locked = [r for r in group if _has_lock(r)]
        if locked and len(group) > 1:
            best = (max if higher_is_better else min)(group, key=lambda r: r.score or 0.0)
            found.append(LockChoice(best, next((r for r in group if not _has_lock(r)), None), len(locked)))
    return found


def heat_share(row: ModeRow) -> float | None:
    """The share of the load that heat held, the mean over the runs; None where none tells."""
    told = [p for p in row.runs if p.digest.shares]
    return mean_share(told, Cause.HEAT) if told else None


def _has_lock(row: ModeRow) -> bool:
    return row.setting.clock_ceiling_mhz is not None or row.setting.graphics_ceiling_mhz is not None


def _is_alike(a: ModeRow, b: ModeRow) -> bool:
    same_rooms = {p.room_c for p in a.runs} == {p.room_c for p in b.runs}
    return same_rooms and set(differences(a.setting, b.setting)) <= LOCKS
