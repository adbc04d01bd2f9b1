"""Judging a run once for all processes: dozens of tests open copies of the demo book, and judge the same runs anew."""

import hashlib
import os
import pickle
import tempfile
from concurrent.futures import Executor, Future
from pathlib import Path

from pinch.analysis import judged_beside, judging
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.runlog import RunLog

PROCESSES = judged_beside.pool


def judge_once(folder: Path) -> None:
    """From now on the desks of this process keep what they judge in a folder, and take from it what is there."""
    folder.mkdir(exist_ok=True)

    def kept(log: RunLog, known: Known, brief: bool = False) -> Judgement:
        path = folder / f"{_key(log, known)}{'-brief' if brief else ''}"
        if path.exists():
            return pickle.loads(path.read_bytes())  # type: ignore[no-any-return]
        judged = judge(log, known, brief=brief)
        with tempfile.NamedTemporaryFile(dir=folder, delete=False) as made:
            made.write(pickle.dumps(judged))
        os.replace(made.name, path)
        return judged

    judging.judge = kept  # type: ignore[assignment, attr-defined]
    judged_beside.pool = lambda path, _: Here(path)  # other processes would judge anew


class Here(Executor):
    """Judges runs of a book in this process, at once."""

    def __init__(self, path: Path) -> None:
        judged_beside.take_book(path)

    def submit(self, work, /, *args, **kwargs):  # type: ignore[no-untyped-def]
        done: Future[object] = Future()
        done.set_result(work(*args, **kwargs))
        return done


def _key(log: RunLog, known: Known) -> str:
    """What a judgement hangs on, and nothing else."""
    digest = hashlib.sha256(repr((known, log.marks)).encode())
    for name, series in log.series.items():
        digest.update(name.encode())
        digest.update(series.t.tobytes())
        digest.update(series.values.tobytes())
    return digest.hexdigest()
