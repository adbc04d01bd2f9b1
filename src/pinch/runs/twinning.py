"""The twin of a device with what its logs tell: how its runs began, and how fast they warmed."""

import contextlib
from pathlib import Path

import numpy as np

from pinch.analysis.judging import JudgeDesk
from pinch.analysis.points import BookPoints
from pinch.analysis.references import is_own
from pinch.analysis.twins import DeviceTwin, device_twin
from pinch.bench.opening import open_book
from pinch.bench.records import Device, Workload
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.core.progress import Progress, tell, unheard

MOST_LOGS = 6
"""So many logs are read, from the least to the most watts: each tells the same of how the device warms."""


def read_twin(
    path: Path, points: BookPoints, device: Device, workload: Workload, progress: Progress = unheard
) -> DeviceTwin:
    """The twin of a device of a book, with a connection of its own.

    Raises
    ------
    TwinRefusedError : there is no settled run.
    CancelledError : `progress` answered False.
    """
    twin = device_twin(points, device, workload)
    own = sorted((p for p in twin.points if is_own(p.run.id)), key=lambda p: p.digest.power_w or 0.0)
    chosen = (
        [own[n] for n in np.unique(np.linspace(0, len(own) - 1, min(MOST_LOGS, len(own))).astype(int))] if own else []
    )
    judged: dict[int, Judgement] = {}
    with contextlib.closing(open_book(path, only_read=True)) as book:
        desk = JudgeDesk(book)
        for number, p in enumerate(chosen):
            tell(progress, number / len(chosen))
            with contextlib.suppress(PinchError):  # what cannot be judged anew tells nothing more
                judged[p.run.id] = desk.judge(p.run)[1]
    return twin.with_logs(judged)
